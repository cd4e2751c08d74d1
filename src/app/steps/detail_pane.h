// A part of the picture at 100 %, pixel by pixel of the screen, for settings that a smaller view does not show.
#pragma once

#include "document/document.h"

#include <QTimer>
#include <QWidget>

namespace yolk::app {

class DetailPane : public QWidget {
    Q_OBJECT
public:
    explicit DetailPane(Document *document, QWidget *parent = nullptr);
    /// Where the pointer is on the picture; it is gone to when it rests there.
    void pointAt(std::optional<QPointF> place);
    void setPlace(const QPointF &place);
    QPointF place() const { return place_; } ///< of the picture, its middle
    const QImage &image() const { return image_; }

    QSize sizeHint() const override { return {268, 168}; }

Q_SIGNALS:
    void placeChanged(const QPointF &place);

protected:
    void paintEvent(QPaintEvent *) override;
    void showEvent(QShowEvent *) override;
    void resizeEvent(QResizeEvent *) override;
    void mousePressEvent(QMouseEvent *event) override;
    void mouseMoveEvent(QMouseEvent *event) override;
    void mouseReleaseEvent(QMouseEvent *) override;
    void keyPressEvent(QKeyEvent *event) override;

private:
    void ask();
    Document *document_;
    QTimer rest_;
    QPointF place_, next_;           ///< `next_`: where the pointer came to last
    std::optional<QPointF> grabbed_; ///< by the mouse, pane pixels
    QImage image_;
};

} // namespace yolk::app
