#include "keeping/history_panel.h"

#include "theme/theme.h"

#include <QFont>
#include <QLabel>
#include <QListView>
#include <QVBoxLayout>

namespace yolk::app {

HistoryModel::HistoryModel(Document *document, QObject *parent) : QAbstractListModel(parent), document_(document)
{
}

int HistoryModel::rowCount(const QModelIndex &parent) const
{
    return parent.isValid() ? 0 : shown_;
}

void HistoryModel::refresh()
{
    const int count = document_->isOpen() ? int(document_->history().states().size()) : 0;
    if (count > shown_) {
        beginInsertRows({}, shown_, count - 1);
        shown_ = count;
        endInsertRows();
    } else if (count < shown_) {
        beginRemoveRows({}, count, shown_ - 1);
        shown_ = count;
        endRemoveRows();
    }
    if (count > 0)
        Q_EMIT dataChanged(index(0), index(count - 1));
}

QVariant HistoryModel::data(const QModelIndex &index, int role) const
{
    const History &history = document_->history();
    const size_t row = size_t(index.row());
    if (!index.isValid() || row >= history.states().size())
        return {};
    switch (role) {
    case Qt::DisplayRole: {
        QString what = QString::fromStdString(history.states()[row].what);
        if (row == 0 || what.isEmpty())
            return tr("As opened");
        what[0] = what[0].toUpper();
        return what;
    }
    case Qt::FontRole: {
        QFont font;
        font.setWeight(row == history.at() ? QFont::DemiBold : QFont::Normal);
        return font;
    }
    case Qt::ForegroundRole: // what was undone
        return row > history.at() ? QVariant(tokens().secondary) : QVariant();
    case Qt::AccessibleDescriptionRole:
        return row > history.at() ? tr("undone") : row == history.at() ? tr("the present state") : QString();
    default:
        return {};
    }
}

HistoryPanel::HistoryPanel(Document *document, QWidget *parent)
    : QWidget(parent), document_(document), model_(new HistoryModel(document, this)), list_(new QListView(this))
{
    auto *title = new QLabel(tr("What was done"), this);
    QFont bold = font();
    bold.setWeight(QFont::DemiBold);
    title->setFont(bold);
    auto *help = new QLabel(tr("Click, or press Enter, to go back there or forth again."), this);
    help->setWordWrap(true);
    help->setForegroundRole(QPalette::PlaceholderText);
    list_->setModel(model_);
    list_->setUniformItemSizes(true);
    list_->setFrameShape(QFrame::NoFrame);
    list_->setAccessibleName(title->text());
    list_->setStyleSheet(QStringLiteral("QListView { background: transparent; border: none; }"
                                        "QListView::item { padding: 3px 4px; }"));
    auto *column = new QVBoxLayout(this);
    column->setContentsMargins(16, 10, 16, 10);
    column->setSpacing(6);
    column->addWidget(title);
    column->addWidget(help);
    column->addWidget(list_, 1);
    const auto go = [this](const QModelIndex &index) { document_->goToState(index.row()); };
    connect(list_, &QListView::clicked, this, go);
    connect(list_, &QListView::activated, this, go);
    connect(document, &Document::recipeChanged, this, &HistoryPanel::refresh);
}

void HistoryPanel::showEvent(QShowEvent *event)
{
    refresh();
    QWidget::showEvent(event);
}

void HistoryPanel::refresh()
{
    if (!isVisible())
        return;
    model_->refresh();
    const QModelIndex now = model_->index(int(document_->history().at()));
    list_->setCurrentIndex(now);
    list_->scrollTo(now);
}

} // namespace yolk::app
