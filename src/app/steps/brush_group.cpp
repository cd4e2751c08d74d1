#include "steps/brush_group.h"

namespace yolk::app {

BrushGroup::BrushGroup(BrushTool *brush, QWidget *parent)
    : FoldGroup(tr("Brush"), parent),
      controls_(this, [brush](const StructControls<Stroke>::Edit &edit, const QString &, const QString &) {
          Stroke next = brush->brush();
          edit(next);
          brush->setBrush(next);
      })
{
    constexpr double kWidest = 1000.0; // pixels; wider ones are painted with less care
    forEachField(kStrokeFields, [&](const auto &field) {
        if (QWidget *control = controls_.make(field, kWidest))
            add(control);
    });
    controls_.control(QStringLiteral("erases"))
        ->setToolTip(tr("The next strokes take away; or hold Ctrl while painting."));
    connect(brush, &BrushTool::brushChanged, this, [this, brush] { controls_.show(brush->brush()); });
    controls_.show(brush->brush());
}

} // namespace yolk::app
