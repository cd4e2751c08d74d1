#include "keys_list.h"

#include <QAction>
#include <QDialogButtonBox>
#include <QHeaderView>
#include <QLineEdit>
#include <QMenu>
#include <QMenuBar>
#include <QTreeWidget>
#include <QVBoxLayout>

#include <algorithm>

namespace yolk::app {
namespace {

constexpr int kWidth = 560, kHeight = 620;

QString plain(QString text)
{
    return text.remove(QLatin1Char('&'));
}

} // namespace

KeysList::KeysList(const QMenuBar *menus, QWidget *parent) : QDialog(parent)
{
    setWindowTitle(tr("Keys"));
    search_ = new QLineEdit;
    search_->setPlaceholderText(tr("Find a command or a key"));
    search_->setAccessibleName(tr("Find a command or a key"));
    search_->setClearButtonEnabled(true);
    list_ = new QTreeWidget;
    list_->setAccessibleName(tr("Commands and their keys"));
    list_->setColumnCount(2);
    list_->setHeaderHidden(true);
    list_->setRootIsDecorated(false);
    list_->setIndentation(14);
    list_->setItemsExpandable(false);
    list_->setSelectionMode(QAbstractItemView::SingleSelection);
    for (const QMenu *menu : menus->findChildren<QMenu *>(Qt::FindDirectChildrenOnly))
        for (const QAction *action : menu->actions())
            if (!action->shortcut().isEmpty())
                add(plain(menu->title()), action->shortcut().toString(QKeySequence::NativeText), plain(action->text()));
    const QString held = tr("While held"), slider = tr("Sliders"), scale = tr("Light scale"), picture = tr("Picture");
    add(held, tr("1 to 9"), tr("Looks through that frame"));
    add(held, tr("B"), tr("Flips to what is compared with"));
    add(held, tr("Q"), tr("A loupe at the pointer"));
    add(held, tr("X"), tr("Shows clipping"));
    add(slider, tr("Left, Right"), tr("Step; with Shift finer"));
    add(slider, tr("Delete"), tr("Returns to the start, as a double click does"));
    add(scale, tr("Left, Right"), tr("Choose a handle; while peeking move the window"));
    add(scale, tr("Up, Down"), tr("Move the handle; while peeking widen the window"));
    add(picture, tr("+, -"), tr("Zoom"));
    add(picture, tr("Arrows"), tr("Pan"));
    list_->expandAll();
    list_->header()->setSectionResizeMode(0, QHeaderView::ResizeToContents);

    auto *buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(search_, &QLineEdit::textChanged, this, &KeysList::find);
    auto *column = new QVBoxLayout(this);
    column->addWidget(search_);
    column->addWidget(list_, 1);
    column->addWidget(buttons);
    const QSize room = parent ? parent->size() : QSize(kWidth, kHeight);
    resize(std::min(kWidth, room.width()), std::min(kHeight, room.height() * 9 / 10));
    search_->setFocus();
}

void KeysList::add(const QString &group, const QString &keys, const QString &what)
{
    QTreeWidgetItem *heading = nullptr;
    for (int i = 0; i < list_->topLevelItemCount(); ++i)
        if (list_->topLevelItem(i)->text(0) == group)
            heading = list_->topLevelItem(i);
    if (!heading) {
        heading = new QTreeWidgetItem(list_, {group});
        QFont font = list_->font();
        font.setWeight(QFont::DemiBold);
        heading->setFont(0, font);
        heading->setFlags(Qt::ItemIsEnabled);
    }
    new QTreeWidgetItem(heading, {what, keys});
}

void KeysList::find(const QString &words)
{
    const QStringList wanted = words.split(QLatin1Char(' '), Qt::SkipEmptyParts);
    for (int i = 0; i < list_->topLevelItemCount(); ++i) {
        QTreeWidgetItem *heading = list_->topLevelItem(i);
        bool any = false;
        for (int k = 0; k < heading->childCount(); ++k) {
            QTreeWidgetItem *item = heading->child(k);
            const QString text = heading->text(0) + QLatin1Char(' ') + item->text(0) + QLatin1Char(' ') + item->text(1);
            const bool fits = std::ranges::all_of(
                wanted, [&](const QString &word) { return text.contains(word, Qt::CaseInsensitive); });
            item->setHidden(!fits);
            any = any || fits;
        }
        heading->setHidden(!any);
    }
}

} // namespace yolk::app
