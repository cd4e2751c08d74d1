#include "canvas/offer_strip.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

#include <algorithm>
#include <utility>

namespace yolk::app {

OfferStrip::OfferStrip(QWidget *parent) : QFrame(parent), text_(new QLabel(this)), layout_(new QHBoxLayout(this))
{
    setObjectName(QStringLiteral("offerStrip"));
    setStyleSheet(
        QStringLiteral("#offerStrip { background: palette(alternate-base); border-bottom: 1px solid palette(mid); }"));
    text_->setWordWrap(true);
    text_->setTextFormat(Qt::PlainText);
    layout_->setContentsMargins(14, 7, 8, 7);
    layout_->setSpacing(8);
    layout_->addWidget(text_, 1);
    hide();
}

void OfferStrip::offer(const QString &text, const QList<Way> &ways, const QString &leave)
{
    withdraw();
    text_->setText(text);
    const auto add = [this](const Way &way) {
        auto *button = new QPushButton(way.name, this);
        button->setToolTip(way.help);
        connect(button, &QPushButton::clicked, this, [this, take = way.take] {
            withdraw();
            if (take)
                take();
        });
        layout_->addWidget(button, 0, Qt::AlignTop);
        buttons_ << button;
    };
    for (const Way &way : ways)
        add(way);
    if (!leave.isEmpty())
        add({leave, tr("Leaves everything as it is."), {}});
    show();
}

void OfferStrip::withdraw()
{
    for (QPushButton *button : std::exchange(buttons_, {})) {
        button->hide();
        button->deleteLater(); // it may be the one that was pressed
    }
    text_->clear();
    hide();
}

QString OfferStrip::text() const
{
    return text_->text();
}

QPushButton *OfferStrip::button(const QString &name) const
{
    const auto found = std::ranges::find(buttons_, name, &QPushButton::text);
    return found == buttons_.end() ? nullptr : *found;
}

} // namespace yolk::app
