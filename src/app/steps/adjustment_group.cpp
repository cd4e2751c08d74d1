#include "steps/adjustment_group.h"

#include "widgets/words.h"

namespace yolk::app {

AdjustmentGroup::AdjustmentGroup(Document *document, Step step, std::string_view group, QWidget *parent)
    : FoldGroup(words(group), parent), document_(document), step_(step), group_(group)
{
    addSwitch();
    connect(this, &FoldGroup::switched, this,
            [this](bool on) { document_->setGroupOn(QString::fromStdString(groupKey(group_)), on); });
    connect(this, &FoldGroup::returnAsked, this, [this] {
        document_->setRecipe(withoutGroup(document_->recipe(), step_, group_, document_->start()),
                             tr("%1 as at the start").arg(words(group_).toLower()));
    });
    connect(document, &Document::recipeChanged, this, &AdjustmentGroup::refresh);
    refresh();
}

void AdjustmentGroup::refresh()
{
    if (!document_->isOpen())
        return showSwitch(true, false);
    const Recipe &now = document_->recipe();
    const QString key = QString::fromStdString(groupKey(group_));
    const auto strength = now.groups.strength.find(groupKey(group_));
    const QString name = document_->groupName(key);
    setName(strength == now.groups.strength.end() ? name
                                                  : tr("%1, at %2 %").arg(name).arg(strength->second, 0, 'f', 0));
    showSwitch(!now.groups.off.contains(groupKey(group_)), isGroupChanged(step_, group_, now, document_->start()));
}

} // namespace yolk::app
