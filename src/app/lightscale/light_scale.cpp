#include "lightscale/light_scale.h"

#include "theme/theme.h"
#include "widgets/number_text.h"

#include <QCoreApplication>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QPainterPath>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr double kLeft = 172.0, kRight = 16.0, kTop = 8.0, kAxisHeight = 22.0;
constexpr double kLeastBarsHeight = 52.0, kMostBarsHeight = 66.0, kBarPitch = 7.3; // all frames together; one labelled
constexpr double kEggHeight = 16.0, kReach = 13.0;
const double kClipEv = -std::log2(0.18); // the clipping of a frame of 0 EV stands this far over middle grey

QString zoneName(int zone)
{
    static const std::array<const char *, 5> names{
        QT_TRANSLATE_NOOP("LightScale", "Blacks"), QT_TRANSLATE_NOOP("LightScale", "Shadows"),
        QT_TRANSLATE_NOOP("LightScale", "Middle"), QT_TRANSLATE_NOOP("LightScale", "Highlights"),
        QT_TRANSLATE_NOOP("LightScale", "Whites")};
    return QCoreApplication::translate("LightScale", names[size_t(zone)]);
}

double clipEv(const BracketFrame &f)
{
    return kClipEv - f.ev;
}
double evOfSnr(const BracketFrame &f, double snr)
{
    return clipEv(f) + std::log2(f.measured.noise.levelOfSnr(snr));
}

QString exposureText(const BracketFrame &f)
{
    const QString shutter = shutterText(f.frame->metadata);
    return shutter.isEmpty() ? evText(f.ev) : shutter;
}

} // namespace

LightScale::LightScale(Document *document, QWidget *parent) : QWidget(parent), document_(document)
{
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setAccessibleName(tr("Light scale"));
    setAccessibleDescription(tr("Left and right choose a zone handle, up and down move it, with Shift finer."));
    const auto refresh = qOverload<>(&QWidget::update);
    connect(document, &Document::setChanged, this, [this] { probe_.reset(); });
    connect(document, &Document::bracketChanged, this, &LightScale::findRange);
    connect(document, &Document::recipeChanged, this, refresh);
    connect(document, &Document::lookChanged, this, refresh);
    connect(document, &Document::histogramChanged, this, refresh);
    connect(document, &Document::mergedChanged, this, refresh);
    connect(document, &Document::thumbnailsChanged, this, refresh);
    connect(&Theme::instance(), &Theme::changed, this, refresh);
}

void LightScale::setProbe(const std::optional<Probe> &probe)
{
    probe_ = probe;
    update();
}

double LightScale::headEv(const BracketFrame &f) const
{
    return f.frame->isRadiance() ? document_->measured().tone.peakEv : clipEv(f);
}

double LightScale::floorEv(const BracketFrame &f, double snr) const
{
    return f.frame->isRadiance() ? document_->measured().tone.lowEv : evOfSnr(f, snr);
}

void LightScale::findRange()
{
    double first = 0.0, last = 0.0;
    for (const BracketFrame *f : document_->bracket().used()) {
        first = std::min(first, floorEv(*f, 1.0));
        last = std::max(last, headEv(*f));
    }
    // All handles have room, and a stop shows what lies beyond the frames at either end.
    firstEv_ = std::floor(std::min(first, document_->zonePositions().front())) - 1.0;
    lastEv_ = std::ceil(std::max(last, document_->zonePositions().back())) + 1.0;
}

QRectF LightScale::plot() const
{
    return QRectF(kLeft, kTop, std::max(10.0, width() - kLeft - kRight), height() - kTop - kAxisHeight);
}

QRectF LightScale::curveArea() const
{
    const QRectF p = plot();
    return QRectF(p.left(), p.top() + barsHeight() + 6, p.width(), p.height() - barsHeight() - 6);
}

double LightScale::xOfEv(double ev) const
{
    const QRectF p = plot();
    return p.left() + (ev - firstEv_) / (lastEv_ - firstEv_) * p.width();
}

double LightScale::yOfLightness(double lightness) const
{
    const QRectF area = curveArea();
    return area.bottom() - lightness / 100.0 * area.height();
}

QPointF LightScale::handlePosition(int zone) const
{
    const double ev = document_->zonePositions()[size_t(zone)];
    return {xOfEv(ev), yOfLightness(document_->lightnessAt(ev))};
}

QPointF LightScale::barPosition(int frame) const
{
    const BracketFrame &f = document_->bracket().frames[size_t(frame)];
    return {xOfEv(headEv(f)) - 10.0, plot().top() + barPitch() * (frame + 0.5)};
}

int LightScale::handleNear(const QPointF &position) const
{
    int nearest = -1;
    double best = kReach;
    if (document_->isOpen())
        for (int zone = 0; zone < int(kZones.size()); ++zone) {
            const QPointF d = handlePosition(zone) - position;
            if (const double distance = std::hypot(d.x(), d.y()); distance < best) {
                best = distance;
                nearest = zone;
            }
        }
    return nearest;
}

QString LightScale::sentence() const
{
    if (!document_->isOpen())
        return tr("Frames, scene and tone on one axis in stops of light.");
    if (document_->measured().light.empty())
        return tr("Merged radiance: the bar spans what it holds.");
    QString words = QString::fromStdString(coverageSentence(document_->bracket(), document_->coverage()));
    words[0] = words[0].toUpper();
    return words;
}

double LightScale::barsHeight() const
{
    const double frames = document_->isOpen() ? double(document_->bracket().frames.size()) : 0.0;
    return std::clamp(frames * kBarPitch, kLeastBarsHeight, kMostBarsHeight);
}

double LightScale::barPitch() const
{
    return std::min(10.4, barsHeight() / double(document_->bracket().frames.size()));
}

int LightScale::barAt(const QPointF &position) const
{
    if (!document_->isOpen() || position.x() < kLeft)
        return -1;
    const int bar = int(std::floor((position.y() - plot().top()) / barPitch()));
    const auto &frames = document_->bracket().frames;
    return bar >= 0 && bar < int(frames.size()) && frames[size_t(bar)].usable ? bar : -1;
}

void LightScale::paintEvent(QPaintEvent *)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.fillRect(rect(), tokens().chrome);
    painter.fillRect(QRectF(0, 0, width(), 1), tokens().line);
    paintWords(painter);
    if (!document_->isOpen()) {
        paintAxis(painter);
        return;
    }
    paintHistogram(painter);
    paintLimits(painter);
    paintAxis(painter);
    paintBars(painter);
    paintCurve(painter);
    paintProbe(painter);
}

void LightScale::paintWords(QPainter &painter) const
{
    QFont bold = font();
    bold.setWeight(QFont::DemiBold);
    painter.setFont(bold);
    painter.setPen(tokens().text);
    painter.drawText(QPointF(16, kTop + 13), tr("Light scale"));
    QFont small = font();
    small.setPixelSize(12);
    painter.setFont(small);
    painter.setPen(tokens().secondary);
    const QRectF room(16, kTop + 22, kLeft - 36, height() - kTop - 26);
    painter.drawText(room, Qt::AlignLeft | Qt::AlignTop | Qt::TextWordWrap, sentence());
}

void LightScale::paintAxis(QPainter &painter) const
{
    const QRectF p = plot();
    QFont small = font();
    small.setPixelSize(11);
    painter.setFont(small);
    painter.setPen(QPen(tokens().secondary, 1));
    painter.drawLine(QPointF(p.left(), p.bottom() + 0.5), QPointF(p.right(), p.bottom() + 0.5));
    const double perEv = p.width() / (lastEv_ - firstEv_);
    const int step = perEv * 2 > 34 ? 2 : 4; // labels never touch
    for (int ev = int(std::ceil(firstEv_)); ev <= int(lastEv_); ++ev) {
        const double x = std::floor(xOfEv(ev)) + 0.5;
        const bool labelled = ev % step == 0;
        painter.setPen(QPen(tokens().secondary, 1));
        painter.drawLine(QPointF(x, p.bottom()), QPointF(x, p.bottom() + (labelled ? 5 : 3)));
        if (!labelled)
            continue;
        painter.setPen(ev == 0 ? tokens().text : tokens().secondary);
        painter.drawText(QRectF(x - 30, p.bottom() + 4, 60, 16), Qt::AlignCenter,
                         ev == 0 ? tr("0 EV") : signedNumber(ev, 0));
    }
}

void LightScale::paintLimits(QPainter &painter) const
{
    double noise = 1e9, clip = -1e9;
    for (const BracketFrame *f : document_->bracket().used()) {
        noise = std::min(noise, floorEv(*f, 1.0));
        clip = std::max(clip, headEv(*f));
    }
    const QRectF area = curveArea();
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    for (const auto &[from, to] : {std::pair(firstEv_, noise), std::pair(clip, lastEv_)}) {
        const QRectF part(QPointF(xOfEv(from), area.top()), QPointF(xOfEv(to), area.bottom()));
        painter.setClipRect(part);
        painter.setPen(QPen(tokens().secondary, 1));
        for (double x = part.left() - area.height(); x < part.right(); x += 6)
            painter.drawLine(QPointF(x, area.bottom()), QPointF(x + area.height(), area.top()));
    }
    painter.restore();
}

void LightScale::paintHistogram(QPainter &painter) const
{
    const SceneHistogram *histogram = document_->histogram();
    if (!histogram)
        return;
    const QRectF area = curveArea();
    float most = 1e-6f;
    for (int bin = 1; bin + 1 < SceneHistogram::kBins; ++bin) // the ends hold all that lies beyond
        most = std::max(most, histogram->shares[size_t(bin)]);
    QPainterPath path(QPointF(area.left(), area.bottom()));
    for (int bin = 0; bin < SceneHistogram::kBins; ++bin) {
        const double x = xOfEv(SceneHistogram::kFirstEv + (bin + 0.5) * SceneHistogram::kBinEv);
        if (x < area.left() || x > area.right())
            continue;
        // Root of the share: a bright doorway is a small part of a picture and must still be seen.
        const double share = std::sqrt(double(std::min(histogram->shares[size_t(bin)], most) / most));
        path.lineTo(x, area.bottom() - 0.78 * share * area.height());
    }
    path.lineTo(area.right(), area.bottom());
    painter.setPen(Qt::NoPen);
    painter.setBrush(tokens().histogram);
    painter.setOpacity(0.75);
    painter.drawPath(path);
    painter.setOpacity(1.0);
}

void LightScale::paintBars(QPainter &painter) const
{
    const auto &frames = document_->bracket().frames;
    const double pitch = barPitch();
    const bool labelled = pitch >= 7.0; // up to nine frames
    QFont small = font();
    small.setPixelSize(pitch >= 9.0 ? 11 : 10);
    painter.setFont(small);
    for (size_t i = 0; i < frames.size(); ++i) {
        const BracketFrame &f = frames[i];
        const double y = plot().top() + pitch * (double(i) + 0.5);
        const bool hovered = int(i) == hoveredBar_, looked = document_->lookedAt() == i;
        const double thickness = std::min(4.0, pitch * 0.5) + (hovered || looked ? 1.5 : 0.0);
        const double dark = std::max(plot().left(), xOfEv(floorEv(f, 1.0))), clean = xOfEv(floorEv(f, 10.0));
        if (!f.usable)
            continue;
        const QString reference = i == document_->bracket().reference ? tr(" · reference") : QString();
        const QString words = QStringLiteral("%1  %2%3").arg(f.number).arg(exposureText(f), reference);
        // Thumbnail and words stay within the window.
        const double room = labelled ? 1.5 * pitch + 13 + painter.fontMetrics().horizontalAdvance(words) : 4;
        const double head = std::min(xOfEv(headEv(f)), double(width()) - 6 - room);
        QColor solid = tokens().bars, faint = tokens().bars;
        faint.setAlphaF(0.06f);
        if (!f.used)
            solid.setAlphaF(0.25f);
        QLinearGradient gradient(QPointF(dark, 0), QPointF(std::max(clean, dark + 1), 0));
        gradient.setColorAt(0, faint);
        gradient.setColorAt(1, solid);
        painter.setPen(Qt::NoPen);
        painter.setBrush(gradient);
        painter.drawRoundedRect(QRectF(QPointF(dark, y - thickness / 2), QPointF(head, y + thickness / 2)), 2, 2);
        double x = head + 4;
        if (const QImage image = document_->thumbnail(f.frame->id); labelled && !image.isNull()) {
            const double h = std::min(pitch - 0.4, 10.0), w = h * 1.5;
            const double shown = std::min(image.width() / 1.5, double(image.height())); // the middle, cropped to 3:2
            const QRectF part(QPointF((image.width() - 1.5 * shown) / 2, (image.height() - shown) / 2),
                              QSizeF(1.5 * shown, shown));
            painter.setOpacity(f.used ? 1.0 : 0.4);
            painter.setRenderHint(QPainter::SmoothPixmapTransform);
            painter.drawImage(QRectF(x, y - h / 2, w, h), image, part);
            painter.setOpacity(1.0);
            x += w + 5;
        }
        if (labelled) {
            painter.setPen(f.used ? tokens().text : tokens().secondary);
            painter.drawText(QPointF(x, y + 3.6), words);
        }
    }
}

void LightScale::paintCurve(QPainter &painter) const
{
    const QRectF area = curveArea();
    QPolygonF curve;
    for (double x = area.left(); x <= area.right() + 0.5; x += 3) {
        const double ev = firstEv_ + (x - area.left()) / area.width() * (lastEv_ - firstEv_);
        curve << QPointF(x, yOfLightness(document_->lightnessAt(ev)));
    }
    painter.setPen(QPen(tokens().chrome, 4)); // a halo keeps the line apart from the histogram
    painter.drawPolyline(curve);
    painter.setPen(QPen(tokens().text, 1.6));
    painter.drawPolyline(curve);
    for (int zone = 0; zone < int(kZones.size()); ++zone) {
        const bool live = zone == current_ && (dragging_ || hasFocus());
        const bool large = live || zone == hovered_;
        const QPointF at = handlePosition(zone);
        paintEgg(painter, at, large ? kEggHeight + 2 : kEggHeight, live, false);
        if (!large || (probe_ && !dragging_)) // the pixel under the pointer has the word
            continue;
        const double value = document_->recipe().tone.*kZones[size_t(zone)];
        const QString words = zoneName(zone) + QStringLiteral("  ") + signedNumber(value, 0);
        QFont small = font();
        small.setPixelSize(12);
        small.setWeight(QFont::DemiBold);
        painter.setFont(small);
        const double w = painter.fontMetrics().horizontalAdvance(words) + 12;
        const bool below = at.y() - 30 < plot().top();
        const double x = std::clamp(at.x() - w / 2, area.left(), area.right() - w);
        const QRectF box(x, below ? at.y() + 11 : at.y() - 29, w, 18);
        painter.setPen(Qt::NoPen);
        painter.setBrush(tokens().field);
        painter.drawRoundedRect(box, 4, 4);
        painter.setPen(tokens().text);
        painter.drawText(box, Qt::AlignCenter, words);
    }
}

void LightScale::paintProbe(QPainter &painter) const
{
    if (!probe_)
        return;
    const QRectF p = plot();
    const double x = std::clamp(xOfEv(probe_->ev), p.left(), p.right());
    painter.setPen(QPen(tokens().text, 1, Qt::DashLine));
    painter.drawLine(QPointF(x, p.top()), QPointF(x, p.bottom()));
    QString words = tr("%1 EV").arg(signedNumber(probe_->ev, 1));
    if (probe_->clipped)
        words += tr(" · clipped in every frame");
    else if (!probe_->shares.empty()) {
        QStringList parts;
        for (size_t i = 0; i < std::min<size_t>(3, probe_->shares.size()); ++i)
            parts << tr("%1: %2 %").arg(probe_->shares[i].first).arg(std::lround(100 * probe_->shares[i].second));
        words += tr(" · frame ") + parts.join(QStringLiteral(", "));
    }
    QFont small = font();
    small.setPixelSize(12);
    painter.setFont(small);
    const double w = painter.fontMetrics().horizontalAdvance(words) + 14;
    const double left = x + 8 + w < p.right() ? x + 8 : x - 8 - w;
    QRectF box;
    for (const double y : {curveArea().top() + 2, p.bottom() - 22, p.top() + 2}) { // where it covers no handle
        box = QRectF(left, y, w, 19);
        bool covers = false;
        for (int zone = 0; zone < int(kZones.size()); ++zone)
            covers = covers || box.adjusted(-9, -11, 9, 11).contains(handlePosition(zone));
        if (!covers)
            break;
    }
    painter.setPen(Qt::NoPen);
    painter.setBrush(tokens().field);
    painter.drawRoundedRect(box, 4, 4);
    painter.setPen(tokens().text);
    painter.drawText(box, Qt::AlignCenter, words);
}

void LightScale::mousePressEvent(QMouseEvent *event)
{
    if (event->button() != Qt::LeftButton)
        return;
    const int zone = handleNear(event->position());
    if (zone < 0) {
        if (const int bar = barAt(event->position()); bar >= 0)
            document_->setFrameUsed(size_t(bar), !document_->bracket().frames[size_t(bar)].used);
        return;
    }
    static int count = 0;
    current_ = zone;
    dragging_ = true;
    gesture_ = QStringLiteral("light-scale-drag-%1").arg(++count);
    grabOffset_ = handlePosition(zone) - event->position();
    update();
}

void LightScale::mouseMoveEvent(QMouseEvent *event)
{
    if (dragging_) {
        const QRectF area = curveArea();
        const double y = event->position().y() + grabOffset_.y();
        document_->dragZone(current_, (area.bottom() - y) / area.height() * 100.0, gesture_);
        return;
    }
    const int zone = handleNear(event->position());
    const int bar = zone < 0 ? barAt(event->position()) : -1;
    if (zone == hovered_ && bar == hoveredBar_)
        return;
    hovered_ = zone;
    hoveredBar_ = bar;
    setCursor(zone >= 0 ? Qt::SizeVerCursor : bar >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
    update();
}

void LightScale::mouseReleaseEvent(QMouseEvent *)
{
    dragging_ = false;
    update();
}

void LightScale::mouseDoubleClickEvent(QMouseEvent *event)
{
    const int zone = handleNear(event->position());
    if (zone >= 0)
        document_->setTone(kZones[size_t(zone)], 0.0, zoneName(zone));
}

void LightScale::leaveEvent(QEvent *)
{
    hovered_ = hoveredBar_ = -1;
    update();
}

void LightScale::keyPressEvent(QKeyEvent *event)
{
    if (!document_->isOpen())
        return QWidget::keyPressEvent(event);
    const bool fine = event->modifiers() & Qt::ShiftModifier;
    switch (event->key()) {
    case Qt::Key_Left:
        current_ = std::max(0, current_ - 1);
        break;
    case Qt::Key_Right:
        current_ = std::min(int(kZones.size()) - 1, current_ + 1);
        break;
    case Qt::Key_Up:
        return nudge(+1, fine);
    case Qt::Key_Down:
        return nudge(-1, fine);
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
        document_->setTone(kZones[size_t(current_)], 0.0, zoneName(current_));
        break;
    default:
        return QWidget::keyPressEvent(event);
    }
    gesture_.clear();
    update();
}

void LightScale::keyReleaseEvent(QKeyEvent *event)
{
    if (!event->isAutoRepeat())
        gesture_.clear(); // the next press is a step of undo of its own
    QWidget::keyReleaseEvent(event);
}

void LightScale::focusOutEvent(QFocusEvent *)
{
    gesture_.clear();
    update();
}

void LightScale::nudge(int direction, bool fine)
{
    static int count = 0;
    if (gesture_.isEmpty())
        gesture_ = QStringLiteral("light-scale-key-%1").arg(++count);
    const auto member = kZones[size_t(current_)];
    const double value = std::clamp(document_->recipe().tone.*member + direction * (fine ? 0.1 : 1.0), -100.0, 100.0);
    document_->setTone(member, value, zoneName(current_), gesture_);
}

bool LightScale::event(QEvent *event)
{
    if (event->type() != QEvent::ToolTip || !document_->isOpen())
        return QWidget::event(event);
    const auto *help = static_cast<QHelpEvent *>(event);
    const QPointF at = help->pos();
    if (const int zone = handleNear(at); zone >= 0)
        QToolTip::showText(
            help->globalPos(),
            tr("Drag up or down: lightens or darkens the %1 of the picture; double click returns to neutral.")
                .arg(zoneName(zone).toLower()),
            this);
    else if (at.x() > kLeft && at.y() < kTop + barsHeight())
        QToolTip::showText(help->globalPos(),
                           tr("One bar per frame: from its noise floor (fading) to its clipping point (the head). A click "
                              "leaves the frame out or takes it in again."),
                           this);
    else
        QToolTip::showText(
            help->globalPos(),
            tr("Scene light across in stops, lightness on the display upwards; grey hills: how much of the picture "
               "has that light; hatched: held by no frame."),
            this);
    return true;
}

} // namespace yolk::app
