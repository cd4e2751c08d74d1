// The picture: fit, fill, zoom at the pointer, pan, and what it is held against. Asks for what is visible and copies
// what it gets.
#pragma once

#include "canvas/canvas_tool.h"
#include "canvas/drawn_shape.h"
#include "canvas/guides.h"
#include "canvas/split_divider.h"
#include "canvas/viewport.h"
#include "document/document.h"

#include <QTimer>
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
    /// The next drag draws on the picture: with a brush of this radius in its pixels, or round an area (0). Empty: no
    /// longer.
    void setDrawing(std::optional<double> radius);
    bool isDrawing() const { return drawing_.has_value(); }
    /// Lies over the picture until another one comes; null: none. It must outlive that.
    void setTool(CanvasTool *tool);
    CanvasTool *tool() const { return tool_; }
    int chosenHandle() const { return chosen_; } ///< of the tool, that keys move; CanvasTool::kNothing: none
    void chooseHandle(int handle);
    void giveUp();                                   ///< what was to be picked, drawn or moved next
    void showGridBriefly();                          ///< while the picture's lines are moved
    void setShapes(const QList<DrawnShape> &shapes); ///< shown over the picture; pixels of the reference frame
    void showArea(const QRectF &area);               ///< at 100 %, its middle in the middle
    void setGuides(Guides guides);
    Guides guides() const { return guides_; }
    void setLoupe(bool on);
    bool hasLoupe() const { return loupe_; }
    void turnDivider(double degrees);
    void moveDivider(double share);
    const SplitDivider &divider() const { return divider_; }

    double zoom() const { return viewport_.zoom; } ///< device pixels per picture pixel
    bool isFitted() const { return fitting_ == Fitting::Whole; }
    const ViewPicture &picture() const { return picture_; }
    QPointF pictureAt(const QPointF &widgetPosition) const;
    QPointF widgetAt(const QPointF &picturePosition) const;     ///< in the first pane
    std::optional<QPointF> pointer() const { return pointer_; } ///< picture position; empty when it is off the picture
    QStringList labels() const;                                 ///< what is said to be where
    bool showsOverview() const;                                 ///< as the inset, or where the view does not reach
    QRectF overviewBox() const; ///< of the inset, widget pixels; empty while all of the picture is in view

public Q_SLOTS:
    void fit();
    void fill();
    void zoomTo(double zoom); ///< keeps the middle of the canvas where it is
    void zoomIn();
    void zoomOut();

Q_SIGNALS:
    void zoomChanged();
    void picked(const QPointF &referencePosition);
    void pickingChanged(bool picking);
    void
    drawn(const yolk::app::DrawnShape &shape); ///< pixels of the reference frame, as all places that are handed out
    void drawingChanged(bool drawing);
    void pointed(std::optional<QPointF> referencePosition); ///< empty when the pointer is off the picture
    void pinAsked(const QPointF &referencePosition);
    void handleChosen(const QString &name); ///< of the tool; empty: none

protected:
    void paintEvent(QPaintEvent *) override;
    void resizeEvent(QResizeEvent *) override;
    void mousePressEvent(QMouseEvent *event) override;
    void mouseMoveEvent(QMouseEvent *event) override;
    void mouseReleaseEvent(QMouseEvent *event) override;
    void tabletEvent(QTabletEvent *event) override;
    void leaveEvent(QEvent *) override;
    void wheelEvent(QWheelEvent *event) override;
    void keyPressEvent(QKeyEvent *event) override;
    void changeEvent(QEvent *event) override;
    bool focusNextPrevChild(bool next) override;

private:
    static constexpr double kLoupeSide = 210.0; ///< logical pixels
    enum class Fitting { Free, Whole, Fill };   ///< whether the zoom follows the size of the canvas
    QRect shownArea() const;                    ///< of the plane
    double toolReach() const;                   ///< pixels of the plane round a handle
    bool moveByKey(QKeyEvent *event);
    void refreshCursor();
    void newSet();
    void newArea();
    void take(const ViewPicture &picture);
    void compareAnew();
    void fitAs(Fitting fitting);
    void place(Fitting fitting);
    void zoomAt(double zoom, const QPointF &widgetPosition);
    void panBy(const QPointF &devicePixels);
    void viewChanged();
    void askForView();
    void lookCloser();
    double loupeZoom() const;
    void showUnder(const QPointF &widgetPosition);
    void chooseCursor(const QPointF &widgetPosition);
    void centreByOverview(const QPointF &widgetPosition);

    bool isSplit() const;
    bool isBeside() const;
    QSizeF deviceSize() const { return QSizeF(size()) * devicePixelRatioF(); }
    QSizeF paneSize() const;                 ///< device pixels
    QPointF paneCorner(int pane) const;      ///< device pixels
    int paneAt(const QPointF &device) const; ///< 0 but for the right one of two

    void paintSide(QPainter &painter, const QImage &image, bool own) const;
    void paintOver(QPainter &painter) const;
    void paintPins(QPainter &painter) const;
    void paintLabels(QPainter &painter) const;
    bool isBeyondView() const; ///< something of the picture is in sight that the view does not hold
    void paintOverview(QPainter &painter) const;
    void paintLoupe(QPainter &painter) const;

    Document *document_;
    QColor surround_;
    QRect area_;          ///< of the picture's plane that is shown
    ViewPicture picture_; ///< the newest, of what was visible when it was asked for
    Viewport viewport_;
    Fitting fitting_ = Fitting::Whole;
    Guides guides_ = Guides::None;
    SplitDivider divider_;
    SplitDivider::Grip grip_ = SplitDivider::Grip::None;
    bool picking_ = false, loupe_ = false, draggingOverview_ = false;
    ViewPicture closer_;               ///< under the loupe
    std::optional<QPointF> pointer_;   ///< picture position
    std::optional<QPointF> pointerAt_; ///< widget pixels; empty when it is elsewhere
    std::optional<QPointF> grab_;      ///< last position of a drag
    std::optional<double> drawing_;    ///< radius of the brush, 0: round an area
    DrawnShape stroke_;                ///< what is being drawn
    QList<DrawnShape> shapes_;
    CanvasTool *tool_ = nullptr;
    int chosen_ = CanvasTool::kNothing, held_ = CanvasTool::kNothing; ///< handles of the tool: for keys, by the pointer
    QTimer gridTimer_;
};

} // namespace yolk::app
