// Paints an area, stroke by stroke.
#pragma once

#include "canvas/canvas_tool.h"
#include "document/document.h"

#include <QElapsedTimer>

namespace yolk::app {

/// Of the chosen area's chosen shape. With Shift a press goes on straight from the end of the stroke before; with Ctrl it
/// erases. By keys: arrows move the brush, Enter sets it down and lifts it again.
class BrushTool : public CanvasTool {
    Q_OBJECT
public:
    explicit BrushTool(Document *document, QObject *parent = nullptr);

    const Stroke &brush() const { return brush_; } ///< how the next strokes are painted; has no points
    void setBrush(Stroke brush);
    bool isPainting() const { return stroke_.has_value(); }

    QList<QPointF> handles() const override;
    QString handleName(int) const override { return tr("Brush"); }
    int gripAt(const QPointF &, double) const override { return kBody; }
    Qt::CursorShape cursorOver(int) const override { return Qt::BlankCursor; }
    bool takesModifiers() const override { return true; }
    void setModifiers(Qt::KeyboardModifiers modifiers) override { modifiers_ = modifiers; }
    void setPressure(double pressure) override { pressure_ = pressure; }
    void hoverAt(const std::optional<QPointF> &place) override;
    void take(int grip, const QPointF &place) override;
    void dragTo(const QPointF &place) override;
    void letGo() override;
    void step(int handle, const QPointF &by) override;
    void accept() override;
    void giveUp() override;
    void paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const override;

Q_SIGNALS:
    void brushChanged();

private:
    struct Painting {
        Area before;
        std::vector<Point> points; ///< of the frame
        std::vector<double> pressures;
        QPolygonF seen; ///< of the plane
        bool erases;
        QString gesture;
    };
    void begin(const QPointF &place);
    void add(const QPointF &place);
    void finish();
    void show();                ///< what is painted so far, as a setting
    double shownRadius() const; ///< pixels of the plane

    Document *document_;
    Stroke brush_;
    std::optional<Painting> stroke_;
    std::optional<QPointF> hover_, keyPlace_, last_; ///< last_: where the stroke before ended
    Qt::KeyboardModifiers modifiers_;
    double pressure_ = 1.0;
    int strokes_ = 0;
};

} // namespace yolk::app
