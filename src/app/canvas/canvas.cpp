#include "canvas/canvas.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>
#include <cmath>
#include <utility>

namespace yolk::app {
namespace {

constexpr double kMargin = 14.0; // logical pixels round a fitted picture
constexpr double kLeastZoom = 0.05, kMostZoom = 16.0;
constexpr double kCrispFrom = 2.0; // pixels show as squares from here on
constexpr double kWheelStep = 1.2;

} // namespace

Canvas::Canvas(Document *document, QWidget *parent) : QWidget(parent), document_(document)
{
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setAttribute(Qt::WA_OpaquePaintEvent);
    setAccessibleName(tr("Picture"));
    setAccessibleDescription(tr("The merged picture. Plus and minus zoom, arrow keys pan."));
    setMinimumSize(320, 200);
    connect(document, &Document::setChanged, this, &Canvas::newSet);
    connect(document, &Document::viewReady, this, &Canvas::take);
    connect(document, &Document::bracketChanged, this, [this] {
        if (document_->pictureArea() != area_) // another reference frame, another crop
            newSet();
    });
}

void Canvas::setSurround(const QColor &colour)
{
    surround_ = colour;
    update();
}

void Canvas::setPicking(bool picking)
{
    if (picking == picking_)
        return;
    picking_ = picking;
    if (picking)
        setCursor(Qt::CrossCursor);
    else
        unsetCursor();
    Q_EMIT pickingChanged(picking);
}

void Canvas::setDrawing(std::optional<double> radius)
{
    const bool changed = radius.has_value() != drawing_.has_value();
    drawing_ = radius;
    stroke_ = {};
    if (radius)
        setCursor(Qt::CrossCursor);
    else
        unsetCursor();
    update();
    if (changed)
        Q_EMIT drawingChanged(isDrawing());
}

void Canvas::setShapes(const QList<DrawnShape> &shapes)
{
    shapes_ = shapes;
    update();
}

void Canvas::showArea(const QRectF &area)
{
    fitted_ = false;
    zoom_ = 1.0;
    centre_ = area.center();
    viewChanged();
}

void Canvas::newSet()
{
    area_ = document_->pictureArea();
    picture_ = overview_ = {};
    fit();
}

void Canvas::take(const ViewPicture &picture)
{
    picture_ = picture;
    if (picture.region.contains(QRectF(area_).adjusted(1, 1, -1, -1)))
        overview_ = picture;
    update();
}

QPointF Canvas::origin() const
{
    const QPointF o(deviceSize().width() / 2 - centre_.x() * zoom_, deviceSize().height() / 2 - centre_.y() * zoom_);
    return {std::round(o.x()), std::round(o.y())}; // whole pixels, so that a rendered view is copied, not resampled
}

QPointF Canvas::pictureAt(const QPointF &p) const
{
    return (p * devicePixelRatioF() - origin()) / zoom_;
}

QPointF Canvas::widgetAt(const QPointF &p) const
{
    return (p * zoom_ + origin()) / devicePixelRatioF();
}

void Canvas::fit()
{
    fitted_ = true;
    if (!area_.isEmpty()) {
        const QSizeF room = (QSizeF(size()) - QSizeF(2 * kMargin, 2 * kMargin)) * devicePixelRatioF();
        zoom_ = std::clamp(std::min(room.width() / area_.width(), room.height() / area_.height()), 1e-3, kMostZoom);
        centre_ = QRectF(area_).center();
    }
    viewChanged();
}

void Canvas::zoomTo(double zoom)
{
    zoomAt(zoom, QPointF(width() / 2.0, height() / 2.0));
}

void Canvas::zoomIn()
{
    zoomTo(zoom_ * kWheelStep);
}

void Canvas::zoomOut()
{
    zoomTo(zoom_ / kWheelStep);
}

void Canvas::zoomAt(double zoom, const QPointF &widgetPosition)
{
    if (area_.isEmpty())
        return;
    const QPointF fixed = pictureAt(widgetPosition);
    const QPointF middle(deviceSize().width() / 2, deviceSize().height() / 2);
    zoom_ = std::clamp(zoom, kLeastZoom, kMostZoom);
    if (std::abs(zoom_ - 1.0) < 0.02)
        zoom_ = 1.0; // true pixels are easy to hit
    centre_ = fixed + (middle - widgetPosition * devicePixelRatioF()) / zoom_;
    fitted_ = false;
    viewChanged();
}

void Canvas::panBy(const QPointF &devicePixels)
{
    if (area_.isEmpty())
        return;
    fitted_ = false;
    centre_ -= devicePixels / zoom_;
    viewChanged();
}

void Canvas::viewChanged()
{
    // Some of the picture stays in view, whatever is dragged.
    const QRectF area(area_);
    centre_.setX(std::clamp(centre_.x(), area.left(), area.right()));
    centre_.setY(std::clamp(centre_.y(), area.top(), area.bottom()));
    request();
    update();
    Q_EMIT zoomChanged();
}

void Canvas::request()
{
    if (area_.isEmpty())
        return;
    const QPointF o = origin();
    // Visible device pixels of the picture, and with them the part of the picture.
    const QRectF area(area_);
    const double x0 = std::max(0.0, std::round(o.x() + area.left() * zoom_));
    const double y0 = std::max(0.0, std::round(o.y() + area.top() * zoom_));
    const double x1 = std::min(deviceSize().width(), std::round(o.x() + area.right() * zoom_));
    const double y1 = std::min(deviceSize().height(), std::round(o.y() + area.bottom() * zoom_));
    if (x1 <= x0 || y1 <= y0)
        return;
    QRectF region(QPointF((x0 - o.x()) / zoom_, (y0 - o.y()) / zoom_),
                  QPointF((x1 - o.x()) / zoom_, (y1 - o.y()) / zoom_));
    QSize size(int(x1 - x0), int(y1 - y0));
    if (zoom_ > 1.0) { // the picture's own pixels, enlarged when painting
        region = QRectF(QPointF(std::floor(region.left()), std::floor(region.top())),
                        QPointF(std::ceil(region.right() - 1e-6), std::ceil(region.bottom() - 1e-6)))
                     .intersected(area);
        size = region.size().toSize();
    }
    document_->requestView({region, size});
}

void Canvas::paintEvent(QPaintEvent *)
{
    QPainter painter(this);
    painter.fillRect(rect(), surround_);
    painter.scale(1.0 / devicePixelRatioF(), 1.0 / devicePixelRatioF());
    const auto draw = [&](const ViewPicture &picture) {
        if (picture.image.isNull())
            return;
        const QRectF target(picture.region.topLeft() * zoom_ + origin(), picture.region.size() * zoom_);
        const QSizeF size = picture.image.size();
        const bool copied =
            std::abs(target.width() - size.width()) < 0.51 && std::abs(target.height() - size.height()) < 0.51;
        if (copied)
            painter.drawImage(QPointF(std::round(target.x()), std::round(target.y())), picture.image);
        else { // between two zooms, and enlarged
            painter.setRenderHint(QPainter::SmoothPixmapTransform, zoom_ > 1.0 && zoom_ < kCrispFrom);
            painter.drawImage(target, picture.image);
        }
    };
    const QRectF whole(QRectF(area_).topLeft() * zoom_ + origin(), QSizeF(area_.size()) * zoom_);
    painter.setClipRect(whole);
    if (!(picture_.region.contains(overview_.region)))
        draw(overview_);
    draw(picture_);
    painter.setClipping(false);
    const QTransform toDevice(zoom_, 0, 0, zoom_, origin().x(), origin().y());
    for (const DrawnShape &shape : shapes_)
        paintShape(painter, shape, toDevice);
    paintShape(painter, stroke_, toDevice);
}

void Canvas::resizeEvent(QResizeEvent *)
{
    if (fitted_)
        fit();
    else
        viewChanged();
}

void Canvas::mousePressEvent(QMouseEvent *event)
{
    if (event->button() != Qt::LeftButton && event->button() != Qt::MiddleButton)
        return;
    if (picking_ && event->button() == Qt::LeftButton) {
        const QPointF at = pictureAt(event->position());
        setPicking(false);
        if (QRectF(area_).contains(at))
            Q_EMIT picked(at);
        return;
    }
    if (drawing_ && event->button() == Qt::LeftButton) {
        stroke_ = {QPolygonF{pictureAt(event->position())}, *drawing_, true};
        return update();
    }
    grab_ = event->position();
    setCursor(Qt::ClosedHandCursor);
}

void Canvas::mouseMoveEvent(QMouseEvent *event)
{
    if (grab_) {
        panBy((event->position() - *grab_) * devicePixelRatioF());
        grab_ = event->position();
    }
    const QPointF at = pictureAt(event->position());
    if (!stroke_.points.isEmpty()) {
        stroke_.points << at;
        update();
    }
    const bool onPicture = QRectF(area_).contains(at);
    Q_EMIT pointed(onPicture ? std::optional(at) : std::nullopt);
}

void Canvas::mouseReleaseEvent(QMouseEvent *event)
{
    if (!stroke_.points.isEmpty() && event->button() == Qt::LeftButton) {
        const DrawnShape done = std::exchange(stroke_, {});
        setDrawing(std::nullopt);
        if (done.radius > 0.0 || done.points.size() > 2) // a click goes round nothing
            Q_EMIT drawn(done);
        return;
    }
    grab_.reset();
    if (picking_ || drawing_)
        setCursor(Qt::CrossCursor);
    else
        unsetCursor();
}

void Canvas::leaveEvent(QEvent *)
{
    Q_EMIT pointed(std::nullopt);
}

void Canvas::wheelEvent(QWheelEvent *event)
{
    zoomAt(zoom_ * std::pow(kWheelStep, event->angleDelta().y() / 120.0), event->position());
}

void Canvas::keyPressEvent(QKeyEvent *event)
{
    const double step = 64.0 * devicePixelRatioF();
    switch (event->key()) {
    case Qt::Key_Left:
        return panBy({step, 0});
    case Qt::Key_Right:
        return panBy({-step, 0});
    case Qt::Key_Up:
        return panBy({0, step});
    case Qt::Key_Down:
        return panBy({0, -step});
    case Qt::Key_Plus:
    case Qt::Key_Equal:
        return zoomIn();
    case Qt::Key_Minus:
        return zoomOut();
    default:
        QWidget::keyPressEvent(event);
    }
}

void Canvas::changeEvent(QEvent *event)
{
    QWidget::changeEvent(event);
    if (event->type() == QEvent::PaletteChange)
        update();
}

} // namespace yolk::app
