#include "steps/response_group.h"

#include "colour/transfer.h"
#include "theme/theme.h"
#include "widgets/panel.h"

#include <QLabel>
#include <QLocale>
#include <QPainter>

#include <algorithm>
#include <cmath>
#include <optional>

namespace yolk::app {
namespace {

constexpr double kStops = 10.0; // shown below clipping

} // namespace

ResponsePlot::ResponsePlot(QWidget *parent) : QWidget(parent)
{
    setAccessibleName(tr("Response curve"));
    setToolTip(tr("Across: the file's values from black to white. Up: the light they stand for, in stops below "
                  "clipping. Dashed: as the file's profile says; solid: as the frames agree best. The one in use is "
                  "the stronger."));
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void ResponsePlot::setResponse(const Response &response, bool taken)
{
    response_ = response;
    taken_ = taken;
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
    const auto curve = [&](std::optional<int> channel) {
        QPolygonF line;
        for (int i = 1; i <= 120; ++i) {
            const double code = i / 120.0, y = decodeSrgb(code); // the plot's own spacing of code values
            const double light = channel ? response_.lightOf(y, *channel) : y;
            if (light > 0.0)
                line << QPointF(area.left() + code * area.width(),
                                area.top() - std::log2(light) / kStops * area.height());
        }
        return line;
    };
    const auto pen = [&](bool strong) { return QPen(strong ? tokens().text : tokens().secondary, strong ? 1.6 : 1.0); };
    QPen dashed = pen(!taken_);
    dashed.setDashPattern({3, 3});
    painter.setPen(dashed);
    painter.drawPolyline(curve(std::nullopt));
    if (!response_.fitted)
        return;
    painter.setPen(pen(taken_));
    for (int c = response_.byChannel ? 0 : 1; c < (response_.byChannel ? 3 : 2); ++c)
        painter.drawPolyline(curve(c));
}

namespace {

const auto &kChoice = fieldOf<kPrepareFields, &PrepareSettings::response>();

} // namespace

ResponseGroup::ResponseGroup(Document *document, QWidget *parent)
    : FoldGroup(words(kChoice.group), parent), document_(document), choice_(choiceRow(kChoice, this)),
      plot_(new ResponsePlot(this)), words_(new QLabel(this))
{
    words_->setWordWrap(true);
    add(choice_);
    add(plot_);
    add(words_);
    connect(choice_, &ChoiceRow::chosen, this, [this](int index) {
        Recipe next = document_->recipe();
        next.prepare.response = kResponseChoices[size_t(index)].value;
        document_->setRecipe(next, words(kChoice.name).toLower());
    });
    connect(document, &Document::bracketChanged, this, &ResponseGroup::refresh);
    connect(document, &Document::recipeChanged, this, &ResponseGroup::refresh);
}

void ResponseGroup::refresh()
{
    const Response &response = document_->measured().response;
    const ResponseChoice choice = document_->recipe().prepare.response;
    const auto &frames = document_->bracket().frames;
    const auto developed = std::ranges::count_if(frames, [](const BracketFrame &f) { return isDeveloped(*f.frame); });
    setVisible(developed >= 2); // raw frames are linear, and one frame has nothing to agree with
    for (size_t i = 0; i < kResponseChoices.size(); ++i)
        if (kResponseChoices[i].value == choice)
            choice_->setIndex(int(i));
    const bool taken = isTaken(response, choice);
    plot_->setResponse(response, taken);
    const auto ev = [](double value) { return QLocale().toString(value, 'f', 3); };
    const QString before = ev(response.disagreementBefore), after = ev(response.disagreementAfter);
    QString text;
    switch (response.verdict) {
    case ResponseVerdict::NothingToCompare:
        text = tr("The frames have too little in common to tell a curve.");
        break;
    case ResponseVerdict::ProfileAgrees:
        text =
            tr("The frames agree within %1 EV by the curve of their file; another brings them no nearer.").arg(before);
        break;
    case ResponseVerdict::Unsure:
        text =
            tr("A curve brings the frames nearer (%1 EV, by their file %2), but not surely: it differs from place to "
               "place.")
                .arg(after, before);
        break;
    case ResponseVerdict::Found:
        text = response.byChannel
                   ? tr("A curve for each channel brings the frames together, to %1 EV; by their file %2.")
                   : tr("One curve brings the frames together, to %1 EV; by their file %2.");
        text = text.arg(after, before);
        break;
    }
    if (taken != isTaken(response, ResponseChoice::Automatic))
        text += QLatin1Char(' ') + (taken ? tr("The fitted one is used because you chose it.")
                                          : tr("The file's is used because you chose it."));
    else if (choice == ResponseChoice::Fitted && !taken)
        text += QLatin1Char(' ') + tr("There is none that a camera could have: the file's is used.");
    words_->setText(text);
}

} // namespace yolk::app
