#include "steps/tone_panel.h"

#include "steps/adjustment_group.h"
#include "steps/lights_note.h"
#include "steps/preset_group.h"

namespace yolk::app {

TonePanel::TonePanel(Document *document, PresetShelf *shelf, QWidget *parent)
    : Panel(parent), presets_(new PresetGroup(document, shelf, this)), controls_(new FieldControls(document, this)),
      lights_(new LightsNote(document, this))
{
    add(presets_);
    for (FoldGroup *group : adjustmentGroups(document, Step::Tone, *controls_, this)) {
        add(group);
        if (QWidget *shoulder = controls_->slider(QStringLiteral("tone.shoulder")); group->isAncestorOf(shoulder))
            group->addAfter(shoulder, lights_);
    }
    add(startAgainButton(document, Step::Tone, this));
    addStretch();
}

} // namespace yolk::app
