#include "widgets/hue_ring.h"

#include "colour/oklab.h"
#include "colour/transfer.h"
#include "theme/theme.h"

#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QUuid>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace yolk::app {
namespace {

constexpr double kThick = 16.0, kBars = 20.0, kMarkHeight = 18.0; // logical pixels
constexpr double kReach = 30.0;                                   // of a mark of full strength, outwards or inwards

const OklabSpace &srgb()
{
    static const OklabSpace space(kRec709);
    return space;
}

/// A colour of the ring, as a screen shows it.
QColor ringColour(double degrees)
{
    constexpr double kLightness = 0.72, kChroma = 0.115; // every hue of it lies in sRGB
    const double angle = degrees * std::numbers::pi / 180.0;
    const Vector3 rgb = srgb().toRgb({kLightness, kChroma * std::cos(angle), kChroma * std::sin(angle)});
    const auto code = [&](size_t c) { return int(std::lround(255.0 * encodeSrgb(std::clamp(rgb[c], 0.0, 1.0)))); };
    return {code(0), code(1), code(2)};
}

QString newGesture()
{
    return QUuid::createUuid().toString();
}

} // namespace

HueRing::HueRing(QWidget *parent) : QWidget(parent)
{
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Fixed);
    setAccessibleName(tr("Hue ring"));
    setToolTip(
        tr("The ring of hues, with those of the picture round it. Click to set a mark; drag it along the ring to "
           "turn its hue, out or in to make it stronger or weaker; the wheel makes it lighter or darker."));
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

double HueRing::radius() const
{
    return 0.5 * std::min(width(), height()) - kBars - kThick / 2.0 - 4.0;
}

QPointF HueRing::at(double degrees, double radius) const
{
    const double angle = degrees * std::numbers::pi / 180.0; // counter-clockwise from the right, as in Oklab's plane
    return QPointF(rect().center()) + QPointF(0.5, 0.5) + radius * QPointF(std::cos(angle), -std::sin(angle));
}

QPointF HueRing::placeOfHue(double degrees) const
{
    return at(degrees, radius());
}

QPointF HueRing::placeOf(const HueMark &mark) const
{
    return at(mark.hue + mark.turn, radius() + kReach * mark.saturation / 100.0);
}

double HueRing::hueAt(const QPointF &position) const
{
    const QPointF from = position - (QPointF(rect().center()) + QPointF(0.5, 0.5));
    const double degrees = std::atan2(-from.y(), from.x()) * 180.0 / std::numbers::pi;
    return degrees < 0.0 ? degrees + 360.0 : degrees;
}

std::optional<int> HueRing::markAt(const QPointF &position) const
{
    for (int i = int(marks_.size()) - 1; i >= 0; --i) {
        const QPointF d = placeOf(marks_[size_t(i)]) - position;
        if (std::hypot(d.x(), d.y()) <= kMarkHeight / 2.0 + 3.0)
            return i;
    }
    return std::nullopt;
}

void HueRing::setMarks(const std::vector<HueMark> &marks, int selected)
{
    marks_ = marks;
    selected_ = selected;
    update();
}

void HueRing::setPicture(const QImage &picture)
{
    picture_ = picture;
    isCounted_ = false;
    update();
}

const std::array<double, HueRing::kBins> &HueRing::shares()
{
    if (!isCounted_)
        count(picture_);
    return shares_;
}

void HueRing::count(const QImage &picture)
{
    isCounted_ = true;
    static const std::array<double, 256> linear = [] {
        std::array<double, 256> out;
        for (size_t code = 0; code < out.size(); ++code)
            out[code] = decodeSrgb(double(code) / 255.0);
        return out;
    }();
    std::array<double, kBins> sums{};
    const int step = std::max(1, std::max(picture.width(), picture.height()) / 100); // some thousand pixels tell
    for (int y = 0; y < picture.height(); y += step)
        for (int x = 0; x < picture.width(); x += step) {
            const QRgb p = picture.pixel(x, y);
            const Oklab lab =
                srgb().fromRgb({linear[size_t(qRed(p))], linear[size_t(qGreen(p))], linear[size_t(qBlue(p))]});
            const double hue = std::atan2(lab.b, lab.a) * kBins / (2.0 * std::numbers::pi);
            sums[size_t(std::lround(hue) + kBins) % kBins] += chromaOf(lab); // strong colours are seen, grey is not
        }
    const double most = *std::ranges::max_element(sums);
    for (size_t i = 0; i < sums.size(); ++i)
        shares_[i] = most > 0.0 ? sums[i] / most : 0.0;
}

void HueRing::paintRing()
{
    const double ratio = devicePixelRatioF();
    ring_ = QImage((QSizeF(size()) * ratio).toSize(), QImage::Format_ARGB32_Premultiplied);
    ring_.setDevicePixelRatio(ratio);
    ring_.fill(Qt::transparent);
    QPainter painter(&ring_);
    painter.setRenderHint(QPainter::Antialiasing);
    constexpr int kStep = 2;
    for (int hue = 0; hue < 360; hue += kStep) {
        QPainterPath piece(at(hue - 0.3, radius() - kThick / 2.0));
        piece.lineTo(at(hue - 0.3, radius() + kThick / 2.0));
        piece.lineTo(at(hue + kStep + 0.3, radius() + kThick / 2.0));
        piece.lineTo(at(hue + kStep + 0.3, radius() - kThick / 2.0));
        piece.closeSubpath();
        painter.fillPath(piece, ringColour(hue + kStep / 2.0));
    }
}

void HueRing::paintEvent(QPaintEvent *)
{
    if (ring_.isNull() || ring_.devicePixelRatio() != devicePixelRatioF())
        paintRing();
    const Tokens &t = tokens();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    painter.setBrush(t.histogram);
    const auto &counted = shares(); // not before it is seen: settings move on in other steps as well
    constexpr double kBin = 360.0 / kBins, kGap = 3.0;
    QPainterPath hues;
    for (int i = 0; i <= kBins; ++i) {
        const QPointF p = at(i * kBin, radius() + kThick / 2.0 + kGap + (kBars - kGap) * counted[size_t(i % kBins)]);
        i == 0 ? hues.moveTo(p) : hues.lineTo(p);
    }
    QPainterPath inner;
    inner.addEllipse(QPointF(rect().center()) + QPointF(0.5, 0.5), radius() + kThick / 2.0 + kGap,
                     radius() + kThick / 2.0 + kGap);
    painter.drawPath(hues.subtracted(inner));
    painter.drawImage(0, 0, ring_);
    if (selected_ >= 0 && size_t(selected_) < marks_.size()) { // its width, inside the ring
        const HueMark &m = marks_[size_t(selected_)];
        const double r = radius() - kThick / 2.0 - 4.0;
        const QPointF c = QPointF(rect().center()) + QPointF(0.5, 0.5);
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(t.text, 1.6, Qt::SolidLine, Qt::FlatCap));
        painter.drawArc(QRectF(c.x() - r, c.y() - r, 2 * r, 2 * r), int(std::lround((m.hue - m.width) * 16)),
                        int(std::lround(2 * m.width * 16)));
    }
    for (size_t i = 0; i < marks_.size(); ++i) {
        const QPointF place = placeOf(marks_[i]), from = placeOfHue(marks_[i].hue);
        painter.setPen(QPen(t.text, 1.2));
        painter.drawLine(from, place);
        painter.setPen(QPen(t.text, 1.4));
        painter.setBrush(Qt::NoBrush);
        painter.drawEllipse(from, 3.0, 3.0);
        paintEgg(painter, place, kMarkHeight, int(i) == selected_, int(i) == selected_ && hasFocus());
    }
}

void HueRing::hoverOver(int mark)
{
    if (mark != hovered_)
        Q_EMIT hovered(hovered_ = mark);
}

void HueRing::mousePressEvent(QMouseEvent *event)
{
    if (event->button() != Qt::LeftButton)
        return;
    if (const auto mark = markAt(event->position())) {
        dragging_ = true;
        gesture_ = newGesture();
        Q_EMIT selectAsked(*mark);
        return;
    }
    const QPointF from = event->position() - QPointF(rect().center());
    if (std::abs(std::hypot(from.x(), from.y()) - radius()) <= kThick / 2.0 + 2.0)
        Q_EMIT addAsked(hueAt(event->position()));
}

void HueRing::mouseMoveEvent(QMouseEvent *event)
{
    if (!dragging_)
        return hoverOver(markAt(event->position()).value_or(-1));
    if (selected_ < 0)
        return;
    HueMark m = marks_[size_t(selected_)];
    const QPointF from = event->position() - (QPointF(rect().center()) + QPointF(0.5, 0.5));
    constexpr auto &kTurn = fieldOf<kHueMarkFields, &HueMark::turn>();
    constexpr auto &kStrength = fieldOf<kHueMarkFields, &HueMark::saturation>();
    m.turn =
        std::clamp(std::round(std::remainder(hueAt(event->position()) - m.hue, 360.0)), kTurn.minimum, kTurn.maximum);
    m.saturation = std::clamp(std::round((std::hypot(from.x(), from.y()) - radius()) / kReach * 100.0),
                              kStrength.minimum, kStrength.maximum);
    Q_EMIT changed(selected_, m, gesture_);
}

void HueRing::mouseReleaseEvent(QMouseEvent *)
{
    dragging_ = false;
}

void HueRing::wheelEvent(QWheelEvent *event)
{
    if (selected_ < 0 || !hasFocus())
        return event->ignore(); // the panel scrolls
    HueMark m = marks_[size_t(selected_)];
    constexpr auto &kLightness = fieldOf<kHueMarkFields, &HueMark::lightness>();
    m.lightness =
        std::clamp(m.lightness + std::round(event->angleDelta().y() / 120.0), kLightness.minimum, kLightness.maximum);
    Q_EMIT changed(selected_, m, QStringLiteral("wheel on the ring"));
    event->accept();
}

void HueRing::keyPressEvent(QKeyEvent *event)
{
    const int count = int(marks_.size());
    if (count == 0 || selected_ < 0)
        return QWidget::keyPressEvent(event);
    HueMark m = marks_[size_t(selected_)];
    constexpr auto &kTurn = fieldOf<kHueMarkFields, &HueMark::turn>();
    constexpr auto &kStrength = fieldOf<kHueMarkFields, &HueMark::saturation>();
    switch (event->key()) {
    case Qt::Key_Left:
    case Qt::Key_Right:
        m.turn = std::clamp(m.turn + (event->key() == Qt::Key_Left ? 1.0 : -1.0), kTurn.minimum, kTurn.maximum);
        break;
    case Qt::Key_Up:
    case Qt::Key_Down:
        m.saturation =
            std::clamp(m.saturation + (event->key() == Qt::Key_Up ? 1.0 : -1.0), kStrength.minimum, kStrength.maximum);
        break;
    case Qt::Key_PageUp:
        return Q_EMIT selectAsked((selected_ + count - 1) % count);
    case Qt::Key_PageDown:
        return Q_EMIT selectAsked((selected_ + 1) % count);
    case Qt::Key_Delete:
        return Q_EMIT removeAsked(selected_);
    default:
        return QWidget::keyPressEvent(event);
    }
    Q_EMIT changed(selected_, m, QStringLiteral("keys on the ring"));
}

} // namespace yolk::app
