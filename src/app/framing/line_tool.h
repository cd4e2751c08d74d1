// Draws a line along something that should be level or upright.
#pragma once

#include "canvas/canvas_tool.h"
#include "document/document.h"

namespace yolk::app {

/// By a drag, which takes the line when it ends; or by keys, which move the ends of one that lies there until Enter.
class LineTool : public CanvasTool {
    Q_OBJECT
public:
    explicit LineTool(Document *document, QObject *parent = nullptr);

    void begin(); ///< a line across the middle, for the keys
    bool showsPlane() const override { return true; }
    QList<QPointF> handles() const override;
    QString handleName(int handle) const override;
    int gripAt(const QPointF &place, double reach) const override;
    Qt::CursorShape cursorOver(int) const override { return Qt::CrossCursor; }
    void take(int grip, const QPointF &place) override;
    void dragTo(const QPointF &place) override;
    void letGo() override;
    void step(int handle, const QPointF &by) override;
    void accept() override;
    void giveUp() override { Q_EMIT finished(); }
    void paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const override;

Q_SIGNALS:
    void drawn(const QPointF &from, const QPointF &to); ///< pixels of the reference frame
    void finished();

private:
    Document *document_;
    QPointF from_, to_;
    bool byKeys_ = false, drawing_ = false; ///< the line of the keys was moved; one is being dragged
};

} // namespace yolk::app
