#include "steps/frames_panel.h"

#include "frames/sureness.h"
#include "steps/frame_row.h"
#include "steps/lens_group.h"
#include "steps/response_group.h"
#include "steps/white_group.h"
#include "theme/theme.h"

#include <QLabel>
#include <QPushButton>

namespace yolk::app {

FramesPanel::FramesPanel(Document *document, QWidget *parent) : Panel(parent), document_(document)
{
    rows_ = new QWidget(this);
    rowLayout_ = new QVBoxLayout(rows_);
    rowLayout_->setContentsMargins(0, 0, 0, 0);
    rowLayout_->setSpacing(0);
    rows_->setSizePolicy(QSizePolicy::Preferred, QSizePolicy::Maximum); // a single row must not fill the panel
    coverage_ = new QLabel(this);
    coverage_->setWordWrap(true);
    leaveOut_ = new QPushButton(this);
    leaveOut_->setToolTip(tr("Leaves out the frames that add little; Ctrl+Z brings them back."));
    notices_ = new QLabel(this);
    notices_->setWordWrap(true);
    auto *more = new QPushButton(tr("Add frames…"), this);
    more->setToolTip(tr("Adds files to this set; its settings stay."));
    white_ = new WhiteGroup(document, this);
    lens_ = new LensGroup(document, this);
    response_ = new ResponseGroup(document, this);
    constexpr size_t kAhead = 9; // a usual bracket: making rows while the first picture comes would hold the window
    for (size_t i = 0; i < kAhead; ++i) {
        made_ << newRow(i);
        made_.last()->hide();
    }
    add(rows_);
    add(coverage_);
    add(notices_);
    add(leaveOut_);
    add(more);
    add(white_);
    add(lens_);
    add(response_);
    addStretch();
    connect(more, &QPushButton::clicked, this, &FramesPanel::addAsked);
    connect(leaveOut_, &QPushButton::clicked, document, &Document::leaveOutDispensable);
    connect(document, &Document::bracketChanged, this, &FramesPanel::refresh);
    connect(document, &Document::thumbnailsChanged, this, &FramesPanel::refresh);
    connect(document, &Document::lookChanged, this, &FramesPanel::refresh);
    connect(&Theme::instance(), &Theme::changed, this, &FramesPanel::refresh);
}

FrameRow *FramesPanel::newRow(size_t index)
{
    auto *row = new FrameRow(rows_);
    connect(row, &FrameRow::useChanged, this, [this, index](bool used) {
        document_->setFrameUsed(index, used);
        refresh(); // the last frame cannot be left out: its mark comes back
    });
    connect(row, &FrameRow::lookAsked, this,
            [this, index] { document_->lookAt(document_->lookedAt() == index ? std::nullopt : std::optional(index)); });
    connect(row, &FrameRow::referenceAsked, this, [this, index] { document_->setReference(index); });
    connect(row, &FrameRow::removeAsked, this, [this, index] { document_->removeFrame(index); });
    connect(row, &FrameRow::evTyped, this,
            [this, index](std::optional<double> ev) { document_->setFrameEv(index, ev); });
    connect(row, &FrameRow::stepAsked, this, [this, index](int direction) {
        const qsizetype to = qsizetype(index) + direction;
        if (to >= 0 && to < shown_.size())
            shown_[to]->setFocus();
    });
    rowLayout_->addWidget(row);
    return row;
}

void FramesPanel::refresh()
{
    if (!document_->isOpen())
        return;
    const Bracket &bracket = document_->bracket();
    while (made_.size() < qsizetype(bracket.frames.size()))
        made_ << newRow(size_t(made_.size()));
    shown_ = made_.mid(0, qsizetype(bracket.frames.size()));
    for (qsizetype i = 0; i < made_.size(); ++i)
        made_[i]->setVisible(i < shown_.size());
    for (size_t i = 0; i < bracket.frames.size(); ++i)
        shown_[qsizetype(i)]->show(bracket.frames[i], {i == bracket.reference, document_->lookedAt() == i,
                                                       document_->thumbnail(bracket.frames[i].frame->id)});
    const Coverage &coverage = document_->coverage();
    QString sentence = QString::fromStdString(coverageSentence(bracket, coverage));
    sentence[0] = sentence[0].toUpper();
    sentence += QLatin1Char('.');
    QString sure = QString::fromStdString(
        surenessSentence(bracket, document_->measured().response, document_->recipe().prepare.response));
    if (!sure.isEmpty()) {
        sure[0] = sure[0].toUpper();
        sentence += QLatin1Char(' ') + sure + QLatin1Char('.');
    }
    coverage_->setText(sentence);
    coverage_->setVisible(!document_->measured().light.empty());
    leaveOut_->setText(tr("Leave out %1").arg(countedFrames(qsizetype(coverage.dispensable.size()))));
    leaveOut_->setVisible(!coverage.dispensable.empty());
    QStringList lines;
    for (const std::string &notice : bracket.notices)
        lines << QStringLiteral("\u26A0 ") + QString::fromStdString(notice);
    notices_->setText(lines.join(QLatin1Char('\n')));
    notices_->setVisible(!lines.isEmpty());
}

} // namespace yolk::app
