// Two lights of one picture: what is white under daylight, what is white under the lamp, and how far the lamp is brought to
// the other where it falls.
#pragma once

#include "steps/adjustment_group.h"

class QPushButton;

namespace yolk::app {

class LightsGroup : public AdjustmentGroup {
    Q_OBJECT
public:
    explicit LightsGroup(Document *document, QWidget *parent = nullptr);
    QPushButton *pickDay() const { return day_; }
    QPushButton *pickLamp() const { return lamp_; }
    QPushButton *where() const { return where_; }

Q_SIGNALS:
    void dayAsked(bool on); ///< the next click on the picture names something white under daylight
    void lampAsked(bool on);

private:
    void refreshLights();
    QPushButton *day_, *lamp_, *where_;
};

} // namespace yolk::app
