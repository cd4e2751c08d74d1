// Finish: noise, haze, sharpness, and seasoning.
#pragma once

#include "steps/field_controls.h"

class QLabel;

namespace yolk::app {

class FinishPanel : public Panel {
    Q_OBJECT
public:
    explicit FinishPanel(Document *document, QWidget *parent = nullptr);
    const FieldControls &controls() const { return *controls_; }
    /// Of the view, pixels of the window to one of the picture: below half of it the finest detail does not show, and the
    /// panel says so.
    void setZoom(double zoom);
    QString note() const; ///< empty: nothing to say

private:
    void refresh();
    Document *document_;
    FieldControls *controls_;
    QLabel *note_;
    double zoom_ = 1.0;
};

} // namespace yolk::app
