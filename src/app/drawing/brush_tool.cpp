#include "drawing/brush_tool.h"

#include <QPainter>
#include <QPainterPath>
#include <QPainterPathStroker>

#include <algorithm>
#include <cmath>

namespace yolk::app {

BrushTool::BrushTool(Document *document, QObject *parent) : CanvasTool(parent), document_(document)
{
    connect(document->areas(), &Areas::chosenChanged, this, [this] {
        stroke_.reset();
        last_.reset();
        Q_EMIT changed();
    });
    connect(document, &Document::setChanged, this, [this] { // as large as the picture asks for
        constexpr double kUsual = 0.04;                     // of the longer side
        const QSize size = document_->pictureSize();
        brush_.radius = std::max(1.0, std::round(kUsual * std::max(size.width(), size.height())));
        keyPlace_.reset();
        Q_EMIT brushChanged();
    });
}

void BrushTool::setBrush(Stroke brush)
{
    brush_ = std::move(brush);
    Q_EMIT brushChanged();
    Q_EMIT changed();
}

QList<QPointF> BrushTool::handles() const
{
    if (!document_->isOpen())
        return {};
    return {keyPlace_.value_or(QRectF(document_->pictureArea()).center())};
}

void BrushTool::hoverAt(const std::optional<QPointF> &place)
{
    hover_ = place;
    Q_EMIT changed();
}

double BrushTool::shownRadius() const
{
    const QPointF middle = handles().value(0), at = document_->toReference(middle),
                  beside = document_->toPicture(at + QPointF(brush_.radius, 0.0));
    return std::hypot(beside.x() - middle.x(), beside.y() - middle.y());
}

void BrushTool::begin(const QPointF &place)
{
    const Area *area = document_->areas()->chosen();
    if (!area || area->shapes.empty() || !isBrush(area->shapes[size_t(document_->areas()->chosenShape())]))
        return;
    stroke_ = Painting{*area,
                       {},
                       {},
                       {},
                       brush_.erases != bool(modifiers_ & Qt::ControlModifier),
                       QStringLiteral("stroke %1").arg(++strokes_)};
    if ((modifiers_ & Qt::ShiftModifier) && last_)
        add(*last_);
    add(place);
    show();
}

void BrushTool::add(const QPointF &place)
{
    Painting &now = *stroke_;
    if (!now.seen.isEmpty() && now.seen.back() == place)
        return;
    if (now.points.size() >= kMostStrokePoints)
        return;
    const AreaShape &shape = now.before.shapes[size_t(document_->areas()->chosenShape())];
    now.points.push_back(document_->onFrame(shape.drawnOn, place));
    now.pressures.push_back(std::clamp(pressure_, 0.05, 1.0));
    now.seen << place;
}

void BrushTool::show()
{
    const Painting &now = *stroke_;
    Stroke stroke = brush_;
    stroke.erases = now.erases;
    stroke.points = now.points;
    if (std::ranges::any_of(now.pressures, [](double p) { return p < 1.0; })) {
        std::vector<double> along{0.0};
        for (size_t i = 1; i < now.points.size(); ++i)
            along.push_back(along.back() +
                            std::hypot(now.points[i].x - now.points[i - 1].x, now.points[i].y - now.points[i - 1].y));
        std::vector<Point> pressure;
        for (size_t i = 0; i < along.size(); ++i)
            pressure.push_back({along.back() > 0.0 ? along[i] / along.back() : 0.0, now.pressures[i]});
        stroke.pressure = std::move(pressure);
    }
    Areas *areas = document_->areas();
    Area next = now.before;
    AreaShape &shape = next.shapes[size_t(areas->chosenShape())];
    std::vector<Stroke> strokes = shape.strokes.all();
    if (strokes.size() >= kMostStrokes)
        return;
    strokes.push_back(std::move(stroke));
    shape.strokes = std::move(strokes);
    areas->set(areas->chosenIndex(), std::move(next), now.erases ? tr("erase") : tr("brush stroke"), now.gesture);
}

void BrushTool::take(int, const QPointF &place)
{
    begin(place);
    Q_EMIT changed();
}

void BrushTool::dragTo(const QPointF &place)
{
    hover_ = place;
    if (stroke_) {
        add(place);
        show();
    }
    Q_EMIT changed();
}

void BrushTool::letGo()
{
    finish();
}

void BrushTool::finish()
{
    if (stroke_ && !stroke_->seen.isEmpty())
        last_ = stroke_->seen.back();
    stroke_.reset();
    pressure_ = 1.0;
    Q_EMIT changed();
}

void BrushTool::step(int, const QPointF &by)
{
    keyPlace_ = handles()[0] + by;
    if (stroke_) {
        add(*keyPlace_);
        show();
    }
    Q_EMIT changed();
}

void BrushTool::accept()
{
    if (stroke_)
        return finish();
    modifiers_ = {};
    keyPlace_ = handles()[0];
    begin(*keyPlace_);
    Q_EMIT changed();
}

void BrushTool::giveUp()
{
    if (!stroke_)
        return;
    Areas *areas = document_->areas();
    areas->set(areas->chosenIndex(), stroke_->before, tr("brush stroke"), stroke_->gesture);
    stroke_.reset();
    Q_EMIT changed();
}

void BrushTool::paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const
{
    if (!document_->isOpen() || !document_->areas()->chosen())
        return;
    const double radius = shownRadius() * std::hypot(toDevice.m11(), toDevice.m12());
    if (stroke_ && !stroke_->seen.isEmpty()) { // at once: the picture follows
        QPainterPath line(toDevice.map(stroke_->seen.front()));
        for (const QPointF &p : stroke_->seen)
            line.lineTo(toDevice.map(p) + QPointF(0.01, 0.0));
        QPainterPathStroker stroker;
        stroker.setWidth(2.0 * radius);
        stroker.setCapStyle(Qt::RoundCap);
        stroker.setJoinStyle(Qt::RoundJoin);
        QColor colour = document_->overlayColour();
        painter.setPen(Qt::NoPen);
        painter.setBrush(QBrush(colour, stroke_->erases ? Qt::FDiagPattern : Qt::BDiagPattern));
        painter.drawPath(stroker.createStroke(line));
    }
    const std::optional<QPointF> at = chosen >= 0 ? std::optional(handles()[0]) : hover_;
    if (!at)
        return;
    const QPointF middle = toDevice.map(*at);
    painter.setBrush(Qt::NoBrush);
    const double inner = radius * (1.0 - brush_.feather / 100.0);
    for (const auto &[width, colour] : {std::pair(3.0, QColor(0, 0, 0, 170)), std::pair(1.4, QColor(Qt::white))}) {
        painter.setPen(QPen(colour, width * ratio));
        painter.drawEllipse(middle, radius, radius);
        if (inner > 3.0) {
            painter.setPen(QPen(colour, 0.6 * width * ratio));
            painter.drawEllipse(middle, inner, inner);
        }
    }
    if (chosen >= 0)
        paintHandles(painter, {middle}, ratio, chosen);
}

} // namespace yolk::app
