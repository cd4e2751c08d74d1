#include "canvas/canvas.h"

#include <QEvent>

#include <algorithm>
#include <cmath>
#include <utility>

namespace yolk::app {
namespace {

constexpr double kMargin = 14.0; // logical pixels round a fitted picture
constexpr double kBetween = 6.0; // of two panes
constexpr double kWheelStep = 1.2;
constexpr double kAhead = 96.0; // logical pixels round the pane that are there before a pan

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
    connect(document, &Document::areaChanged, this, [this] {
        if (shownArea() != area_) // another reference frame, another crop
            newArea();
    });
    connect(document, &Document::loupeReady, this, [this](const ViewPicture &closer) {
        closer_ = closer;
        update();
    });
    const auto repaint = qOverload<>(&QWidget::update);
    gridTimer_.setSingleShot(true);
    connect(&gridTimer_, &QTimer::timeout, this, repaint);
    connect(document, &Document::summaryChanged, this, [this] {
        if (showsOverview())
            update();
    });
    connect(document, &Document::readingsChanged, this, repaint);
    connect(document, &Document::lookChanged, this, repaint);
    connect(document->comparison(), &Comparison::changed, this, &Canvas::compareAnew);
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
    refreshCursor();
    Q_EMIT pickingChanged(picking);
}

void Canvas::setDrawing(std::optional<double> radius)
{
    if (!radius && !drawing_)
        return;
    const bool changed = radius.has_value() != drawing_.has_value();
    drawing_ = radius;
    stroke_ = {};
    refreshCursor();
    update();
    if (changed)
        Q_EMIT drawingChanged(isDrawing());
}

void Canvas::setShapes(const QList<DrawnShape> &shapes)
{
    shapes_ = shapes;
    update();
}

void Canvas::setGuides(Guides guides)
{
    guides_ = guides;
    update();
}

void Canvas::setLoupe(bool on)
{
    loupe_ = on;
    closer_ = {};
    lookCloser();
    update();
}

void Canvas::turnDivider(double degrees)
{
    divider_.setDegrees(divider_.degrees() + degrees);
    update();
}

void Canvas::moveDivider(double share)
{
    divider_.moveBy(share);
    update();
}

void Canvas::showArea(const QRectF &area)
{
    fitting_ = Fitting::Free;
    viewport_.zoom = 1.0;
    viewport_.centre = document_->toPicture(area.center());
    viewChanged();
}

QRect Canvas::shownArea() const
{
    return tool_ && tool_->showsPlane() ? QRect(QPoint(0, 0), document_->planeSize()) : document_->pictureArea();
}

void Canvas::newSet()
{
    picture_ = {};
    newArea();
    update();
}

/// What is shown stays until the next view stands: painting it anew in between would only take time from that.
void Canvas::newArea()
{
    area_ = shownArea();
    place(Fitting::Whole);
    askForView();
}

void Canvas::take(const ViewPicture &picture)
{
    picture_ = picture;
    lookCloser(); // what lies under the loupe has changed too
    update();
}

/// Another way to compare, or a key that is held: the panes may be others, what is asked for is.
void Canvas::compareAnew()
{
    if (fitting_ != Fitting::Free)
        return fitAs(fitting_);
    viewChanged();
}

bool Canvas::isSplit() const
{
    return document_->isComparing() && document_->comparison()->way() == CompareWay::Split;
}

bool Canvas::isBeside() const
{
    return document_->isComparing() && document_->comparison()->way() == CompareWay::Beside;
}

QSizeF Canvas::paneSize() const
{
    const QSizeF all = deviceSize();
    const double gap = std::round(kBetween * devicePixelRatioF());
    return isBeside() ? QSizeF(std::floor((all.width() - gap) / 2), all.height()) : all;
}

QPointF Canvas::paneCorner(int pane) const
{
    return {pane == 0 ? 0.0 : deviceSize().width() - paneSize().width(), 0.0};
}

int Canvas::paneAt(const QPointF &device) const
{
    return isBeside() && device.x() >= paneCorner(1).x() ? 1 : 0;
}

QPointF Canvas::pictureAt(const QPointF &p) const
{
    const QPointF device = p * devicePixelRatioF();
    return viewport_.toPicture(device - paneCorner(paneAt(device)));
}

QPointF Canvas::widgetAt(const QPointF &p) const
{
    return viewport_.toDevice(p) / devicePixelRatioF();
}

void Canvas::fit()
{
    fitAs(Fitting::Whole);
}

void Canvas::fill()
{
    fitAs(Fitting::Fill);
}

void Canvas::fitAs(Fitting fitting)
{
    place(fitting);
    viewChanged();
}

void Canvas::place(Fitting fitting)
{
    fitting_ = fitting;
    viewport_.pane = paneSize();
    if (!area_.isEmpty())
        viewport_.show(area_, kMargin * devicePixelRatioF(), fitting == Fitting::Fill);
}

void Canvas::zoomTo(double zoom)
{
    const QSizeF pane = paneSize() / devicePixelRatioF();
    zoomAt(zoom, QPointF(pane.width() / 2, pane.height() / 2));
}

void Canvas::zoomIn()
{
    zoomTo(viewport_.zoom * kWheelStep);
}

void Canvas::zoomOut()
{
    zoomTo(viewport_.zoom / kWheelStep);
}

void Canvas::zoomAt(double zoom, const QPointF &widgetPosition)
{
    if (area_.isEmpty())
        return;
    const QPointF device = widgetPosition * devicePixelRatioF();
    viewport_.zoomAt(zoom, device - paneCorner(paneAt(device)));
    fitting_ = Fitting::Free;
    viewChanged();
}

void Canvas::panBy(const QPointF &devicePixels)
{
    if (area_.isEmpty())
        return;
    fitting_ = Fitting::Free;
    viewport_.centre -= devicePixels / viewport_.zoom;
    viewChanged();
}

void Canvas::viewChanged()
{
    askForView();
    update();
}

void Canvas::askForView()
{
    viewport_.pane = paneSize();
    if (!area_.isEmpty()) {
        viewport_.keepWithin(area_);
        const double ahead = fitting_ == Fitting::Whole ? 0.0 : std::round(kAhead * devicePixelRatioF());
        if (const auto visible = viewport_.visible(area_, ahead))
            document_->requestView(*visible);
    }
    if (pointerAt_) // another place lies under it now
        showUnder(*pointerAt_);
    Q_EMIT zoomChanged();
}

/// Some twice of what the canvas shows, in whole squares of the screen; true pixels at the least.
double Canvas::loupeZoom() const
{
    return std::clamp(std::round(2.0 * viewport_.zoom), 1.0, kMostZoom);
}

void Canvas::lookCloser()
{
    if (!loupe_ || !pointer_)
        return;
    Viewport closer;
    closer.zoom = loupeZoom();
    closer.centre = *pointer_;
    closer.pane = QSizeF(kLoupeSide, kLoupeSide) * devicePixelRatioF();
    if (const auto visible = closer.visible(area_, 0.0))
        document_->requestLoupe(*visible);
}

void Canvas::resizeEvent(QResizeEvent *)
{
    if (fitting_ != Fitting::Free)
        fitAs(fitting_);
    else
        viewChanged();
}

void Canvas::changeEvent(QEvent *event)
{
    QWidget::changeEvent(event);
    if (event->type() == QEvent::PaletteChange)
        update();
}

} // namespace yolk::app
