#include "canvas/canvas_tool.h"

#include "theme/theme.h"

#include <QPainter>

#include <cmath>

namespace yolk::app {

int CanvasTool::gripAt(const QPointF &place, double reach) const
{
    const QList<QPointF> all = handles();
    int nearest = kNothing;
    double least = reach;
    for (int i = 0; i < int(all.size()); ++i)
        if (const double distance = std::hypot(all[i].x() - place.x(), all[i].y() - place.y()); distance <= least) {
            least = distance;
            nearest = i;
        }
    return nearest;
}

void paintHandles(QPainter &painter, const QList<QPointF> &at, double ratio, int chosen)
{
    constexpr double kHeight = 15.0;
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.scale(ratio, ratio);
    for (int i = 0; i < int(at.size()); ++i)
        paintEgg(painter, at[i] / ratio, i == chosen ? kHeight + 3.0 : kHeight, i == chosen, i == chosen);
    painter.restore();
}

void paintWords(QPainter &painter, const QString &words, const QPointF &at, double ratio)
{
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing);
    painter.scale(ratio, ratio);
    QFont small = painter.font();
    small.setPixelSize(12);
    small.setWeight(QFont::Medium);
    painter.setFont(small);
    const QSizeF size(painter.fontMetrics().horizontalAdvance(words) + 18.0, 24.0);
    const QRectF window(QPointF(0, 0), QSizeF(painter.device()->width(), painter.device()->height()) / ratio);
    QRectF card(at / ratio - QPointF(size.width() / 2, size.height() + 10.0), size);
    card.moveLeft(std::clamp(card.left(), 4.0, std::max(4.0, window.right() - 4.0 - card.width())));
    card.moveTop(std::clamp(card.top(), 4.0, std::max(4.0, window.bottom() - 4.0 - card.height())));
    painter.setPen(Qt::NoPen);
    painter.setBrush(tokens().panel);
    painter.drawRoundedRect(card, 6, 6);
    painter.setPen(tokens().text);
    painter.drawText(card, Qt::AlignCenter, words);
    painter.restore();
}

void paintLine(QPainter &painter, const QPointF &a, const QPointF &b, double ratio)
{
    painter.save();
    painter.setRenderHint(QPainter::Antialiasing, a.x() != b.x() && a.y() != b.y());
    painter.setPen(QPen(QColor(20, 20, 20, 200), 3.0 * ratio));
    painter.drawLine(a, b);
    painter.setPen(QPen(QColor(250, 250, 248), ratio));
    painter.drawLine(a, b);
    painter.restore();
}

} // namespace yolk::app
