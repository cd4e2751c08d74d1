// The frame of the crop on the canvas: its sides and corners are dragged, all of it is moved, what it leaves out is dimmed.
#pragma once

#include "canvas/canvas_tool.h"
#include "document/document.h"
#include "geometry/crop_shape.h"

namespace yolk::app {

class CropTool : public CanvasTool {
    Q_OBJECT
public:
    explicit CropTool(Document *document, QObject *parent = nullptr);

    bool showsPlane() const override { return true; }
    QList<QPointF> handles() const override;
    QString handleName(int handle) const override;
    int gripAt(const QPointF &place, double reach) const override;
    Qt::CursorShape cursorOver(int grip) const override;
    void take(int grip, const QPointF &place) override;
    void dragTo(const QPointF &place) override;
    void letGo() override;
    void step(int handle, const QPointF &by) override;
    void giveUp() override; ///< puts back what is being dragged
    void paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const override;

private:
    void move(CropGrip grip, const RealRect &from, const GeometrySettings &settings, Point by, const QString &gesture);
    Document *document_;
    struct Drag {
        CropGrip grip;
        QPointF at;
        RealRect from;
        GeometrySettings settings;
        QString gesture;
    };
    std::optional<Drag> drag_;
    int drags_ = 0;
};

/// "4000 × 3000 pixels, 75 % of the picture; 33.9 × 25.4 cm in print at 300 per inch."
QString cropFacts(const Document &document);

} // namespace yolk::app
