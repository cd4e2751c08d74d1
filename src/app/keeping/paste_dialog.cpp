#include "keeping/paste_dialog.h"

#include "keeping/changes_text.h"
#include "widgets/words.h"

#include <QDialogButtonBox>
#include <QHeaderView>
#include <QLabel>
#include <QPushButton>
#include <QTreeWidget>
#include <QVBoxLayout>

#include <algorithm>

namespace yolk::app {
namespace {

constexpr int kWidth = 520, kHeight = 560;

} // namespace

PasteDialog::PasteDialog(const CopiedSettings &copied, QWidget *parent) : QDialog(parent), list_(new QTreeWidget(this))
{
    setWindowTitle(tr("Paste settings"));
    auto *heading = new QLabel(tr("What this picture takes of the settings that were copied:"), this);
    heading->setWordWrap(true);
    list_->setColumnCount(2);
    list_->setHeaderHidden(true);
    list_->setRootIsDecorated(false);
    list_->setAccessibleName(tr("Groups of settings"));
    list_->setTextElideMode(Qt::ElideRight);
    for (const SettingGroup &group : settingGroups()) {
        const QStringList changes = changesIn(group, copied.settings, copied.start);
        auto *item = new QTreeWidgetItem(
            list_, {words(group.name), changes.isEmpty() ? tr("as at the start") : changes.join(QStringLiteral(", "))});
        item->setData(0, Qt::UserRole, QString::fromStdString(group.key));
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsUserCheckable | Qt::ItemIsSelectable);
        item->setCheckState(0, changes.isEmpty() ? Qt::Unchecked : Qt::Checked);
        item->setToolTip(1, item->text(1));
        if (changes.isEmpty())
            item->setForeground(1, palette().placeholderText());
    }
    list_->header()->setSectionResizeMode(0, QHeaderView::ResizeToContents);
    auto *buttons = new QDialogButtonBox(QDialogButtonBox::Cancel);
    paste_ = buttons->addButton(tr("Paste"), QDialogButtonBox::AcceptRole);
    QPushButton *all = buttons->addButton(tr("All"), QDialogButtonBox::ResetRole);
    QPushButton *none = buttons->addButton(tr("None"), QDialogButtonBox::ResetRole);
    const auto check = [this](Qt::CheckState state) {
        for (int i = 0; i < list_->topLevelItemCount(); ++i)
            list_->topLevelItem(i)->setCheckState(0, state);
    };
    connect(all, &QPushButton::clicked, this, [check] { check(Qt::Checked); });
    connect(none, &QPushButton::clicked, this, [check] { check(Qt::Unchecked); });
    connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(list_, &QTreeWidget::itemChanged, this, &PasteDialog::refresh);
    auto *column = new QVBoxLayout(this);
    column->addWidget(heading);
    column->addWidget(list_, 1);
    column->addWidget(buttons);
    const QSize room = parent ? parent->size() : QSize(kWidth, kHeight);
    resize(std::min(kWidth, room.width()), std::min(kHeight, room.height() * 9 / 10));
    refresh();
    paste_->setDefault(true);
}

std::set<std::string> PasteDialog::groups() const
{
    std::set<std::string> out;
    for (int i = 0; i < list_->topLevelItemCount(); ++i)
        if (const QTreeWidgetItem *item = list_->topLevelItem(i); item->checkState(0) == Qt::Checked)
            out.insert(item->data(0, Qt::UserRole).toString().toStdString());
    return out;
}

void PasteDialog::refresh()
{
    paste_->setEnabled(!groups().empty());
}

} // namespace yolk::app
