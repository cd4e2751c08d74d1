#include "widgets/curve_editor.h"

#include "adjust/light_curve.h"
#include "theme/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QUuid>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr double kMargin = 8.0, kHandle = 15.0, kNear = 11.0; // logical pixels

} // namespace

CurveEditor::CurveEditor(QWidget *parent) : QWidget(parent)
{
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    setAccessibleName(tr("Curve"));
    setToolTip(tr("Dark to light from left to right, what becomes of it upwards. Click to set a point, drag it, double "
                  "click to remove it; arrow keys move the chosen one, Page Up and Page Down choose, Delete removes."));
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

QRectF CurveEditor::field() const
{
    return QRectF(rect()).adjusted(kMargin, kMargin, -kMargin, -kMargin);
}

QPointF CurveEditor::placeOf(const Point &point) const
{
    const QRectF f = field();
    return {f.left() + point.x * f.width(), f.bottom() - point.y * f.height()};
}

Point CurveEditor::pointAt(const QPointF &position) const
{
    const QRectF f = field();
    return {std::clamp((position.x() - f.left()) / f.width(), 0.0, 1.0),
            std::clamp((f.bottom() - position.y()) / f.height(), 0.0, 1.0)};
}

std::optional<int> CurveEditor::handleAt(const QPointF &position) const
{
    for (size_t i = 0; i < points_.size(); ++i) {
        const QPointF d = placeOf(points_[i]) - position;
        if (std::hypot(d.x(), d.y()) <= kNear)
            return int(i);
    }
    return std::nullopt;
}

void CurveEditor::setPoints(const PointList &points)
{
    if (points.size() != points_.size() && !dragging_)
        chosen_ = -1;
    points_ = points;
    update();
}

void CurveEditor::setHistogram(const std::array<float, 256> &shares)
{
    histogram_ = shares;
    update();
}

void CurveEditor::paintEvent(QPaintEvent *)
{
    const Tokens &t = tokens();
    const QRectF f = field();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(f, t.field);
    float most = 0.0f;
    for (size_t i = 1; i + 1 < histogram_.size(); ++i) // ends are walls
        most = std::max(most, histogram_[i]);
    if (most > 0.0f) {
        QPainterPath path(f.bottomLeft());
        for (size_t i = 0; i < histogram_.size(); ++i)
            path.lineTo(f.left() + double(i) / 255.0 * f.width(),
                        f.bottom() - 0.9 * f.height() * std::min(1.0, double(histogram_[i] / most)));
        path.lineTo(f.bottomRight());
        painter.fillPath(path, t.histogram);
    }
    painter.setPen(QPen(t.line, 1));
    for (int i = 1; i < 4; ++i) {
        painter.drawLine(QPointF(f.left() + f.width() * i / 4, f.top()),
                         QPointF(f.left() + f.width() * i / 4, f.bottom()));
        painter.drawLine(QPointF(f.left(), f.top() + f.height() * i / 4),
                         QPointF(f.right(), f.top() + f.height() * i / 4));
    }
    painter.drawRect(f);
    painter.setPen(QPen(t.track, 1, Qt::DashLine));
    painter.drawLine(f.bottomLeft(), f.topRight());
    if (points_.size() < 2)
        return;
    QPainterPath path;
    const std::vector<double> codes = LightCurve::coded(points_, size_t(f.width()) + 1);
    for (size_t i = 0; i < codes.size(); ++i) {
        const QPointF p = placeOf({double(i) / double(codes.size() - 1), std::clamp(codes[i], 0.0, 1.0)});
        i == 0 ? path.moveTo(p) : path.lineTo(p);
    }
    painter.setPen(QPen(colour_.isValid() ? colour_ : t.text, 1.8));
    painter.drawPath(path);
    for (size_t i = 0; i < points_.size(); ++i)
        paintEgg(painter, placeOf(points_[i]), kHandle, int(i) == chosen_, int(i) == chosen_ && hasFocus());
}

void CurveEditor::move(int index, Point to, const QString &gesture)
{
    std::vector<Point> points(points_.begin(), points_.end());
    const double left = index > 0 ? points[size_t(index) - 1].x + LightCurve::kApart : 0.0;
    const double right = size_t(index) + 1 < points.size() ? points[size_t(index) + 1].x - LightCurve::kApart : 1.0;
    points[size_t(index)] = {std::clamp(to.x, std::min(left, right), std::max(left, right)),
                             std::clamp(to.y, 0.0, 1.0)};
    Q_EMIT changed(PointList(std::move(points)), gesture);
}

void CurveEditor::remove(int index)
{
    if (points_.size() <= 2)
        return;
    std::vector<Point> points(points_.begin(), points_.end());
    points.erase(points.begin() + index);
    Q_EMIT changed(PointList(std::move(points)), {});
}

void CurveEditor::mousePressEvent(QMouseEvent *event)
{
    if (event->button() != Qt::LeftButton)
        return;
    gesture_ = QUuid::createUuid().toString();
    dragging_ = true;
    if (const auto handle = handleAt(event->position())) {
        chosen_ = *handle;
        return update();
    }
    const Point at = pointAt(event->position());
    const auto more = LightCurve::withPoint(points_, at);
    if (!more)
        return;
    chosen_ = int(std::ranges::find(*more, at) - more->begin());
    Q_EMIT changed(*more, gesture_);
}

void CurveEditor::mouseMoveEvent(QMouseEvent *event)
{
    if (dragging_ && chosen_ >= 0 && size_t(chosen_) < points_.size())
        move(chosen_, pointAt(event->position()), gesture_);
}

void CurveEditor::mouseDoubleClickEvent(QMouseEvent *event)
{
    if (const auto handle = handleAt(event->position()))
        remove(*handle);
}

void CurveEditor::keyPressEvent(QKeyEvent *event)
{
    const int count = int(points_.size());
    if (count == 0)
        return QWidget::keyPressEvent(event);
    const double step = event->modifiers() & Qt::ShiftModifier ? 0.001 : 0.01;
    const auto moveBy = [&](double x, double y) {
        if (chosen_ >= 0 && chosen_ < count)
            move(chosen_, {points_[size_t(chosen_)].x + x, points_[size_t(chosen_)].y + y},
                 QStringLiteral("keys on the curve"));
    };
    switch (event->key()) {
    case Qt::Key_Left:
        return moveBy(-step, 0);
    case Qt::Key_Right:
        return moveBy(step, 0);
    case Qt::Key_Up:
        return moveBy(0, step);
    case Qt::Key_Down:
        return moveBy(0, -step);
    case Qt::Key_PageUp:
        chosen_ = (chosen_ + count - 1 + (chosen_ < 0)) % count;
        return update();
    case Qt::Key_PageDown:
        chosen_ = (chosen_ + 1) % count;
        return update();
    case Qt::Key_Delete:
        if (chosen_ >= 0)
            remove(chosen_);
        return;
    default:
        QWidget::keyPressEvent(event);
    }
}

} // namespace yolk::app
