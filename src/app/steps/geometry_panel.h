// The Geometry step: straight lines, verticals, the lens, the crop; and the tools that it lays over the picture.
#pragma once

#include "framing/crop_tool.h"
#include "framing/line_tool.h"
#include "framing/pull_tool.h"
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
    QPushButton *pull() const { return pull_; }
    QPushButton *level() const { return level_; }
    QPushButton *upright() const { return upright_; }
    QPushButton *lens() const { return lens_; }
    const std::vector<SceneLine> &lines() const { return lines_; } ///< that were drawn in this sitting
    CanvasTool *tool() const;                                      ///< what lies over the picture in this step
    void useTools();                                               ///< the crop's frame again

public Q_SLOTS:
    void takeLine(const QPointF &from, const QPointF &to); ///< pixels of the reference frame

Q_SIGNALS:
    void toolChanged();
    void linesChanged();
    void linesMoved(); ///< of the picture: a grid shows how they lie

private:
    void chooseTool(QPushButton *button, bool on);
    void chooseLens();
    void refresh();
    Document *document_;
    FieldControls *controls_;
    CropTool *crop_;
    LineTool *line_;
    PullTool *pulls_;
    QPushButton *rule_, *pull_, *level_, *upright_, *forget_, *lens_, *turnShape_, *all_;
    ChoiceRow *shape_;
    QLabel *facts_, *lensName_;
    std::vector<SceneLine> lines_;
    GeometrySettings seen_; // by which lines lie
};

} // namespace yolk::app
