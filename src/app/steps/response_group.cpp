#include "steps/response_group.h"

#include "colour/transfer.h"
#include "theme/theme.h"

#include <QLabel>
#include <QLocale>
#include <QPainter>

#include <algorithm>
#include <cmath>

namespace yolk::app {
namespace {

constexpr double kStops = 10.0; // shown below clipping

} // namespace

ResponsePlot::ResponsePlot(QWidget *parent) : QWidget(parent)
{
    setAccessibleName(tr("Response curve"));
    setToolTip(tr("Across: the file's values from black to white. Up: the light they stand for, in stops below "
                  "clipping. Dashed: as the file's profile says; solid: as the frames agree best."));
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void ResponsePlot::setResponse(const Response &response)
{
    response_ = response;
    update();
}

void ResponsePlot::paintEvent(QPaintEvent *)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    QFont small = font();
    small.setPixelSize(11);
    painter.setFont(small);
    const QRectF area(30.5, 4.5, width() - 36, height() - 24);
    painter.setPen(QPen(tokens().line, 1));
    painter.setBrush(tokens().field);
    painter.drawRect(area);
    for (int stop = 0; stop <= int(kStops); stop += 5) {
        const double y = area.top() + stop / kStops * area.height();
        painter.setPen(tokens().secondary);
        painter.drawText(QRectF(0, y - 8, 26, 16), Qt::AlignRight | Qt::AlignVCenter,
                         stop == 0 ? QStringLiteral("0") : QStringLiteral("\u2212%1").arg(stop));
        painter.setPen(QPen(tokens().line, 1));
        painter.drawLine(QPointF(area.left(), y), QPointF(area.right(), y));
    }
    painter.setPen(tokens().secondary);
    painter.drawText(QRectF(area.left(), area.bottom() + 3, area.width(), 16), Qt::AlignLeft, tr("black"));
    painter.drawText(QRectF(area.left(), area.bottom() + 3, area.width(), 16), Qt::AlignRight, tr("white"));
    painter.setClipRect(area);
    painter.setBrush(Qt::NoBrush);
    const auto curve = [&](bool bent) {
        QPolygonF line;
        for (int i = 1; i <= 120; ++i) {
            const double code = i / 120.0, y = decodeSrgb(code); // the plot's own spacing of code values
            const double light = bent ? response_.lightOf(y) : y;
            if (light > 0.0)
                line << QPointF(area.left() + code * area.width(),
                                area.top() - std::log2(light) / kStops * area.height());
        }
        return line;
    };
    QPen dashed(tokens().secondary, 1.2);
    dashed.setDashPattern({3, 3});
    painter.setPen(dashed);
    painter.drawPolyline(curve(false));
    if (response_.fitted) {
        painter.setPen(QPen(tokens().text, 1.6));
        painter.drawPolyline(curve(true));
    }
}

ResponseGroup::ResponseGroup(Document *document, QWidget *parent)
    : FoldGroup(tr("Response"), parent), document_(document), plot_(new ResponsePlot(this)), words_(new QLabel(this))
{
    words_->setWordWrap(true);
    add(plot_);
    add(words_);
    connect(document, &Document::bracketChanged, this, &ResponseGroup::refresh);
}

void ResponseGroup::refresh()
{
    const Response &response = document_->measured().response;
    const auto &frames = document_->bracket().frames;
    const auto developed = std::ranges::count_if(frames, [](const BracketFrame &f) { return isDeveloped(*f.frame); });
    setVisible(developed >= 2); // raw frames are linear, and one frame has nothing to agree with
    plot_->setResponse(response);
    const auto ev = [](double value) { return QLocale().toString(value, 'f', 3); };
    if (response.fitted)
        words_->setText(tr("Found from the frames: they agree within %1 EV, by their profile within %2.")
                            .arg(ev(response.disagreementAfter), ev(response.disagreementBefore)));
    else
        words_->setText(tr("As the profile says: the frames agree within %1 EV.").arg(ev(response.disagreementBefore)));
}

} // namespace yolk::app
