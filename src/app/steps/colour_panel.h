// Colour: white, strength, single hues, black and white, tints and curves, in the order in which they act.
#pragma once

#include "steps/field_controls.h"

#include <functional>

namespace yolk::app {

class CurveGroup;
class HuesGroup;
class LightsGroup;
class WhiteGroup;

class ColourPanel : public Panel {
    Q_OBJECT
public:
    explicit ColourPanel(Document *document, QWidget *parent = nullptr);
    const FieldControls &controls() const { return *controls_; }
    WhiteGroup *white() const { return white_; }
    LightsGroup *lights() const { return lights_; }
    HuesGroup *hues() const { return hues_; }
    CurveGroup *curve() const { return curve_; }
    /// Whether the picture is hatched where the control or the mark under the pointer acts.
    void setHatching(bool on);

protected:
    bool eventFilter(QObject *watched, QEvent *event) override;

private:
    void showReach(const std::function<void(Recipe &recipe, bool full)> &apply);

    Document *document_;
    QHash<QObject *, std::function<void(Recipe &recipe, bool full)>> reaches_; // sets a control to its end, or neutral
    bool hatching_ = false;
    FieldControls *controls_;
    WhiteGroup *white_;
    LightsGroup *lights_;
    HuesGroup *hues_;
    CurveGroup *curve_;
};

} // namespace yolk::app
