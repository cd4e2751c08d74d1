// Finish: noise, haze, sharpness, and seasoning.
#pragma once

#include "steps/field_controls.h"

class QLabel;

namespace yolk::app {

class DetailPane;

class FinishPanel : public Panel {
    Q_OBJECT
public:
    explicit FinishPanel(Document *document, QWidget *parent = nullptr);
    const FieldControls &controls() const { return *controls_; }
    DetailPane *detail() const { return detail_; }
    QString focusedSetting() const; ///< its path; empty: none has the focus
    /// Of the view, pixels of the window to one of the picture: below 1 the panel shows a part at 1 beside it; below half
    /// the finest detail shows nowhere else, and the panel says so.
    void setZoom(double zoom);
    QString note() const; ///< empty: nothing to say
    /// Whether a setting works on single pixels, which small pictures do not show.
    static bool isFine(const QString &path);

Q_SIGNALS:
    void settingFocused(const QString &path);

private:
    void refresh();
    Document *document_;
    FieldControls *controls_;
    DetailPane *detail_;
    QLabel *note_;
    double zoom_ = 1.0;
};

} // namespace yolk::app
