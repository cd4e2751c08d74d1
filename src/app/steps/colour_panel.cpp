#include "steps/colour_panel.h"

#include "steps/curve_group.h"
#include "steps/hues_group.h"
#include "steps/white_group.h"

#include <QPushButton>

namespace yolk::app {

ColourPanel::ColourPanel(Document *document, QWidget *parent)
    : Panel(parent), controls_(new FieldControls(document, this)), white_(new WhiteGroup(document, this)),
      hues_(new HuesGroup(document, this)), curve_(new CurveGroup(document, this))
{
    add(white_);
    QHash<QString, FoldGroup *> groups{{words("Hues"), hues_}, {words("Curve"), curve_}};
    QList<FoldGroup *> placed;
    forEachSection([&](const auto &section) {
        if (section.step != Step::Colour)
            return;
        forEachField(*section.fields, [&](const auto &field) {
            if constexpr (requires { field.group; }) {
                FoldGroup *&group = groups[words(field.group)];
                if (!group)
                    group = new AdjustmentGroup(document, Step::Colour, field.group, this);
                if (!placed.contains(group)) {
                    add(group);
                    placed << group;
                }
                if constexpr (requires { field.name; }) {
                    if (QWidget *control = controls_->make(section, field))
                        group->add(control);
                }
            }
        });
    });
    auto *again = new QPushButton(tr("Start again"), this);
    again->setToolTip(tr("Returns all settings of this step to the automatic start."));
    connect(again, &QPushButton::clicked, document, [document] { document->startAgain(Step::Colour); });
    add(again);
    addStretch();
}

} // namespace yolk::app
