#include "steps/step_path.h"

#include "theme/theme.h"

#include <QHBoxLayout>
#include <QPainter>

#include <algorithm>

namespace yolk::app {

StepTab::StepTab(const QString &name, QWidget *parent) : QAbstractButton(parent)
{
    setText(name);
    setCheckable(true);
    setAutoExclusive(true);
    setFocusPolicy(Qt::TabFocus); // the ring is for those who come by keyboard
    setAttribute(Qt::WA_Hover);
    QFont f = font();
    f.setPixelSize(14);
    f.setWeight(QFont::Medium);
    setFont(f);
    setAccessibleName(tr("Step %1").arg(name));
    setToolTip(name);
    setSizePolicy(QSizePolicy::Maximum, QSizePolicy::Fixed); // narrower where the window is
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void StepTab::setMarked(bool marked)
{
    marked_ = marked;
    setAccessibleDescription(marked ? tr("has changed something") : QString());
    update();
}

QSize StepTab::sizeHint() const
{
    QFont bold = font();
    bold.setWeight(QFont::DemiBold);
    return {QFontMetrics(bold).horizontalAdvance(text()) + 32, 38};
}

QSize StepTab::minimumSizeHint() const
{
    constexpr int kLeast = 44;
    return isChecked() ? sizeHint() : QSize(kLeast, sizeHint().height());
}

void StepTab::paintEvent(QPaintEvent *)
{
    const Tokens &t = tokens();
    QPainter painter(this);
    painter.setRenderHint(QPainter::Antialiasing);
    QFont f = font();
    if (isChecked())
        f.setWeight(QFont::DemiBold);
    painter.setFont(f);
    painter.setPen(isChecked() || underMouse() ? t.text : t.secondary);
    // A name that does not fit is cut without dots: a few letters say more.
    const int words = painter.fontMetrics().horizontalAdvance(text());
    const QRect room = rect().adjusted(1, 0, -1, 0);
    const bool fits = words <= room.width();
    painter.drawText(fits ? rect() : room, fits ? Qt::AlignCenter : Qt::AlignLeft | Qt::AlignVCenter, text());
    if (marked_) {
        painter.setPen(Qt::NoPen);
        painter.setBrush(t.text);
        const double beside = (width() - words) / 2.0 - 7.0; // above the name where there is no room beside it
        painter.drawEllipse(beside >= 2.5 ? QPointF(std::min(9.0, beside), height() / 2.0 + 0.5) : QPointF(4.0, 7.0),
                            2.2, 2.2);
    }
    if (isChecked()) {
        painter.setPen(QPen(t.accentOutline, 0.8));
        painter.setBrush(t.accent);
        painter.drawRoundedRect(QRectF(15, height() - 5.5, width() - 30, 4), 2, 2);
    }
    if (hasFocus()) {
        painter.setBrush(Qt::NoBrush);
        painter.setPen(QPen(t.text, 1));
        painter.drawRoundedRect(QRectF(rect()).adjusted(2.5, 5.5, -2.5, -7.5), 4, 4);
    }
}

const QStringList &stepNames()
{
    static const QStringList names{StepPath::tr("&Frames"), StepPath::tr("&Merge"),    StepPath::tr("Men&d"),
                                   StepPath::tr("&Tone"),   StepPath::tr("&Colour"),   StepPath::tr("Fi&nish"),
                                   StepPath::tr("&Areas"),  StepPath::tr("&Geometry"), StepPath::tr("&Export")};
    return names;
}

StepPath::StepPath(QWidget *parent) : QWidget(parent)
{
    auto *layout = new QHBoxLayout(this);
    layout->setContentsMargins(6, 0, 0, 0);
    layout->setSpacing(12);
    for (QString name : stepNames()) {
        auto *tab = new StepTab(name.remove(QLatin1Char('&')), this);
        const int index = int(tabs_.size());
        connect(tab, &QAbstractButton::clicked, this, [this, index] { Q_EMIT walked(index); });
        layout->addWidget(tab);
        tabs_ << tab;
    }
    layout->addStretch();
    tabs_.front()->setChecked(true);
    connect(&Theme::instance(), &Theme::changed, this, qOverload<>(&QWidget::update));
}

void StepPath::setCurrent(int index)
{
    tabs_[index]->setChecked(true);
    for (StepTab *tab : tabs_)
        tab->updateGeometry();
}

int StepPath::current() const
{
    for (int i = 0; i < int(tabs_.size()); ++i)
        if (tabs_[i]->isChecked())
            return i;
    return 0;
}

void StepPath::paintEvent(QPaintEvent *)
{
    // A thin track from step to step: one path, no order that must be kept.
    QPainter painter(this);
    painter.setPen(QPen(tokens().track, 1.4));
    for (int i = 0; i + 1 < int(tabs_.size()); ++i) {
        const QRect a = tabs_[i]->geometry(), b = tabs_[i + 1]->geometry();
        painter.drawLine(QPointF(a.right() - 2, a.center().y() + 1.0), QPointF(b.left() + 1, b.center().y() + 1.0));
    }
}

} // namespace yolk::app
