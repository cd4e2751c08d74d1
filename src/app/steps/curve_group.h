// Curves through points: of luminance and of each channel.
#pragma once

#include "adjust/light_curve.h"
#include "steps/adjustment_group.h"

class QPushButton;

namespace yolk::app {

class ChoiceRow;
class CurveEditor;

class CurveGroup : public AdjustmentGroup {
    Q_OBJECT
public:
    explicit CurveGroup(Document *document, QWidget *parent = nullptr);
    CurveEditor *editor() const { return editor_; }
    ChoiceRow *channel() const { return channel_; }
    QPushButton *pick() const { return pick_; }
    PointList CurveSettings::*member() const; ///< the curve that is shown

Q_SIGNALS:
    void pickAsked(bool on); ///< the next click on the picture sets a point at its light

private:
    void set(PointList points, const QString &gesture);
    void addPoint(double code);
    void refreshCurve();

    ChoiceRow *channel_;
    CurveEditor *editor_;
    QPushButton *pick_;
};

} // namespace yolk::app
