// Verticals and horizontals by hand: four eggs hold the picture near its corners, and what is pulled comes along.
#pragma once

#include "canvas/canvas_tool.h"
#include "document/document.h"

namespace yolk::app {

class PullTool : public CanvasTool {
    Q_OBJECT
public:
    explicit PullTool(Document *document, QObject *parent = nullptr);

    bool showsPlane() const override { return true; }
    bool showsGrid() const override { return true; }
    QList<QPointF> handles() const override;
    QString handleName(int handle) const override;
    void take(int grip, const QPointF &place) override;
    void dragTo(const QPointF &place) override;
    void letGo() override;
    void step(int handle, const QPointF &by) override;
    void accept() override { Q_EMIT finished(); }
    void giveUp() override; ///< puts back what is being pulled, or ends
    void paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const override;

Q_SIGNALS:
    void finished();

private:
    struct Drag {
        int handle;
        QPointF offset; // of the pointer from the egg
        QPointF scene;  // pixels of the reference frame that it holds
        QPointF egg;    // where it is
        GeometrySettings settings;
        QString gesture;
    };
    void pull(const Drag &drag, const QPointF &to);
    Document *document_;
    std::optional<Drag> drag_;
    int drags_ = 0;
};

} // namespace yolk::app
