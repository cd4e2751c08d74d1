#include "steps/lights_note.h"

#include "tone/tone_curve.h"
#include "widgets/number_text.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QPushButton>

namespace yolk::app {
namespace {

constexpr double kLeast = 5e-5; // share of the pixels: the least that percentText() has a number for

} // namespace

LightsNote::LightsNote(Document *document, QWidget *parent)
    : QWidget(parent), document_(document), text_(new QLabel(this)), recover_(new QPushButton(tr("Recover"), this))
{
    text_->setWordWrap(true);
    text_->setToolTip(
        tr("Light that some frame holds and that the curve shows so light that nobody tells it from white."));
    recover_->setToolTip(tr("Raises the shoulder until the brightest light stays below white."));
    auto *row = new QHBoxLayout(this);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(6);
    row->addWidget(text_, 1);
    row->addWidget(recover_);
    connect(recover_, &QPushButton::clicked, this, [this] {
        document_->setTone(&ToneSettings::shoulder,
                           shoulderThatHolds(document_->recipe().tone, document_->measured().tone),
                           tr("recovered lights"), {});
    });
    connect(document, &Document::recipeChanged, this, &LightsNote::refresh);
    refresh();
}

QString LightsNote::text() const
{
    return isVisibleTo(parentWidget()) ? text_->text() : QString();
}

void LightsNote::refresh()
{
    const double share = document_->isOpen() ? whiteShare(document_->recipe().tone, document_->measured().tone) : 0.0;
    setVisible(share >= kLeast);
    if (share < kLeast)
        return;
    text_->setText(tr("The brightest %1 end white.").arg(percentText(share)));
    constexpr double kMost = fieldOf<kToneFields, &ToneSettings::shoulder>().maximum;
    recover_->setEnabled(document_->recipe().tone.shoulder < kMost);
}

} // namespace yolk::app
