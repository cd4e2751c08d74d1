// Finish: noise, haze, sharpness, and seasoning.
#pragma once

#include "steps/field_controls.h"

namespace yolk::app {

class FinishPanel : public Panel {
    Q_OBJECT
public:
    explicit FinishPanel(Document *document, QWidget *parent = nullptr);
    const FieldControls &controls() const { return *controls_; }

private:
    FieldControls *controls_;
};

} // namespace yolk::app
