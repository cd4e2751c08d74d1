#include "steps/adjustment_group.h"

#include "widgets/words.h"

namespace yolk::app {

AdjustmentGroup::AdjustmentGroup(Document *document, Step step, std::string_view group, QWidget *parent)
    : FoldGroup(words(group), parent), document_(document), step_(step), group_(group)
{
    addSwitch();
    connect(this, &FoldGroup::switched, this, [this](bool on) {
        Recipe next = document_->recipe();
        if (on)
            next.groups.off.erase(groupKey(group_));
        else
            next.groups.off.insert(groupKey(group_));
        const QString name = words(group_).toLower();
        document_->setRecipe(std::move(next), on ? tr("%1 on").arg(name) : tr("%1 off").arg(name));
    });
    connect(this, &FoldGroup::returnAsked, this, [this] {
        document_->setRecipe(withoutGroup(document_->recipe(), step_, group_, document_->automaticRecipe()),
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
    showSwitch(!now.groups.off.contains(groupKey(group_)),
               isGroupChanged(step_, group_, now, document_->automaticRecipe()));
}

} // namespace yolk::app
