#include "widgets/value_slider.h"

#include "theme/theme.h"
#include "widgets/number_text.h"

#include <QHBoxLayout>
#include <QKeyEvent>
#include <QLabel>
#include <QLocale>
#include <QMouseEvent>
#include <QPainter>
#include <QVBoxLayout>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr double kMargin = 7.0, kEggHeight = 15.0;
constexpr int kFinePerStep = 10;

QString newGesture(const QString &name)
{
    static int count = 0;
    return name + QLatin1Char('#') + QString::number(++count);
}

} // namespace

SliderTrack::SliderTrack(const SliderSpec &spec, QWidget *parent)
    : QAbstractSlider(parent), spec_(spec), real_(spec.neutral), start_(spec.neutral)
{
    setOrientation(Qt::Horizontal);
    setFocusPolicy(Qt::StrongFocus);
    setRange(int(std::lround(spec.minimum / spec.step * kFinePerStep)),
             int(std::lround(spec.maximum / spec.step * kFinePerStep)));
    setSingleStep(kFinePerStep);
    setSizePolicy(QSizePolicy::Expanding, QSizePolicy::Fixed);
    // Assistive technology moves the integer value of the base class.
    connect(this, &QAbstractSlider::valueChanged, this, [this](int fine) {
        if (std::lround(real_ / spec_.step * kFinePerStep) != fine)
            moveTo(fine * spec_.step / kFinePerStep, false);
    });
}

void SliderTrack::setReal(double value)
{
    real_ = value;
    const QSignalBlocker blocker(this);
    setValue(int(std::lround(value / spec_.step * kFinePerStep)));
    update();
}

double SliderTrack::real() const
{
    return real_;
}

void SliderTrack::setStart(double value)
{
    if (value == start_)
        return;
    start_ = value;
    update();
}

double SliderTrack::xOf(double value) const
{
    const double t = (value - spec_.minimum) / (spec_.maximum - spec_.minimum);
    return kMargin + t * (width() - 2 * kMargin);
}

double SliderTrack::valueAt(double x) const
{
    return spec_.minimum + (x - kMargin) / (width() - 2 * kMargin) * (spec_.maximum - spec_.minimum);
}

void SliderTrack::moveTo(double value, bool dragging)
{
    const double fine = spec_.step / kFinePerStep;
    const double snapped = std::clamp(std::round(value / fine) * fine, spec_.minimum, spec_.maximum);
    setReal(snapped);
    Q_EMIT moved(snapped, dragging);
}

void SliderTrack::paintEvent(QPaintEvent *)
{
    const Tokens &t = tokens();
    QPainter painter(this);
    const double middle = height() / 2.0;
    const auto bar = [&](double from, double to, double thickness, const QColor &colour) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(colour);
        painter.drawRect(QRectF(std::min(from, to), middle - thickness / 2, std::abs(to - from), thickness));
    };
    const bool live = isSliderDown() || hasFocus();
    bar(xOf(spec_.minimum), xOf(spec_.maximum), 2, t.track);
    bar(xOf(spec_.neutral), xOf(real_), 3, isEnabled() ? t.fill : t.track);
    bar(xOf(spec_.neutral) - 0.75, xOf(spec_.neutral) + 0.75, 7, t.track);
    if (start_ != spec_.neutral) // the automatic start: a tick above and below the way
        bar(xOf(start_) - 0.75, xOf(start_) + 0.75, 13, t.secondary);
    if (isEnabled())
        paintEgg(painter, {xOf(real_), middle}, underMouse() || live ? kEggHeight + 1 : kEggHeight, live, false);
}

void SliderTrack::mousePressEvent(QMouseEvent *event)
{
    if (event->button() != Qt::LeftButton)
        return;
    // Taking hold of the egg must not move it; a press beside it brings it there.
    const double x = event->position().x();
    const bool onEgg = std::abs(x - xOf(real_)) < kEggHeight / 2;
    grabOffset_ = onEgg ? xOf(real_) - x : 0.0;
    setSliderDown(true);
    if (!onEgg)
        moveTo(std::round(valueAt(x) / spec_.step) * spec_.step, true);
    update();
}

void SliderTrack::mouseMoveEvent(QMouseEvent *event)
{
    if (!isSliderDown())
        return;
    const double value = valueAt(event->position().x() + grabOffset_);
    const double grid = event->modifiers() & Qt::ShiftModifier ? spec_.step / kFinePerStep : spec_.step;
    moveTo(std::round(value / grid) * grid, true);
}

void SliderTrack::mouseReleaseEvent(QMouseEvent *)
{
    if (!isSliderDown())
        return;
    setSliderDown(false);
    Q_EMIT sliderReleased();
    update();
}

void SliderTrack::mouseDoubleClickEvent(QMouseEvent *)
{
    moveTo(start_, false);
}

void SliderTrack::keyPressEvent(QKeyEvent *event)
{
    const double step = event->modifiers() & Qt::ShiftModifier ? spec_.step / kFinePerStep : spec_.step;
    switch (event->key()) {
    case Qt::Key_Right:
    case Qt::Key_Up:
        return moveTo(real_ + step, true);
    case Qt::Key_Left:
    case Qt::Key_Down:
        return moveTo(real_ - step, true);
    case Qt::Key_PageUp:
        return moveTo(real_ + 10 * step, true);
    case Qt::Key_PageDown:
        return moveTo(real_ - 10 * step, true);
    case Qt::Key_Home:
        return moveTo(spec_.minimum, true);
    case Qt::Key_End:
        return moveTo(spec_.maximum, true);
    case Qt::Key_Delete:
    case Qt::Key_Backspace:
        return moveTo(start_, false);
    default:
        QWidget::keyPressEvent(event); // not the base class's: it would swallow what it cannot use
    }
}

void SliderTrack::wheelEvent(QWheelEvent *event)
{
    event->ignore(); // the panel scrolls; a value must never change in passing
}

ValueSlider::ValueSlider(const SliderSpec &spec, QWidget *parent) : QWidget(parent), spec_(spec)
{
    edit_ = new QLineEdit(this);
    track_ = new SliderTrack(spec, this);
    auto *label = new QLabel(spec.name, this);
    edit_->setAlignment(Qt::AlignRight);
    edit_->setFixedWidth(92);
    edit_->setFixedHeight(18);
    label->setBuddy(edit_);
    const QString tip = spec.unit.isEmpty() ? spec.help + QLatin1Char('.') : tr("%1 (%2).").arg(spec.help, spec.unit);
    for (QWidget *w : {static_cast<QWidget *>(label), static_cast<QWidget *>(edit_), static_cast<QWidget *>(track_)})
        w->setToolTip(tip);
    edit_->setAccessibleName(tr("%1, value").arg(spec.name));
    track_->setAccessibleName(spec.name);
    track_->setAccessibleDescription(tip);

    auto *top = new QHBoxLayout;
    top->setContentsMargins(0, 0, 0, 0);
    top->addWidget(label, 1);
    top->addWidget(edit_);
    auto *layout = new QVBoxLayout(this);
    layout->setContentsMargins(0, 0, 0, 0);
    layout->setSpacing(0);
    layout->addLayout(top);
    layout->addWidget(track_);

    connect(track_, &SliderTrack::moved, this, [this](double value, bool dragging) {
        if (gesture_.isEmpty() || !dragging)
            gesture_ = newGesture(spec_.name);
        showValue();
        Q_EMIT changed(value, gesture_);
    });
    connect(track_, &QAbstractSlider::sliderPressed, this, [this] { gesture_ = newGesture(spec_.name); });
    connect(edit_, &QLineEdit::editingFinished, this, &ValueSlider::takeTyped);
    connect(&Theme::instance(), &Theme::changed, track_, qOverload<>(&QWidget::update));
    showValue();
}

void ValueSlider::setValue(double value)
{
    if (value == track_->real())
        return;
    gesture_.clear(); // changed from elsewhere: what follows is a new step of undo
    track_->setReal(value);
    showValue();
}

void ValueSlider::showValue()
{
    const double value = track_->real();
    QString text =
        spec_.minimum < 0 ? signedNumber(value, spec_.decimals) : QLocale().toString(value, 'f', spec_.decimals);
    if (!spec_.unit.isEmpty())
        text += (spec_.unit == QChar(0xb0) ? QString() : QStringLiteral(" ")) + spec_.unit; // degrees stand close
    edit_->setText(text);
}

void ValueSlider::takeTyped()
{
    if (!edit_->isModified())
        return;
    QString text = edit_->text();
    text.replace(QChar(0x2212), QLatin1Char('-')).remove(QLatin1Char('+')).remove(spec_.unit).remove(QLatin1Char(' '));
    text.replace(QLatin1Char(','), QLatin1Char('.'));
    bool understood = false;
    const double value = text.toDouble(&understood);
    if (understood && std::isfinite(value)) {
        track_->setReal(std::clamp(value, spec_.minimum, spec_.maximum));
        gesture_.clear();
        Q_EMIT changed(track_->real(), newGesture(spec_.name));
    }
    showValue(); // what was not understood goes back to the value
}

} // namespace yolk::app
