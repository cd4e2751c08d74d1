// The Geometry step: straight lines, verticals, the lens, the crop.
#pragma once

#include "steps/field_controls.h"

class QLabel;
class QPushButton;

namespace yolk::app {

class GeometryPanel : public Panel {
    Q_OBJECT
public:
    explicit GeometryPanel(Document *document, QWidget *parent = nullptr);
    FieldControls *controls() const { return controls_; }
    ChoiceRow *shape() const { return shape_; }
    QPushButton *rule() const { return rule_; }
    QPushButton *level() const { return level_; }
    QPushButton *upright() const { return upright_; }
    const std::vector<SceneLine> &lines() const { return lines_; } ///< that were drawn in this sitting

public Q_SLOTS:
    void takeLine(const QPointF &from, const QPointF &to); ///< pixels of the reference frame
    void setRuling(bool on);                               ///< shows it; emits nothing

Q_SIGNALS:
    void rulingAsked(bool on);
    void linesChanged();

private:
    void crop(int shape, bool upright);
    void refresh();
    Document *document_;
    FieldControls *controls_;
    QPushButton *rule_, *level_, *upright_, *forget_;
    ChoiceRow *shape_;
    QPushButton *turnShape_;
    QLabel *facts_;
    std::vector<SceneLine> lines_;
};

} // namespace yolk::app
