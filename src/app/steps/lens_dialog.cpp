#include "steps/lens_dialog.h"

#include <QCoreApplication>
#include <QDialogButtonBox>
#include <QKeyEvent>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QVBoxLayout>

namespace yolk::app {

LensDialog::LensDialog(const QStringList &lenses, const QString &present, QWidget *parent)
    : QDialog(parent), search_(new QLineEdit(this)), list_(new QListWidget(this))
{
    setWindowTitle(tr("Choose a lens"));
    search_->setPlaceholderText(tr("Parts of its name, as in \"24 70\""));
    search_->setClearButtonEnabled(true);
    search_->setAccessibleName(tr("Search"));
    list_->setAccessibleName(tr("Lenses"));
    list_->setUniformItemSizes(true);
    list_->addItem(tr("By the metadata of the frames"));
    list_->addItems(lenses);
    const QList<QListWidgetItem *> found = list_->findItems(present, Qt::MatchExactly);
    list_->setCurrentItem(present.isEmpty() || found.isEmpty() ? list_->item(0) : found.front());
    auto *buttons = new QDialogButtonBox(QDialogButtonBox::Cancel, this);
    take_ = buttons->addButton(tr("Take this lens"), QDialogButtonBox::AcceptRole);
    take_->setDefault(true);
    auto *layout = new QVBoxLayout(this);
    layout->addWidget(search_);
    layout->addWidget(list_, 1);
    layout->addWidget(buttons);
    resize(460, 480);
    search_->installEventFilter(this);
    connect(search_, &QLineEdit::textChanged, this, &LensDialog::narrow);
    connect(list_, &QListWidget::itemDoubleClicked, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    search_->setFocus();
}

/// The list is walked while words are typed.
bool LensDialog::eventFilter(QObject *watched, QEvent *event)
{
    if (event->type() == QEvent::KeyPress) {
        const int key = static_cast<QKeyEvent *>(event)->key();
        if (key == Qt::Key_Up || key == Qt::Key_Down || key == Qt::Key_PageUp || key == Qt::Key_PageDown) {
            QCoreApplication::sendEvent(list_, event);
            return true;
        }
    }
    return QDialog::eventFilter(watched, event);
}

void LensDialog::narrow()
{
    const QStringList parts = search_->text().split(QLatin1Char(' '), Qt::SkipEmptyParts);
    QListWidgetItem *first = nullptr;
    for (int i = 0; i < list_->count(); ++i) {
        QListWidgetItem *item = list_->item(i);
        bool fits = true;
        for (const QString &part : parts)
            fits = fits && item->text().contains(part, Qt::CaseInsensitive);
        item->setHidden(!fits);
        if (fits && !first)
            first = item;
    }
    if (!list_->currentItem() || list_->currentItem()->isHidden())
        list_->setCurrentItem(first);
    take_->setEnabled(first != nullptr);
    if (list_->currentItem())
        list_->scrollToItem(list_->currentItem());
}

QString LensDialog::chosen() const
{
    return list_->currentRow() > 0 ? list_->currentItem()->text() : QString();
}

} // namespace yolk::app
