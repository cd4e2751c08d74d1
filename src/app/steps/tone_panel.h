// Tone: from radiance to a picture. Every control comes from a row of the core's tables.
#pragma once

#include "steps/field_controls.h"

namespace yolk::app {

class LightsNote;
class PresetGroup;
class PresetShelf;

class TonePanel : public Panel {
    Q_OBJECT
public:
    TonePanel(Document *document, PresetShelf *shelf, QWidget *parent = nullptr);
    const FieldControls &controls() const { return *controls_; }
    ChoiceRow *method() const { return controls_->choice(QStringLiteral("tone.method")); }
    PresetGroup *presets() const { return presets_; }
    LightsNote *lights() const { return lights_; }

private:
    PresetGroup *presets_;
    FieldControls *controls_;
    LightsNote *lights_;
};

} // namespace yolk::app
