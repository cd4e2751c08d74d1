// The handles of a gradient or an oval on the picture.
#pragma once

#include "canvas/canvas_tool.h"
#include "document/document.h"

namespace yolk::app {

/// Of the chosen shape of the chosen area: a gradient has its two edges and its middle, an oval its middle and two radii.
class ShapeTool : public CanvasTool {
    Q_OBJECT
public:
    explicit ShapeTool(Document *document, QObject *parent = nullptr);

    QList<QPointF> handles() const override;
    QString handleName(int handle) const override;
    void take(int grip, const QPointF &place) override;
    void dragTo(const QPointF &place) override;
    void letGo() override;
    void step(int handle, const QPointF &by) override;
    void giveUp() override;
    void paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const override;

private:
    const AreaShape *shape() const; ///< null: none with handles
    void moveTo(int handle, const QPointF &place, const QString &gesture);

    struct Drag {
        int handle;
        QPointF offset;
        Area before;
        QString gesture;
    };
    Document *document_;
    std::optional<Drag> drag_;
    int drags_ = 0;
};

} // namespace yolk::app
