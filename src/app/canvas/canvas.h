// The picture: fit, 100 %, zoom at the pointer, pan. Asks for what is visible and copies what it gets.
#pragma once

#include "canvas/drawn_shape.h"
#include "document/document.h"

#include <QWidget>

#include <optional>

namespace yolk::app {

class Canvas : public QWidget {
    Q_OBJECT
public:
    explicit Canvas(Document *document, QWidget *parent = nullptr);

    void setSurround(const QColor &colour);
    /// The next click names a place instead of dragging the picture.
    void setPicking(bool picking);
    bool isPicking() const { return picking_; }
    /// The next drag draws on the picture: with a brush of this radius in its pixels, or round an area (0). Empty: no longer.
    void setDrawing(std::optional<double> radius);
    bool isDrawing() const { return drawing_.has_value(); }
    void setShapes(const QList<DrawnShape> &shapes); ///< shown over the picture
    void showArea(const QRectF &area);               ///< at 100 %, its middle in the middle
    double zoom() const { return zoom_; } ///< device pixels per picture pixel
    bool isFitted() const { return fitted_; }
    const ViewPicture &picture() const { return picture_; }
    QPointF pictureAt(const QPointF &widgetPosition) const;
    QPointF widgetAt(const QPointF &picturePosition) const;

public Q_SLOTS:
    void fit();
    void zoomTo(double zoom); ///< keeps the middle of the canvas where it is
    void zoomIn();
    void zoomOut();

Q_SIGNALS:
    void zoomChanged();
    void picked(const QPointF &picturePosition);
    void pickingChanged(bool picking);
    void drawn(const yolk::app::DrawnShape &shape);
    void drawingChanged(bool drawing);
    void pointed(std::optional<QPointF> picturePosition); ///< empty when the pointer is off the picture

protected:
    void paintEvent(QPaintEvent *) override;
    void resizeEvent(QResizeEvent *) override;
    void mousePressEvent(QMouseEvent *event) override;
    void mouseMoveEvent(QMouseEvent *event) override;
    void mouseReleaseEvent(QMouseEvent *event) override;
    void leaveEvent(QEvent *) override;
    void wheelEvent(QWheelEvent *event) override;
    void keyPressEvent(QKeyEvent *event) override;
    void changeEvent(QEvent *event) override;

private:
    void newSet();
    void take(const ViewPicture &picture);
    void zoomAt(double zoom, const QPointF &widgetPosition);
    void panBy(const QPointF &devicePixels);
    void viewChanged();
    void request();
    QSizeF deviceSize() const { return QSizeF(size()) * devicePixelRatioF(); }
    QPointF origin() const; ///< of the picture, in whole device pixels

    Document *document_;
    QColor surround_;
    QRect area_; ///< of the reference frame that is shown
    ViewPicture picture_;  ///< the newest, of what was visible when it was asked for
    ViewPicture overview_; ///< the newest of the whole picture, for where the other does not reach
    double zoom_ = 1.0;
    QPointF centre_; ///< the picture position in the middle of the canvas
    bool fitted_ = true, picking_ = false;
    std::optional<QPointF> grab_;   ///< last position of a drag
    std::optional<double> drawing_; ///< radius of the brush, 0: round an area
    DrawnShape stroke_;             ///< what is being drawn
    QList<DrawnShape> shapes_;
};

} // namespace yolk::app
