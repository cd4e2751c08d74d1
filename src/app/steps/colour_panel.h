// Colour: white, strength, single hues, black and white, tints and curves, in the order in which they act.
#pragma once

#include "steps/field_controls.h"

namespace yolk::app {

class CurveGroup;
class HuesGroup;
class WhiteGroup;

class ColourPanel : public Panel {
    Q_OBJECT
public:
    explicit ColourPanel(Document *document, QWidget *parent = nullptr);
    const FieldControls &controls() const { return *controls_; }
    WhiteGroup *white() const { return white_; }
    HuesGroup *hues() const { return hues_; }
    CurveGroup *curve() const { return curve_; }

private:
    FieldControls *controls_;
    WhiteGroup *white_;
    HuesGroup *hues_;
    CurveGroup *curve_;
};

} // namespace yolk::app
