// Rings on the picture: what is mended, and the place that it is mended from.
#pragma once

#include "canvas/canvas_tool.h"
#include "document/document.h"

namespace yolk::app {

/// A press beside the rings mends a spot, a drag a stroke; so it does inside of them with Ctrl. Rings are dragged, and so
/// is the source of the chosen one. Where the pointer rests, or a stroke does, the canvas shows what it would come to. A press
/// on a ring of proposed dust takes it. By keys: arrows move what is chosen by Tab, Enter mends where the last handle
/// stands.
class MendTool : public CanvasTool {
    Q_OBJECT
public:
    explicit MendTool(Document *document, QObject *parent = nullptr);

    /// The middles of all spots, where Enter makes the next, and the source of the chosen one.
    QList<QPointF> handles() const override;
    QString handleName(int handle) const override;
    int gripAt(const QPointF &place, double reach) const override;
    Qt::CursorShape cursorOver(int grip) const override { return grip == kBody ? Qt::CrossCursor : Qt::SizeAllCursor; }
    bool takesModifiers() const override { return true; }
    void setModifiers(Qt::KeyboardModifiers modifiers) override { modifiers_ = modifiers; }
    void hoverAt(const std::optional<QPointF> &place) override;
    void take(int grip, const QPointF &place) override;
    void dragTo(const QPointF &place) override;
    void letGo() override;
    void step(int handle, const QPointF &by) override;
    void accept() override;
    void giveUp() override;
    void paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const override;

private:
    int nextHandle() const { return int(document_->mends()->all().size()); }
    int sourceHandle() const { return nextHandle() + 1; }
    static constexpr int kDustGrips = 1 << 20; ///< grips from here on: proposed dust
    QPointF middleOf(const DustSpot &dust) const;
    double shownRadius(double radius, const QPointF &place) const;
    QPolygonF line(const MendSpot &spot) const; ///< of the plane
    QPointF sourceOf(const MendSpot &spot) const;
    double shownRadius(const MendSpot &spot, const QPointF &place) const { return shownRadius(spot.radius, place); }
    bool isInside(const QPolygonF &line, const QPointF &place, double radius) const;
    std::vector<Point> onReference(const QPolygonF &line) const;
    void move(int handle, const MendSpot &before, const QPointF &by, const QString &gesture);

    struct Drag {
        int handle;
        QPointF from;
        MendSpot before;
        QString gesture;
    };
    Document *document_;
    std::optional<Drag> drag_;
    QPolygonF stroke_; ///< that is drawn
    std::optional<QPointF> hover_, keyPlace_;
    Qt::KeyboardModifiers modifiers_;
    int drags_ = 0;
};

} // namespace yolk::app
