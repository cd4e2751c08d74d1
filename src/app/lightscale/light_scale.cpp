#include "lightscale/light_scale_p.h"

#include "theme/theme.h"

#include <QCoreApplication>
#include <QHelpEvent>
#include <QKeyEvent>
#include <QMouseEvent>
#include <QToolTip>

#include <algorithm>
#include <cmath>

namespace yolk::app {

QString zoneName(int zone)
{
    static const std::array<const char *, 5> names{
        QT_TRANSLATE_NOOP("LightScale", "Blacks"), QT_TRANSLATE_NOOP("LightScale", "Shadows"),
        QT_TRANSLATE_NOOP("LightScale", "Middle"), QT_TRANSLATE_NOOP("LightScale", "Highlights"),
        QT_TRANSLATE_NOOP("LightScale", "Whites")};
    return QCoreApplication::translate("LightScale", names[size_t(zone)]);
}

namespace {

constexpr double kLeastBarsHeight = 52.0, kMostBarsHeight = 66.0, kBarPitch = 7.3; // all frames together; one labelled
constexpr double kReach = 13.0;                                                    // of the pointer round a handle
const double kClipEv = -std::log2(0.18); // the clipping of a frame of 0 EV stands this far over middle grey

double clipEv(const BracketFrame &f)
{
    return kClipEv - f.ev;
}
double evOfSnr(const BracketFrame &f, double snr)
{
    return clipEv(f) + std::log2(f.measured.noise.levelOfSnr(snr));
}

} // namespace

LightScale::LightScale(Document *document, QWidget *parent) : QWidget(parent), document_(document)
{
    setFocusPolicy(Qt::StrongFocus);
    setMouseTracking(true);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    setAccessibleName(tr("Light scale"));
    setAccessibleDescription(
        tr("Left and right choose a zone handle, up and down move it, with Shift finer. While peeking: left and "
           "right move the window, up and down widen it."));
    const auto refresh = qOverload<>(&QWidget::update);
    connect(document, &Document::setChanged, this, [this] { probe_.reset(); });
    connect(document, &Document::bracketChanged, this, &LightScale::findRange);
    connect(document, &Document::recipeChanged, this, // what the picture's histogram is then, its summary will say
            [this] { update(QRegion(rect()) - outputPart()); });
    connect(document, &Document::lookChanged, this, refresh);
    connect(document, &Document::histogramChanged, this, refresh);
    connect(document->areas(), &Areas::histogramChanged, this, refresh);
    connect(document->areas(), &Areas::chosenChanged, this, refresh);
    connect(document, &Document::mergedChanged, this, refresh);
    connect(document, &Document::summaryChanged, this, [this, document] {
        const bool curveToo = document->isOpen() && document->recipe().tone.method == ToneMethod::Blend; // it is measured
        update(curveToo || outputPart().isEmpty() ? rect() : outputPart());
    });
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
    const QRectF output = outputBox();
    const double right = output.isEmpty() ? width() - kRight : output.left() - kOutputGap;
    return QRectF(kLeft, kTop, std::max(10.0, right - kLeft), height() - kTop - kAxisHeight);
}

QRectF LightScale::outputBox() const
{
    constexpr int kLeastWidth = 860; // the scale itself comes first
    if (!document_->isOpen() || width() < kLeastWidth)
        return {};
    return QRectF(width() - kRight - kOutputWidth, kTop + 18, kOutputWidth, height() - kTop - kAxisHeight - 18);
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
    if (document_->isOpen() && showsTone())
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

void LightScale::mousePressEvent(QMouseEvent *event)
{
    if (event->button() != Qt::LeftButton)
        return;
    if (isPeeking() || onAxis(event->position())) {
        dragging_ = true;
        beginPeek(event->position());
        return update();
    }
    static int spans = 0;
    if (spanGrip_ = spanGripAt(event->position()); spanGrip_ != Grip::None) {
        dragging_ = true;
        gripOffset_ = (spanGrip_ == Grip::High ? span()->high : span()->low) - evAt(event->position().x());
        gesture_ = QStringLiteral("light-scale-span-%1").arg(++spans);
        return update();
    }
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
    if (dragging_ && grip_ != Grip::None)
        return dragPeek(event->position());
    if (dragging_ && spanGrip_ != Grip::None)
        return dragSpan(event->position());
    if (dragging_) {
        const QRectF area = curveArea();
        const double y = event->position().y() + grabOffset_.y();
        document_->dragZone(current_, (area.bottom() - y) / area.height() * 100.0, gesture_);
        return;
    }
    if (isPeeking() || onAxis(event->position())) {
        hovered_ = hoveredBar_ = -1;
        const bool window = !isPeeking() || gripAt(event->position()) == Grip::Window;
        return setCursor(window ? Qt::OpenHandCursor : Qt::SizeHorCursor);
    }
    if (const Grip grip = spanGripAt(event->position()); grip != Grip::None) {
        hovered_ = hoveredBar_ = -1;
        return setCursor(grip == Grip::Window ? Qt::OpenHandCursor : Qt::SizeHorCursor);
    }
    const int zone = handleNear(event->position());
    const int bar = zone < 0 ? barAt(event->position()) : -1;
    if (zone == hovered_ && bar == hoveredBar_ && cursor().shape() != Qt::OpenHandCursor)
        return;
    hovered_ = zone;
    hoveredBar_ = bar;
    setCursor(zone >= 0 ? Qt::SizeVerCursor : bar >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
    update();
}

void LightScale::mouseReleaseEvent(QMouseEvent *)
{
    dragging_ = false;
    grip_ = spanGrip_ = Grip::None;
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
    if (isPeeking() && peekKey(*event))
        return;
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
    else if (isPeeking() || onAxis(at))
        QToolTip::showText(help->globalPos(),
                           tr("Peek: drag to look at just the light within the window, at its edges to make it wider. "
                              "Nothing is changed; Esc shows the picture again."),
                           this);
    else if (at.x() > kLeft && at.y() < kTop + barsHeight())
        QToolTip::showText(
            help->globalPos(),
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
