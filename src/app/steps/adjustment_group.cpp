#include "steps/adjustment_group.h"

#include "steps/field_controls.h"
#include "widgets/words.h"

#include <QPushButton>

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

QList<FoldGroup *> adjustmentGroups(Document *document, Step step, FieldControls &controls, QWidget *parent)
{
    QList<FoldGroup *> out;
    QHash<QString, FoldGroup *> groups;
    forEachSection([&](const auto &section) {
        if (section.step != step || section.stage == Stage::None)
            return;
        forEachField(*section.fields, [&](const auto &field) {
            if constexpr (requires { field.group; }) {
                FoldGroup *&group = groups[words(field.group)];
                if (!group)
                    out << (group = new AdjustmentGroup(document, step, field.group, parent));
                if constexpr (requires { field.name; })
                    if (QWidget *control = controls.make(section, field))
                        group->add(control);
            }
        });
    });
    return out;
}

QWidget *startAgainButton(Document *document, Step step, QWidget *parent)
{
    auto *again = new QPushButton(AdjustmentGroup::tr("Start again"), parent);
    again->setToolTip(AdjustmentGroup::tr("Returns all settings of this step to the automatic start."));
    QObject::connect(again, &QPushButton::clicked, document, [document, step] { document->startAgain(step); });
    return again;
}

} // namespace yolk::app
