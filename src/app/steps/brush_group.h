// The brush that the next strokes are painted with.
#pragma once

#include "drawing/brush_tool.h"
#include "steps/struct_controls.h"
#include "widgets/fold_group.h"

namespace yolk::app {

class BrushGroup : public FoldGroup {
    Q_OBJECT
public:
    explicit BrushGroup(BrushTool *brush, QWidget *parent = nullptr);
    const StructControls<Stroke> &controls() const { return controls_; }

private:
    StructControls<Stroke> controls_;
};

} // namespace yolk::app
