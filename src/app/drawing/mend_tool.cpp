#include "drawing/mend_tool.h"

#include <QPainter>
#include <QPainterPath>
#include <QPainterPathStroker>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

double lengthOf(const QPointF &way)
{
    return std::hypot(way.x(), way.y());
}

/// All within a radius of a line, as one outline.
QPainterPath outlineOf(const QPolygonF &line, double radius)
{
    QPainterPath path(line.front());
    if (line.size() == 1)
        path.lineTo(line.front() + QPointF(0.01, 0.0));
    for (const QPointF &p : line)
        path.lineTo(p);
    QPainterPathStroker stroker;
    stroker.setWidth(2.0 * radius);
    stroker.setCapStyle(Qt::RoundCap);
    stroker.setJoinStyle(Qt::RoundJoin);
    return stroker.createStroke(path).simplified();
}

/// Light on dark, so that it shows on any picture.
void paintOutline(QPainter &painter, const QPainterPath &path, double ratio, bool strong, Qt::PenStyle style)
{
    painter.setBrush(Qt::NoBrush);
    for (const auto &[width, colour] : {std::pair(3.2, QColor(0, 0, 0, 170)), std::pair(1.5, QColor(Qt::white))}) {
        QPen pen(colour, width * ratio * (strong ? 1.35 : 1.0));
        if (colour == QColor(Qt::white))
            pen.setStyle(style);
        painter.setPen(pen);
        painter.drawPath(path);
    }
}

} // namespace

MendTool::MendTool(Document *document, QObject *parent) : CanvasTool(parent), document_(document)
{
    for (const auto signal : {&Mends::changed, &Mends::chosenChanged, &Mends::nextChanged})
        connect(document->mends(), signal, this, &CanvasTool::changed);
    connect(document->dust(), &Dust::changed, this, &CanvasTool::changed);
    connect(document, &Document::setChanged, this, [this] {
        drag_.reset();
        stroke_.clear();
        keyPlace_.reset();
    });
}

QPolygonF MendTool::line(const MendSpot &spot) const
{
    QPolygonF out;
    for (const Point &p : spot.points)
        out << document_->onPicture(spot.drawnOn, p);
    return out;
}

QPointF MendTool::sourceOf(const MendSpot &spot) const
{
    const Point first = spot.points[0];
    return document_->onPicture(spot.drawnOn, {first.x + spot.sourceX, first.y + spot.sourceY});
}

/// Pixels of the plane.
double MendTool::shownRadius(double radius, const QPointF &place) const
{
    const QPointF at = document_->toReference(place);
    return lengthOf(document_->toPicture(at + QPointF(radius, 0.0)) - place);
}

/// Where the reference frame has it: dust lies at the same pixel of every frame.
QPointF MendTool::middleOf(const DustSpot &dust) const
{
    return document_->toPicture({dust.x, dust.y});
}

std::vector<Point> MendTool::onReference(const QPolygonF &line) const
{
    std::vector<Point> out;
    for (const QPointF &p : line) {
        const QPointF at = document_->toReference(p);
        out.push_back({at.x(), at.y()});
    }
    return out;
}

QList<QPointF> MendTool::handles() const
{
    if (!document_->isOpen())
        return {};
    QList<QPointF> out;
    for (const MendSpot &spot : document_->mends()->all())
        out << document_->onPicture(spot.drawnOn, spot.points[0]);
    out << keyPlace_.value_or(QRectF(document_->pictureArea()).center());
    if (const MendSpot *chosen = document_->mends()->chosen(); chosen && isFromPlace(*chosen))
        out << sourceOf(*chosen);
    return out;
}

QString MendTool::handleName(int handle) const
{
    const int next = nextHandle();
    return handle < next ? document_->mends()->nameOf(handle) : handle == next ? tr("Next spot") : tr("Source");
}

bool MendTool::isInside(const QPolygonF &line, const QPointF &place, double radius) const
{
    return outlineOf(line, radius).contains(place);
}

int MendTool::gripAt(const QPointF &place, double reach) const
{
    if (!document_->isOpen() || (modifiers_ & Qt::ControlModifier))
        return document_->isOpen() ? kBody : kNothing;
    const Mends &mends = *document_->mends();
    if (const MendSpot *chosen = mends.chosen(); chosen && acts(*chosen) && isFromPlace(*chosen)) {
        const QPointF way = sourceOf(*chosen) - line(*chosen).front();
        QPolygonF source = line(*chosen).translated(way);
        if (isInside(source, place, std::max(reach, shownRadius(*chosen, source.front()))))
            return sourceHandle();
    }
    for (int i = int(mends.all().size()) - 1; i >= 0; --i) {
        const MendSpot &spot = mends.all()[size_t(i)];
        const QPolygonF seen = line(spot);
        if (isInside(seen, place, std::max(reach, shownRadius(spot, seen.front()))))
            return i;
    }
    const std::vector<DustSpot> &proposed = document_->dust()->proposed();
    for (size_t i = 0; i < proposed.size(); ++i) {
        const QPointF middle = middleOf(proposed[i]);
        if (lengthOf(place - middle) < std::max(reach, shownRadius(proposed[i].radius, middle)))
            return kDustGrips + int(i);
    }
    return kBody;
}

void MendTool::hoverAt(const std::optional<QPointF> &place)
{
    hover_ = place;
    const bool isFree = place && gripAt(*place, 0.0) == kBody;
    document_->mends()->tryAlong(isFree ? onReference({*place}) : std::vector<Point>());
    Q_EMIT changed();
}

void MendTool::take(int grip, const QPointF &place)
{
    if (grip >= kDustGrips)
        return document_->dust()->take(size_t(grip - kDustGrips));
    if (grip == kBody) {
        stroke_ = {place};
        return Q_EMIT changed();
    }
    Mends *mends = document_->mends();
    if (grip < nextHandle())
        mends->choose(grip);
    if (const MendSpot *spot = mends->chosen())
        drag_ = Drag{grip, place, *spot, QStringLiteral("move mend %1").arg(++drags_)};
    Q_EMIT changed();
}

void MendTool::move(int handle, const MendSpot &before, const QPointF &by, const QString &gesture)
{
    Mends *mends = document_->mends();
    MendSpot spot = before;
    const auto moved = [&](const Point &p) {
        return document_->onFrame(spot.drawnOn, document_->onPicture(spot.drawnOn, p) + by);
    };
    if (handle == sourceHandle()) {
        const Point first = before.points[0], to = moved({first.x + before.sourceX, first.y + before.sourceY});
        spot.sourceX = to.x - first.x;
        spot.sourceY = to.y - first.y;
        return mends->set(mends->chosenIndex(), std::move(spot),
                          tr("source of %1").arg(mends->nameOf(mends->chosenIndex()).toLower()), gesture);
    }
    std::vector<Point> points;
    for (const Point &p : before.points)
        points.push_back(moved(p));
    spot.points = std::move(points);
    mends->set(mends->chosenIndex(), std::move(spot), tr("move %1").arg(mends->nameOf(mends->chosenIndex()).toLower()),
               gesture);
}

void MendTool::dragTo(const QPointF &place)
{
    hover_ = place;
    if (drag_)
        move(drag_->handle, drag_->before, place - drag_->from, drag_->gesture);
    else if (!stroke_.isEmpty() && stroke_.size() < int(kMostMendPoints) && lengthOf(place - stroke_.back()) > 1.0)
        stroke_ << place;
    if (!drag_ && stroke_.size() > 1)
        document_->mends()->tryAlong(onReference(stroke_));
    Q_EMIT changed();
}

void MendTool::letGo()
{
    drag_.reset();
    if (!stroke_.isEmpty()) {
        const double radius = shownRadius(document_->mends()->next(), stroke_.front());
        const bool isSpot = std::ranges::all_of(
            stroke_, [&](const QPointF &p) { return lengthOf(p - stroke_.front()) < 0.5 * radius; });
        std::vector<Point> points = onReference(isSpot ? QPolygonF{stroke_.front()} : stroke_);
        stroke_.clear();
        document_->mends()->add(std::move(points));
    }
    Q_EMIT changed();
}

void MendTool::step(int handle, const QPointF &by)
{
    if (handle == nextHandle()) {
        keyPlace_ = handles()[handle] + by;
        return Q_EMIT changed();
    }
    Mends *mends = document_->mends();
    if (handle < nextHandle())
        mends->choose(handle);
    if (const MendSpot *spot = mends->chosen())
        move(handle, *spot, by, QStringLiteral("step mend %1").arg(mends->chosenIndex()));
}

void MendTool::accept()
{
    const QPointF at = document_->toReference(handles()[nextHandle()]);
    document_->mends()->add({{at.x(), at.y()}});
}

void MendTool::giveUp()
{
    if (drag_)
        document_->mends()->set(document_->mends()->chosenIndex(), drag_->before, tr("mend"), drag_->gesture);
    drag_.reset();
    stroke_.clear();
    document_->mends()->tryAlong({});
    Q_EMIT changed();
}

void MendTool::paint(QPainter &painter, const QTransform &toDevice, double ratio, int chosen) const
{
    if (!document_->isOpen())
        return;
    const Mends &mends = *document_->mends();
    const double scale = std::hypot(toDevice.m11(), toDevice.m12());
    const auto shown = [&](const MendSpot &spot, const QPolygonF &seen) {
        return outlineOf(toDevice.map(seen), std::max(3.0 * ratio, scale * shownRadius(spot, seen.front())));
    };
    for (int i = 0; i < int(mends.all().size()); ++i) {
        const MendSpot &spot = mends.all()[size_t(i)];
        const QPolygonF seen = line(spot);
        const bool isChosen = i == mends.chosenIndex();
        const QPainterPath ring = shown(spot, seen);
        if (isChosen && acts(spot) && isFromPlace(spot)) {
            const QPointF way = sourceOf(spot) - seen.front();
            const QPainterPath source = shown(spot, seen.translated(way));
            const QPointF from = ring.boundingRect().center(), to = source.boundingRect().center();
            paintOutline(painter, source, ratio, false, Qt::DashLine);
            paintLine(painter, from, to, ratio);
        }
        paintOutline(painter, ring, ratio, isChosen, acts(spot) ? Qt::SolidLine : Qt::DotLine);
        QFont font = painter.font();
        font.setPixelSize(int(std::lround(12 * ratio)));
        painter.setFont(font);
        const QString number = QString::number(i + 1);
        const QPointF at = ring.boundingRect().topRight() + QPointF(2.0 * ratio, 4.0 * ratio);
        QPainterPath words;
        words.addText(at, font, number);
        painter.strokePath(words, QPen(QColor(0, 0, 0, 170), 3.0 * ratio));
        painter.fillPath(words, Qt::white);
    }
    const auto paintDust = [&](const DustSpot &dust, Qt::PenStyle style) {
        const QPointF middle = middleOf(dust);
        constexpr double kBeside = 1.4; // radii, so that the speck itself can be seen
        const double radius = std::max(5.0 * ratio, kBeside * scale * shownRadius(dust.radius, middle));
        QPainterPath ring;
        ring.addEllipse(toDevice.map(middle), radius, radius);
        paintOutline(painter, ring, ratio, false, style);
    };
    for (const DustSpot &dust : document_->dust()->taken())
        paintDust(dust, dust.on ? Qt::SolidLine : Qt::DotLine);
    for (const DustSpot &dust : document_->dust()->proposed())
        paintDust(dust, Qt::DashLine);
    if (!stroke_.isEmpty() && mends.isTrying()) {
        paintOutline(painter, shown(mends.next(), stroke_), ratio, false, Qt::SolidLine);
    } else if (!stroke_.isEmpty()) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(QBrush(document_->overlayColour(), Qt::BDiagPattern));
        painter.drawPath(shown(mends.next(), stroke_));
    } else if (hover_ && !drag_ && chosen < 0) {
        paintOutline(painter, shown(mends.next(), QPolygonF{*hover_}), ratio, false, Qt::SolidLine);
    }
    if (chosen >= 0 && chosen < handles().size()) {
        if (chosen == nextHandle())
            paintOutline(painter, shown(mends.next(), QPolygonF{handles()[chosen]}), ratio, false, Qt::SolidLine);
        paintHandles(painter, {toDevice.map(handles()[chosen])}, ratio, 0);
    }
}

} // namespace yolk::app
