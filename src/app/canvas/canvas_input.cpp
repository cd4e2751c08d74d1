// What mouse and keys do on the canvas.
#include "canvas/canvas.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QTabletEvent>

#include <cmath>
#include <utility>

namespace yolk::app {
namespace {

constexpr double kWheelStep = 1.2;
constexpr double kReach = 14.0; // logical pixels round a handle
constexpr int kGridMilliseconds = 1200;

} // namespace

void Canvas::setTool(CanvasTool *tool)
{
    if (tool == tool_)
        return;
    if (tool_)
        disconnect(tool_, nullptr, this, nullptr);
    tool_ = tool;
    held_ = CanvasTool::kNothing;
    if (tool_)
        connect(tool_, &CanvasTool::changed, this, qOverload<>(&QWidget::update));
    chooseHandle(CanvasTool::kNothing);
    refreshCursor();
    if (shownArea() == area_)
        return;
    area_ = shownArea();
    if (fitting_ != Fitting::Free)
        fitAs(fitting_);
    else
        viewChanged();
}

void Canvas::chooseHandle(int handle)
{
    chosen_ = handle;
    const QString name = tool_ && handle >= 0 ? tool_->handleName(handle) : QString();
    setAccessibleDescription(name.isEmpty() ? tr("The merged picture. Plus and minus zoom, arrow keys pan.")
                                            : tr("%1: arrow keys move it.").arg(name));
    update();
    Q_EMIT handleChosen(name);
}

void Canvas::giveUp()
{
    setPicking(false);
    setDrawing(std::nullopt);
    held_ = CanvasTool::kNothing;
    if (tool_) {
        chooseHandle(CanvasTool::kNothing);
        tool_->giveUp();
    }
}

void Canvas::showGridBriefly()
{
    gridTimer_.start(kGridMilliseconds);
    update();
}

/// Handles of a tool come before what follows the canvas.
bool Canvas::focusNextPrevChild(bool next)
{
    const int count = tool_ ? int(tool_->handles().size()) : 0;
    const int wanted = chosen_ < 0 ? (next ? 0 : count - 1) : chosen_ + (next ? 1 : -1);
    const bool leaves = wanted < 0 || wanted >= count;
    chooseHandle(leaves ? CanvasTool::kNothing : wanted);
    return leaves ? QWidget::focusNextPrevChild(next) : true;
}

/// Ten pixels of the screen, with Shift one.
bool Canvas::moveByKey(QKeyEvent *event)
{
    if (!tool_ || area_.isEmpty())
        return false;
    if (event->key() == Qt::Key_Return || event->key() == Qt::Key_Enter) {
        tool_->accept();
        return true;
    }
    QPointF way;
    switch (event->key()) {
    case Qt::Key_Left:
        way = {-1, 0};
        break;
    case Qt::Key_Right:
        way = {1, 0};
        break;
    case Qt::Key_Up:
        way = {0, -1};
        break;
    case Qt::Key_Down:
        way = {0, 1};
        break;
    default:
        return false;
    }
    if (chosen_ < 0)
        return false;
    tool_->step(chosen_, way * (event->modifiers() & Qt::ShiftModifier ? 1.0 : 10.0) / zoom());
    return true;
}

void Canvas::refreshCursor()
{
    if (picking_ || drawing_)
        setCursor(Qt::CrossCursor);
    else if (pointerAt_)
        chooseCursor(*pointerAt_);
    else
        unsetCursor();
}

void Canvas::mousePressEvent(QMouseEvent *event)
{
    const bool left = event->button() == Qt::LeftButton;
    if (!left && event->button() != Qt::MiddleButton)
        return;
    const QPointF at = pictureAt(event->position());
    if (picking_ && left) {
        setPicking(false);
        if (QRectF(area_).contains(at))
            Q_EMIT picked(document_->toReference(at));
        return;
    }
    if (drawing_ && left) {
        stroke_ = {QPolygonF{at}, drawing_.value_or(0.0), true};
        return update();
    }
    const bool forTool = tool_ && (event->modifiers() == Qt::NoModifier || tool_->takesModifiers());
    if (forTool && left && !overviewBox().contains(event->position())) {
        tool_->setModifiers(event->modifiers()); // they may say what is taken
        held_ = tool_->gripAt(at, toolReach());
        const bool divider = isSplit() && divider_.gripAt(event->position(), size()) != SplitDivider::Grip::None;
        if (held_ == CanvasTool::kBody && divider)
            held_ = CanvasTool::kNothing;
        if (held_ != CanvasTool::kNothing) {
            chooseHandle(held_ >= 0 ? held_ : CanvasTool::kNothing);
            return tool_->take(held_, at);
        }
    }
    if (left && event->modifiers() == Qt::ShiftModifier) {
        if (QRectF(area_).contains(at))
            Q_EMIT pinAsked(document_->toReference(at));
        return;
    }
    if (left && overviewBox().contains(event->position())) {
        draggingOverview_ = true;
        return centreByOverview(event->position());
    }
    if (left && isSplit())
        grip_ = divider_.gripAt(event->position(), size());
    if (grip_ != SplitDivider::Grip::None)
        return update();
    grab_ = event->position();
    setCursor(Qt::ClosedHandCursor);
}

void Canvas::mouseMoveEvent(QMouseEvent *event)
{
    if (held_ != CanvasTool::kNothing) {
        tool_->dragTo(pictureAt(event->position()));
    } else if (draggingOverview_) {
        centreByOverview(event->position());
    } else if (grip_ != SplitDivider::Grip::None) {
        divider_.dragTo(event->position(), grip_, size());
        update();
    } else if (grab_) {
        panBy((event->position() - *grab_) * devicePixelRatioF());
        grab_ = event->position();
    } else {
        if (tool_)
            tool_->hoverAt(pictureAt(event->position()));
        chooseCursor(event->position());
    }
    if (!stroke_.points.isEmpty()) {
        stroke_.points << pictureAt(event->position());
        update();
    }
    showUnder(event->position());
}

void Canvas::showUnder(const QPointF &widgetPosition)
{
    const QPointF at = pictureAt(widgetPosition);
    pointerAt_ = widgetPosition;
    pointer_ = QRectF(area_).contains(at) ? std::optional(at) : std::nullopt;
    if (loupe_) {
        lookCloser();
        update();
    }
    Q_EMIT pointed(pointer_ ? std::optional(document_->toReference(*pointer_)) : std::nullopt);
}

double Canvas::toolReach() const
{
    return kReach * devicePixelRatioF() / zoom();
}

void Canvas::chooseCursor(const QPointF &widgetPosition)
{
    if (picking_ || drawing_)
        return;
    const auto grip = isSplit() ? divider_.gripAt(widgetPosition, size()) : SplitDivider::Grip::None;
    if (overviewBox().contains(widgetPosition))
        setCursor(Qt::PointingHandCursor);
    else if (grip == SplitDivider::Grip::Ring)
        setCursor(Qt::CrossCursor);
    else if (grip == SplitDivider::Grip::Line)
        setCursor(std::abs(std::cos(divider_.degrees() * 0.017453)) > 0.707 ? Qt::SplitHCursor : Qt::SplitVCursor);
    else if (const int at = tool_ ? tool_->gripAt(pictureAt(widgetPosition), toolReach()) : CanvasTool::kNothing;
             at != CanvasTool::kNothing)
        setCursor(tool_->cursorOver(at));
    else
        unsetCursor();
}

void Canvas::mouseReleaseEvent(QMouseEvent *event)
{
    if (held_ != CanvasTool::kNothing && event->button() == Qt::LeftButton) {
        held_ = CanvasTool::kNothing;
        tool_->letGo();
        return refreshCursor();
    }
    if (!stroke_.points.isEmpty() && event->button() == Qt::LeftButton) {
        DrawnShape done = std::exchange(stroke_, {});
        for (QPointF &point : done.points)
            point = document_->toReference(point);
        if (done.radius > 0.0 || done.points.size() > 2) // a click goes round nothing
            Q_EMIT drawn(done);
        return setDrawing(std::nullopt);
    }
    grab_.reset();
    grip_ = SplitDivider::Grip::None;
    draggingOverview_ = false;
    refreshCursor();
    update();
}

/// What the pen does comes as a mouse's after this.
void Canvas::tabletEvent(QTabletEvent *event)
{
    if (tool_)
        tool_->setPressure(event->type() == QEvent::TabletRelease ? 1.0 : event->pressure());
    event->ignore();
}

void Canvas::leaveEvent(QEvent *)
{
    if (tool_)
        tool_->hoverAt(std::nullopt);
    pointerAt_.reset();
    pointer_.reset();
    update();
    Q_EMIT pointed(std::nullopt);
}

void Canvas::wheelEvent(QWheelEvent *event)
{
    zoomAt(viewport_.zoom * std::pow(kWheelStep, event->angleDelta().y() / 120.0), event->position());
}

void Canvas::keyPressEvent(QKeyEvent *event)
{
    if (moveByKey(event))
        return;
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

} // namespace yolk::app
