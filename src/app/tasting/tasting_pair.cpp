#include "tasting/tasting_pair.h"

#include "theme/theme.h"

#include <QPainter>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr double kMargin = 12.0, kBetween = 6.0, kName = 24.0; // logical pixels

} // namespace

TastingPair::TastingPair(QWidget *parent) : QWidget(parent)
{
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void TastingPair::setAspect(double aspect)
{
    aspect_ = aspect;
    update();
}

void TastingPair::setNames(const QString &left, const QString &right)
{
    names_ = {left, right};
    update();
}

void TastingPair::setPicture(int side, const QImage &picture)
{
    pictures_[size_t(side)] = picture;
    update();
}

QSizeF TastingPair::pictureSize() const
{
    const double most = std::min((width() - 2 * kMargin - kBetween) / 2, (height() - kName - 4.0) * aspect_);
    const double across = std::max(8.0, std::floor(most));
    return {across, std::max(8.0, std::floor(across / aspect_))};
}

void TastingPair::paintEvent(QPaintEvent *)
{
    QPainter painter(this);
    painter.fillRect(rect(), tokens().chrome);
    QFont strong = font();
    strong.setPixelSize(13);
    strong.setWeight(QFont::DemiBold);
    painter.setFont(strong);
    const QSizeF size = pictureSize();
    const double left = std::round((width() - 2 * size.width() - kBetween) / 2);
    for (int side = 0; side < 2; ++side) {
        const QRectF place(QPointF(left + side * (size.width() + kBetween), 2.0), size);
        QImage image = pictures_[size_t(side)];
        if (image.isNull()) {
            painter.fillRect(place, tokens().track);
        } else {
            image.setDevicePixelRatio(devicePixelRatioF());
            painter.drawImage(place, image, QRectF(image.rect()));
        }
        painter.setPen(tokens().text);
        const QRectF words(place.left(), place.bottom() + 2, place.width(), kName - 4);
        painter.drawText(words, Qt::AlignCenter,
                         painter.fontMetrics().elidedText(names_[size_t(side)], Qt::ElideRight, int(words.width())));
    }
}

} // namespace yolk::app
