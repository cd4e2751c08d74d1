#include "widgets/egg_rating.h"

#include "theme/theme.h"

#include <QKeyEvent>
#include <QMouseEvent>
#include <QPainter>

#include <algorithm>

namespace yolk::app {
namespace {

constexpr int kPitch = 18, kHeight = 22; // logical pixels
constexpr double kEgg = 15.0, kDot = 4.0;

} // namespace

EggRating::EggRating(int most, QWidget *parent) : QWidget(parent), most_(most)
{
    setFocusPolicy(Qt::StrongFocus);
    setSizePolicy(QSizePolicy::Fixed, QSizePolicy::Fixed);
    setToolTip(tr("What you think of this picture, in eggs; click the last one again to take it away."));
    setValue(0);
}

QSize EggRating::sizeHint() const
{
    return {most_ * kPitch + 4, kHeight};
}

void EggRating::setValue(int eggs)
{
    value_ = eggs;
    setAccessibleName(eggs == 0 ? tr("Not rated") : tr("Rated with %1 of %2 eggs").arg(eggs).arg(most_));
    update();
}

void EggRating::rate(int eggs)
{
    eggs = std::clamp(eggs, 0, most_);
    if (eggs == value_)
        return;
    setValue(eggs);
    Q_EMIT rated(eggs);
}

void EggRating::paintEvent(QPaintEvent *)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    for (int i = 0; i < most_; ++i) {
        const QPointF centre(2 + kPitch * (i + 0.5), height() / 2.0);
        if (i < value_) {
            paintEgg(painter, centre, kEgg, false, hasFocus());
        } else { // the place of one
            painter.setPen(Qt::NoPen);
            painter.setBrush(hasFocus() ? tokens().text : tokens().secondary);
            painter.drawEllipse(centre, kDot / 2, kDot / 2);
        }
    }
}

void EggRating::mousePressEvent(QMouseEvent *event)
{
    const int egg = int(event->position().x() - 2) / kPitch + 1;
    rate(egg == value_ ? egg - 1 : egg);
}

void EggRating::keyPressEvent(QKeyEvent *event)
{
    if (event->key() == Qt::Key_Right || event->key() == Qt::Key_Up)
        rate(value_ + 1);
    else if (event->key() == Qt::Key_Left || event->key() == Qt::Key_Down)
        rate(value_ - 1);
    else
        QWidget::keyPressEvent(event);
}

} // namespace yolk::app
