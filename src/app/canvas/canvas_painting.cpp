// How the canvas looks.
#include "canvas/canvas.h"

#include "theme/theme.h"
#include "widgets/number_text.h"

#include <QPainter>
#include <QPainterPath>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr double kCrispFrom = 2.0;                     // pixels show as squares from here on
constexpr double kOverviewSide = 132.0, kInset = 12.0; // logical pixels
constexpr double kNearlyAll = 0.96;                    // of a side: what is left out of view is no reason for an inset

} // namespace

void Canvas::paintEvent(QPaintEvent *)
{
    QPainter painter(this);
    painter.fillRect(rect(), surround_);
    const double ratio = devicePixelRatioF();
    painter.scale(1.0 / ratio, 1.0 / ratio); // device pixels: rendered views are copied
    const QSizeF pane = paneSize();
    const auto inPane = [&](int i, const auto &paint) {
        painter.save();
        painter.setClipRect(QRectF(paneCorner(i), pane));
        painter.translate(paneCorner(i));
        paint();
        painter.restore();
    };
    const bool two = isBeside();
    inPane(0, [&] { paintSide(painter, two ? picture_.against : picture_.image, !two); });
    if (two)
        inPane(1, [&] { paintSide(painter, picture_.image, true); });
    if (isSplit()) {
        painter.save();
        QPainterPath side;
        side.addPolygon(QTransform::fromScale(ratio, ratio).map(divider_.side(size(), true)));
        painter.setClipPath(side);
        paintSide(painter, picture_.against, false);
        painter.restore();
    }
    for (int i = 0; i <= int(two); ++i)
        inPane(i, [&] { paintOver(painter); });
    painter.scale(ratio, ratio); // logical pixels from here on
    if (isSplit())
        divider_.paint(painter, size(), grip_ != SplitDivider::Grip::None);
    paintLabels(painter);
    paintOverview(painter);
    paintLoupe(painter);
}

/// A rendered view where it belongs; `own`: of what the document's overview shows too, which stands in where the view
/// does not reach.
void Canvas::paintSide(QPainter &painter, const QImage &image, bool own) const
{
    const QRectF whole = viewport_.toDevice(QRectF(area_));
    painter.save();
    painter.setClipRect(whole, Qt::IntersectClip);
    const auto draw = [&](const QImage &what, const QRectF &region) {
        if (what.isNull())
            return;
        const QRectF target = viewport_.toDevice(region);
        const QSizeF size = what.size();
        const bool copied =
            std::abs(target.width() - size.width()) < 0.51 && std::abs(target.height() - size.height()) < 0.51;
        if (copied)
            painter.drawImage(QPointF(std::round(target.x()), std::round(target.y())), what);
        else { // between two zooms, and enlarged
            painter.setRenderHint(QPainter::SmoothPixmapTransform, zoom() > 1.0 && zoom() < kCrispFrom);
            painter.drawImage(target, what);
        }
    };
    const bool plain = !document_->lookedAt() && !document_->inspection() && !document_->comparison()->held();
    if (own && plain && isBeyondView())
        draw(document_->overview().image, document_->overview().region);
    draw(image, picture_.region);
    painter.restore();
}

void Canvas::paintOver(QPainter &painter) const
{
    const QTransform toDevice(zoom(), 0, 0, zoom(), viewport_.origin().x(), viewport_.origin().y());
    const bool grid = gridTimer_.isActive() || (tool_ && tool_->showsGrid());
    paintGuides(painter, grid ? Guides::Grid : guides_, viewport_.toDevice(QRectF(document_->pictureArea())));
    for (DrawnShape shape : shapes_) {
        for (QPointF &point : shape.points)
            point = document_->toPicture(point);
        paintShape(painter, shape, toDevice);
    }
    paintShape(painter, stroke_, toDevice);
    if (tool_)
        tool_->paint(painter, toDevice, devicePixelRatioF(), chosen_);
    paintPins(painter);
}

void Canvas::paintPins(QPainter &painter) const
{
    const double ratio = devicePixelRatioF();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    QFont small = font();
    small.setPixelSize(int(std::lround(11 * ratio)));
    small.setWeight(QFont::DemiBold);
    painter.setFont(small);
    int number = 0;
    for (const Reading &pin : document_->pins()) {
        const QPointF at = viewport_.toDevice(document_->toPicture(pin.at));
        for (const auto &[colour, width] :
             {std::pair(QColor(20, 20, 20), 3.4), std::pair(QColor(250, 250, 248), 1.6)}) {
            painter.setPen(QPen(colour, width * ratio));
            painter.drawEllipse(at, 5.0 * ratio, 5.0 * ratio);
        }
        const QRectF box(at + QPointF(8, -17) * ratio, QSizeF(15, 15) * ratio);
        painter.setPen(Qt::NoPen);
        painter.setBrush(QColor(20, 20, 20, 190));
        painter.drawRoundedRect(box, 3 * ratio, 3 * ratio);
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QColor(250, 250, 248));
        painter.drawText(box, Qt::AlignCenter, QString::number(++number));
    }
    painter.restore();
}

QStringList Canvas::labels() const
{
    if (!document_->isOpen())
        return {};
    const Comparison &comparison = *document_->comparison();
    QStringList out;
    const auto named = [&](const ViewSource &source) {
        const bool frame = source.kind == ViewSource::Kind::Frame || source.kind == ViewSource::Kind::MiddleFrame;
        const QString name = document_->nameOf(source);
        return frame && comparison.framesAsTaken() ? name + tr(", as taken") : name;
    };
    if (comparison.held())
        return {named(*comparison.held())};
    if (document_->isComparing())
        out << named(comparison.against()) << document_->nameOf({});
    if (document_->shownEnds() && document_->outputHistogram()) {
        const QString ends = tr("Clipping: white %1, black %2")
                                 .arg(percentText(document_->outputHistogram()->white),
                                      percentText(document_->outputHistogram()->black));
        if (out.isEmpty())
            out << ends;
        else
            out.last() += QStringLiteral("  ·  ") + ends;
    }
    return out;
}

void Canvas::paintLabels(QPainter &painter) const
{
    const QStringList words = labels();
    QFont small = font();
    small.setPixelSize(12);
    small.setWeight(QFont::Medium);
    painter.setFont(small);
    painter.setRenderHint(QPainter::Antialiasing);
    const double ratio = devicePixelRatioF();
    const QSizeF pane = paneSize() / ratio;
    for (int i = 0; i < int(words.size()); ++i) {
        const QSizeF box(painter.fontMetrics().horizontalAdvance(words[i]) + 18.0, 24.0);
        const auto inCorner = [&](bool right, bool bottom) {
            return QRectF(QPointF(right ? width() - kInset - box.width() : kInset,
                                  bottom ? height() - kInset - box.height() : kInset),
                          box);
        };
        QRectF place = inCorner(false, false);
        if (isBeside())
            place.translate(paneCorner(i).x() / ratio, 0);
        else if (words.size() > 1) { // the corner that lies deepest on its side of the line
            const QPointF from = divider_.middle(pane);
            double most = -1.0;
            for (const bool right : {false, true})
                for (const bool bottom : {false, true}) {
                    const QRectF corner = inCorner(right, bottom);
                    const QPointF away = corner.center() - from;
                    const double distance = std::hypot(away.x(), away.y()) + (bottom ? 0.0 : 1.0);
                    if (divider_.isFirst(corner.center(), pane) == (i == 0) && distance > most) {
                        most = distance;
                        place = corner;
                    }
                }
        }
        painter.setPen(Qt::NoPen);
        painter.setBrush(tokens().panel);
        painter.drawRoundedRect(place, 6, 6);
        painter.setPen(tokens().text);
        painter.drawText(place, Qt::AlignCenter, words[i]);
    }
}

bool Canvas::isBeyondView() const
{
    return !picture_.region.contains(
        QRectF(area_).intersected(QRectF(viewport_.toPicture({0, 0}), viewport_.pane / zoom())));
}

bool Canvas::showsOverview() const
{
    return isBeyondView() || !overviewBox().isEmpty();
}

QRectF Canvas::overviewBox() const
{
    if (area_.isEmpty() || fitting_ == Fitting::Whole)
        return {};
    const QSizeF seen = viewport_.pane / zoom();
    if (seen.width() >= kNearlyAll * area_.width() && seen.height() >= kNearlyAll * area_.height())
        return {};
    const QSizeF box = QSizeF(area_.size()).scaled(QSizeF(kOverviewSide, kOverviewSide), Qt::KeepAspectRatio);
    return {QPointF(width() - kInset - box.width(), height() - kInset - box.height()), box};
}

void Canvas::centreByOverview(const QPointF &p)
{
    const QRectF box = overviewBox();
    if (box.isEmpty())
        return;
    const QPointF share((p.x() - box.left()) / box.width(), (p.y() - box.top()) / box.height());
    viewport_.centre = QPointF(area_.left() + share.x() * area_.width(), area_.top() + share.y() * area_.height());
    viewChanged();
}

void Canvas::paintOverview(QPainter &painter) const
{
    const QRectF box = overviewBox();
    if (box.isEmpty() || document_->overview().image.isNull())
        return;
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing, false);
    painter.setRenderHint(QPainter::SmoothPixmapTransform);
    painter.fillRect(box.adjusted(-3, -3, 3, 3), tokens().panel);
    painter.drawImage(box, document_->overview().image);
    const double scale = box.width() / area_.width();
    const QSizeF seen = viewport_.pane / zoom();
    QRectF frame(QPointF(0, 0), seen * scale);
    frame.moveCenter(box.topLeft() + (viewport_.centre - QPointF(area_.topLeft())) * scale);
    frame = frame.intersected(box);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(QColor(20, 20, 20), 3));
    painter.drawRect(frame);
    painter.setPen(QPen(QColor(250, 250, 248), 1));
    painter.drawRect(frame);
    painter.restore();
}

void Canvas::paintLoupe(QPainter &painter) const
{
    if (!loupe_ || !pointer_ || !pointerAt_ || closer_.image.isNull())
        return;
    const double ratio = devicePixelRatioF();
    const double zoom = loupeZoom();
    const QRectF box(*pointerAt_ - QPointF(kLoupeSide / 2, kLoupeSide / 2), QSizeF(kLoupeSide, kLoupeSide));
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    QPainterPath frame;
    frame.addRoundedRect(box, 12, 12);
    painter.fillPath(frame, surround_);
    painter.setClipPath(frame);
    const QPointF corner = *pointerAt_ + (closer_.region.topLeft() - *pointer_) * zoom / ratio;
    painter.setRenderHint(QPainter::SmoothPixmapTransform, false);
    painter.drawImage(QRectF(corner, closer_.region.size() * zoom / ratio), closer_.image);
    painter.setClipping(false);
    painter.setBrush(Qt::NoBrush);
    painter.setPen(QPen(QColor(20, 20, 20), 3));
    painter.drawPath(frame);
    painter.setPen(QPen(QColor(250, 250, 248), 1.2));
    painter.drawPath(frame);
    painter.restore();
}

} // namespace yolk::app
