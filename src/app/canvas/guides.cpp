#include "canvas/guides.h"

#include <QLineF>
#include <QList>
#include <QPainter>

#include <algorithm>
#include <cmath>
#include <numbers>

namespace yolk::app {
namespace {

QList<QLineF> linesOf(Guides guides, const QRectF &p)
{
    QList<QLineF> out;
    const auto upright = [&](double x) { out << QLineF(x, p.top(), x, p.bottom()); };
    const auto level = [&](double y) { out << QLineF(p.left(), y, p.right(), y); };
    switch (guides) {
    case Guides::None:
        break;
    case Guides::Thirds:
    case Guides::Golden: {
        const double share = guides == Guides::Thirds ? 1.0 / 3.0 : 2.0 - std::numbers::phi;
        for (const double t : {share, 1.0 - share}) {
            upright(p.left() + t * p.width());
            level(p.top() + t * p.height());
        }
        break;
    }
    case Guides::Grid: { // squares, counted from the middle: what is level or upright shows against them
        constexpr double kAcrossLongSide = 16.0;
        const double step = std::max(p.width(), p.height()) / kAcrossLongSide;
        for (double d = 0.0; d < p.width() / 2; d += step)
            for (const double x : {p.center().x() - d, p.center().x() + d})
                upright(x);
        for (double d = 0.0; d < p.height() / 2; d += step)
            for (const double y : {p.center().y() - d, p.center().y() + d})
                level(y);
        break;
    }
    case Guides::Diagonals:
        out << QLineF(p.topLeft(), p.bottomRight()) << QLineF(p.topRight(), p.bottomLeft());
        upright(p.center().x());
        level(p.center().y());
        break;
    }
    return out;
}

} // namespace

void paintGuides(QPainter &painter, Guides guides, const QRectF &picture)
{
    painter.save();
    painter.setClipRect(picture);
    const bool many = guides == Guides::Grid; // fainter, so that the picture is seen
    const QColor dark(20, 20, 20, many ? 60 : 110), light(250, 250, 248, many ? 120 : 200);
    for (const QLineF &line : linesOf(guides, picture)) {
        if (line.dx() == 0.0 || line.dy() == 0.0) { // on whole pixels; rectangles need no stroking
            const QRect one(int(std::floor(line.x1())), int(std::floor(line.y1())),
                            int(std::floor(line.x2())) - int(std::floor(line.x1())) + 1,
                            int(std::floor(line.y2())) - int(std::floor(line.y1())) + 1);
            painter.fillRect(one.adjusted(-1, -1, 1, 1), dark);
            painter.fillRect(one, light);
            continue;
        }
        painter.setRenderHint(QPainter::Antialiasing);
        painter.setPen(QPen(dark, 2.6));
        painter.drawLine(line);
        painter.setPen(QPen(light, 1.0));
        painter.drawLine(line);
    }
    painter.restore();
}

} // namespace yolk::app
