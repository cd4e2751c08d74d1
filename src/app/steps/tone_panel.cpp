#include "steps/tone_panel.h"

#include "steps/adjustment_group.h"
#include "steps/lights_note.h"
#include "steps/preset_group.h"

#include <QPushButton>

namespace yolk::app {

TonePanel::TonePanel(Document *document, PresetShelf *shelf, QWidget *parent)
    : Panel(parent), presets_(new PresetGroup(document, shelf, this)), controls_(new FieldControls(document, this)),
      lights_(new LightsNote(document, this))
{
    add(presets_);
    QHash<QString, FoldGroup *> groups;
    forEachSection([&](const auto &section) {
        if (section.step != Step::Tone || section.inPresets == InPresets::No)
            return;
        forEachField(*section.fields, [&](const auto &field) {
            QWidget *control = controls_->make(section, field);
            if constexpr (requires { field.group; }) {
                FoldGroup *&group = groups[words(field.group)];
                if (!group)
                    add(group = new AdjustmentGroup(document, Step::Tone, field.group, this));
                if (control)
                    group->add(control);
                if (control && control == controls_->slider(QStringLiteral("tone.shoulder")))
                    group->add(lights_);
            }
        });
    });
    auto *again = new QPushButton(tr("Start again"), this);
    again->setToolTip(tr("Returns all settings of this step to the automatic start."));
    connect(again, &QPushButton::clicked, document, [document] { document->startAgain(Step::Tone); });
    add(again);
    addStretch();
}

} // namespace yolk::app
