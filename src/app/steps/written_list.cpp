#include "steps/written_list.h"

#include <QDesktopServices>
#include <QDir>
#include <QFileInfo>
#include <QMimeData>
#include <QUrl>

namespace yolk::app {

WrittenList::WrittenList(QWidget *parent) : QListWidget(parent)
{
    constexpr int kRows = 3;
    setAccessibleName(tr("Written files"));
    setToolTip(tr("Drag a file into another program, or double-click to see its folder."));
    setDragEnabled(true);
    setDragDropMode(QAbstractItemView::DragOnly);
    setTextElideMode(Qt::ElideMiddle);
    setUniformItemSizes(true);
    setFixedHeight(kRows * (fontMetrics().height() + 8) + 4);
    connect(this, &QListWidget::itemDoubleClicked, this, &WrittenList::showInFolder);
}

void WrittenList::add(const QString &path, const QString &remark)
{
    constexpr int kMost = 20;
    for (int i = count() - 1; i >= 0; --i)
        if (item(i)->data(Qt::UserRole).toString() == path)
            delete takeItem(i);
    const QString name = QFileInfo(path).fileName();
    auto *row = new QListWidgetItem(remark.isEmpty() ? name : name + QStringLiteral("  ·  ") + remark);
    row->setData(Qt::UserRole, path);
    row->setToolTip(QDir::toNativeSeparators(path));
    insertItem(0, row);
    setCurrentRow(0);
    while (count() > kMost)
        delete takeItem(count() - 1);
}

QString WrittenList::chosenPath() const
{
    const QListWidgetItem *row = currentItem() ? currentItem() : item(0);
    return row ? row->data(Qt::UserRole).toString() : QString();
}

void WrittenList::showInFolder() const
{
    if (const QString path = chosenPath(); !path.isEmpty())
        QDesktopServices::openUrl(QUrl::fromLocalFile(QFileInfo(path).absolutePath()));
}

QMimeData *WrittenList::mimeData(const QList<QListWidgetItem *> &items) const
{
    QList<QUrl> urls;
    for (const QListWidgetItem *row : items)
        urls << QUrl::fromLocalFile(row->data(Qt::UserRole).toString());
    auto *out = new QMimeData;
    out->setUrls(urls);
    return out;
}

} // namespace yolk::app
