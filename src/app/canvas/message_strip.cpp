#include "canvas/message_strip.h"

#include "theme/theme.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>

namespace yolk::app {
namespace {

constexpr qsizetype kMostLines = 4;

}

MessageStrip::MessageStrip(QWidget *parent) : QFrame(parent)
{
    setObjectName(QStringLiteral("messageStrip"));
    setStyleSheet(
        QStringLiteral("#messageStrip { background: palette(base); border-bottom: 1px solid palette(mid); }"));
    icon_ = new QLabel(this);
    text_ = new QLabel(this);
    text_->setWordWrap(true);
    text_->setTextInteractionFlags(Qt::TextSelectableByMouse | Qt::TextSelectableByKeyboard);
    close_ = new QToolButton(this);
    close_->setToolTip(tr("Dismiss this message."));
    close_->setAccessibleName(tr("Dismiss"));
    auto *layout = new QHBoxLayout(this);
    layout->setContentsMargins(14, 7, 8, 7);
    layout->setSpacing(10);
    layout->addWidget(icon_, 0, Qt::AlignTop);
    layout->addWidget(text_, 1);
    layout->addWidget(close_, 0, Qt::AlignTop);
    connect(close_, &QToolButton::clicked, this, [this] {
        hide();
        Q_EMIT dismissed();
    });
    connect(&Theme::instance(), &Theme::changed, this, &MessageStrip::paintIcon);
    paintIcon();
    hide();
}

void MessageStrip::paintIcon()
{
    icon_->setPixmap(themedPixmap(warning_ ? QStringLiteral("triangle-alert") : QStringLiteral("check"), 18,
                                  tokens().text, devicePixelRatioF()));
    close_->setIcon(themedIcon(QStringLiteral("x")));
}

void MessageStrip::setLines(const QStringList &lines, bool warning)
{
    warning_ = warning;
    paintIcon();
    QStringList shown = lines.mid(0, kMostLines);
    if (lines.size() > kMostLines)
        shown << tr("and %1 more.").arg(lines.size() - kMostLines);
    text_->setText(shown.join(QLatin1Char('\n')));
    setVisible(!lines.isEmpty());
}

QString MessageStrip::text() const
{
    return isHidden() ? QString() : text_->text();
}

} // namespace yolk::app
