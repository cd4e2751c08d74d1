#include "canvas/frame_caption.h"

#include "theme/theme.h"
#include "widgets/number_text.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QToolButton>

namespace yolk::app {

FrameCaption::FrameCaption(Document *document, QWidget *parent)
    : QFrame(parent), document_(document), words_(new QLabel(this)), darker_(new QToolButton(this)),
      brighter_(new QToolButton(this)), back_(new QToolButton(this))
{
    setObjectName(QStringLiteral("frameCaption"));
    setAutoFillBackground(true);
    setStyleSheet(QStringLiteral("#frameCaption { background: palette(alternate-base); border-radius: 6px; }"));
    const auto button = [this](QToolButton *b, const QString &text, const QString &help, int step) {
        b->setText(text);
        b->setToolTip(help);
        b->setAccessibleName(help);
        connect(b, &QToolButton::clicked, this, [this, step] { document_->stepLook(step); });
    };
    button(darker_, QStringLiteral("\u2190"), tr("The next darker frame. Page up"), -1);
    button(brighter_, QStringLiteral("\u2192"), tr("The next brighter frame. Page down"), +1);
    back_->setText(tr("Show the merge"));
    back_->setToolTip(tr("Back to the merged picture. Esc"));
    connect(back_, &QToolButton::clicked, this, [this] { document_->lookAt(std::nullopt); });
    words_->setTextFormat(Qt::PlainText);
    auto *layout = new QHBoxLayout(this);
    layout->setContentsMargins(8, 4, 8, 4);
    layout->setSpacing(8);
    layout->addWidget(darker_);
    layout->addWidget(brighter_);
    layout->addWidget(words_);
    layout->addWidget(back_);
    connect(document, &Document::lookChanged, this, &FrameCaption::refresh);
    connect(document, &Document::bracketChanged, this, &FrameCaption::refresh);
    hide();
}

QString FrameCaption::text() const
{
    return isHidden() ? QString() : words_->text();
}

void FrameCaption::refresh()
{
    const auto index = document_->lookedAt();
    setVisible(index.has_value());
    if (!index)
        return;
    const auto &frames = document_->bracket().frames;
    const BracketFrame &f = frames[*index];
    const QString name = fontMetrics().elidedText(QString::fromStdString(f.frame->name), Qt::ElideMiddle, 220);
    const QString shutter = shutterText(f.frame->metadata);
    words_->setText(tr("Frame %1 of %2").arg(f.number).arg(frames.size()) + QStringLiteral("  ·  ") + name +
                    (shutter.isEmpty() ? QString() : QStringLiteral("  ·  ") + shutter));
    darker_->setEnabled(*index > 0);
    brighter_->setEnabled(*index + 1 < frames.size());
    adjustSize();
}

} // namespace yolk::app
