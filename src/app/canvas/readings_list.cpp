#include "canvas/readings_list.h"

#include "theme/theme.h"
#include "widgets/number_text.h"

#include <QHelpEvent>
#include <QMouseEvent>
#include <QPainter>
#include <QToolTip>

#include <cmath>

namespace yolk::app {
namespace {

constexpr double kRow = 21.0, kNumber = 24.0, kEv = 66.0, kCodes = 96.0, kPercents = 92.0, kCross = 22.0; // pixels
constexpr double kEdge = 8.0;

QString codesText(const QColor &c)
{
    return QStringLiteral("%1 %2 %3").arg(c.red()).arg(c.green()).arg(c.blue());
}

QString percentsText(const QColor &c)
{
    const auto percent = [](int code) { return QString::number(std::lround(code / 2.55)); };
    return percent(c.red()) + QLatin1Char(' ') + percent(c.green()) + QLatin1Char(' ') + percent(c.blue()) +
           QStringLiteral(" %");
}

QString sceneText(const Reading &reading)
{
    if (!reading.probe)
        return QStringLiteral("–");
    return signedNumber(reading.probe->ev, 1) + QStringLiteral(" EV");
}

} // namespace

QString readingText(const Reading &reading)
{
    QString out = sceneText(reading);
    if (reading.output.isValid())
        out += QStringLiteral("   ") + codesText(reading.output) + QStringLiteral("   ") + percentsText(reading.output);
    return out;
}

ReadingsList::ReadingsList(Document *document, QWidget *parent) : QFrame(parent), document_(document)
{
    setMouseTracking(true);
    setAccessibleName(tr("Readings"));
    connect(document, &Document::readingsChanged, this, &ReadingsList::refresh);
    hide();
}

QStringList ReadingsList::rows() const
{
    QStringList out;
    for (const Reading &reading : document_->pins())
        out << readingText(reading);
    return out;
}

void ReadingsList::refresh()
{
    const qsizetype count = document_->pins().size();
    setVisible(count > 0);
    setFixedSize(int(2 * kEdge + kNumber + kEv + kCodes + kPercents + kCross), int(2 * kEdge + kRow * double(count)));
    setAccessibleDescription(rows().join(QStringLiteral("; ")));
    update();
}

int ReadingsList::rowAt(const QPointF &position) const
{
    const int row = int((position.y() - kEdge) / kRow);
    const bool onCross = position.x() > width() - kEdge - kCross;
    return onCross && position.y() >= kEdge && row < int(document_->pins().size()) ? row : -1;
}

void ReadingsList::paintEvent(QPaintEvent *)
{
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    painter.setPen(Qt::NoPen);
    painter.setBrush(tokens().panel);
    painter.drawRoundedRect(rect(), 6, 6);
    QFont small = font();
    small.setPixelSize(12);
    painter.setFont(small);
    double y = kEdge;
    int number = 0;
    for (const Reading &reading : document_->pins()) {
        double x = kEdge;
        const auto cell = [&](const QString &text, double w, const QColor &colour, Qt::Alignment align) {
            painter.setPen(colour);
            painter.drawText(QRectF(x, y, w - 8, kRow), Qt::AlignVCenter | align, text);
            x += w;
        };
        cell(QString::number(++number), kNumber, tokens().text, Qt::AlignLeft);
        cell(sceneText(reading), kEv, tokens().text, Qt::AlignRight);
        const bool known = reading.output.isValid();
        cell(known ? codesText(reading.output) : QString(), kCodes, tokens().text, Qt::AlignRight);
        cell(known ? percentsText(reading.output) : QString(), kPercents, tokens().secondary, Qt::AlignRight);
        painter.setPen(QPen(tokens().secondary, 1.4));
        const QPointF c(x + kCross / 2, y + kRow / 2), d(3.2, 3.2), e(3.2, -3.2);
        painter.drawLine(c - d, c + d);
        painter.drawLine(c - e, c + e);
        y += kRow;
    }
}

void ReadingsList::mousePressEvent(QMouseEvent *event)
{
    if (const int row = rowAt(event->position()); row >= 0)
        document_->removePin(row);
}

void ReadingsList::mouseMoveEvent(QMouseEvent *event)
{
    setCursor(rowAt(event->position()) >= 0 ? Qt::PointingHandCursor : Qt::ArrowCursor);
}

bool ReadingsList::event(QEvent *event)
{
    if (event->type() == QEvent::ToolTip) {
        QToolTip::showText(
            static_cast<QHelpEvent *>(event)->globalPos(),
            tr("Scene light against middle grey, code values of the picture (red, green, blue; 0 to 255) "
               "and the same in percent. The cross removes a reading."),
            this);
        return true;
    }
    return QFrame::event(event);
}

} // namespace yolk::app
