#include "steps/merge_panel.h"

#include "steps/align_group.h"
#include "steps/inspect_group.h"
#include "steps/movement_group.h"

#include "widgets/fold_group.h"
#include "widgets/number_text.h"

#include <QComboBox>
#include <QLabel>
#include <QLocale>
#include <QPushButton>

#include <algorithm>

namespace yolk::app {

MergePanel::MergePanel(Document *document, QWidget *parent) : Panel(parent), document_(document)
{
    auto *reference = new FoldGroup(tr("Reference frame"), this);
    reference_ = new QComboBox(this);
    reference_->setAccessibleName(tr("Reference frame"));
    reference_->setSizeAdjustPolicy(QComboBox::AdjustToMinimumContentsLengthWithIcon); // long names never widen it
    reference_->setMinimumContentsLength(10);
    reference_->setToolTip(tr("The frame that the others follow; its metadata goes into the finished files."));
    reference->add(reference_);
    align_ = new AlignGroup(document, this);
    movement_ = new MovementGroup(document, this);
    look_ = new InspectGroup(document, this);
    influence_ = new FoldGroup(tr("Influence"), this);
    auto *result = new FoldGroup(tr("Radiance"), this);
    facts_ = new QLabel(this);
    facts_->setWordWrap(true);
    save_ = new QPushButton(tr("Save radiance…"), this);
    save_->setToolTip(tr("Writes the merged light as it is, for any other program: OpenEXR, Radiance HDR or TIFF."));
    result->add(facts_);
    result->add(save_);
    auto *report = new FoldGroup(tr("Report"), this);
    report_ = new QLabel(this);
    report_->setTextFormat(Qt::RichText);
    report_->setWordWrap(true);
    report_->setToolTip(tr("Share: how much of the light this frame gave. Off: by how much its light differs from the "
                           "merge where it is clean, in stops, and in units of its noise: 1 is noise alone."));
    report->add(report_);
    add(look_);
    add(align_);
    add(movement_);
    add(reference);
    add(influence_);
    add(result);
    add(report);
    addStretch();
    connect(save_, &QPushButton::clicked, this, &MergePanel::saveAsked);
    connect(reference_, &QComboBox::activated, this, [this](int index) {
        Recipe next = document_->recipe();
        next.frames.reference = reference_->itemData(index).toString().toStdString();
        document_->setRecipe(next, tr("reference frame"));
    });
    connect(document, &Document::bracketChanged, this, &MergePanel::refresh);
    connect(document, &Document::areaChanged, this, &MergePanel::refreshFacts);
    connect(document, &Document::mergedChanged, this, &MergePanel::refreshFacts);
}

void MergePanel::refresh()
{
    const Bracket &bracket = document_->bracket();
    const auto used = bracket.used();
    reference_->clear();
    reference_->addItem(tr("Automatic (frame %1)").arg(bracket.frames[bracket.reference].number), QString());
    for (const BracketFrame *f : used) {
        const QString id = QString::fromStdString(f->frame->id);
        reference_->addItem(tr("Frame %1, %2").arg(f->number).arg(QString::fromStdString(f->frame->name)), id);
        if (document_->recipe().frames.reference == f->frame->id)
            reference_->setCurrentIndex(reference_->count() - 1);
    }
    while (sliders_.size() < qsizetype(bracket.frames.size())) {
        const int number = int(sliders_.size()) + 1;
        auto *slider = new ValueSlider({tr("Frame %1").arg(number),
                                        tr("How much this frame counts where it and others hold the light"),
                                        QStringLiteral("%"), 0, 200, 100, 5, 0},
                                       this);
        connect(slider, &ValueSlider::changed, this, [this, number](double value, const QString &gesture) {
            const std::string &id = document_->bracket().frames[size_t(number - 1)].frame->id;
            Recipe next = document_->recipe();
            if (value == 100.0)
                next.frames.influence.erase(id);
            else
                next.frames.influence[id] = value / 100.0;
            document_->setRecipe(next, tr("influence of frame %1").arg(number), gesture);
        });
        influence_->add(slider);
        sliders_ << slider;
    }
    for (qsizetype i = 0; i < sliders_.size(); ++i) {
        const bool exists = i < qsizetype(bracket.frames.size());
        sliders_[i]->setVisible(exists);
        if (exists) {
            const BracketFrame &f = bracket.frames[size_t(i)];
            sliders_[i]->setEnabled(f.used || (f.usable && f.influence == 0.0));
            sliders_[i]->setValue(f.influence * 100.0);
        }
    }
    refreshFacts();
}

void MergePanel::refreshFacts()
{
    const MergedSet *merged = document_->merged();
    const QSize size = document_->pictureArea().size();
    QStringList lines;
    lines << tr("%1, %2 × %3 pixels")
                 .arg(countedFrames(qsizetype(document_->bracket().used().size())))
                 .arg(size.width())
                 .arg(size.height());
    if (merged)
        lines << tr("Clipped in every frame: %1").arg(percentText(merged->clippedShare));
    if (document_->fullMergeReady())
        lines << tr("Merged in %1 s").arg(QLocale().toString(merged->seconds, 'f', merged->seconds < 1.0 ? 2 : 1));
    else
        lines << (document_->isMerging() ? tr("The full merge is under way.")
                                         : tr("The full merge was cancelled; saving a file makes it."));
    facts_->setText(lines.join(QLatin1Char('\n')));
    report_->setText(merged && !merged->agreement.empty() ? reportText(*merged) : tr("Nothing was merged."));
}

QString MergePanel::report() const
{
    return report_->text();
}

QString MergePanel::reportText(const MergedSet &merged) const
{
    const auto cell = [](const QString &text) {
        return QStringLiteral("<td align='right' style='padding-left: 10px'>%1</td>").arg(text);
    };
    QString rows = QStringLiteral("<tr>") + cell(tr("Frame")) + cell(tr("Share")) + cell(tr("Off, EV")) +
                   cell(tr("Off, noise")) + QStringLiteral("</tr>");
    int refined = 0, estimated = 0, noiseFound = 0;
    for (size_t i = 0; i < merged.agreement.size(); ++i) {
        const auto frame = std::ranges::find_if(
            document_->bracket().frames, [&](const BracketFrame &f) { return f.frame->id == merged.frameIds[i]; });
        if (frame == document_->bracket().frames.end())
            continue;
        const Agreement &a = merged.agreement[i];
        refined +=
            frame->measured.source == ExposureSource::Refined || frame->measured.source == ExposureSource::Corrected;
        estimated += frame->measured.source == ExposureSource::Estimated;
        noiseFound += frame->measured.noiseSource != NoiseSource::Assumed;
        rows += QStringLiteral("<tr>") + cell(QString::number(frame->number)) + cell(percentText(a.share)) +
                cell(signedNumber(a.differenceEv, 3)) + cell(QLocale().toString(a.sigmas, 'f', 1)) +
                QStringLiteral("</tr>");
    }
    const Response &response = document_->measured().response;
    const QString curve = isTaken(response, document_->recipe().prepare.response)
                              ? tr("Camera curve found from the set; frames agree within %1 EV, %2 before.")
                                    .arg(QLocale().toString(response.disagreementAfter, 'f', 3),
                                         QLocale().toString(response.disagreementBefore, 'f', 3))
                              : tr("Values taken as their files describe them.");
    QStringList lines{curve};
    lines << (estimated > 0 ? tr("Exposures of %1 found from the picture.").arg(countedFrames(estimated))
              : refined > 0 ? tr("Exposures of %1 refined from the picture.").arg(countedFrames(refined))
                            : tr("Exposures as the camera states them."));
    lines << (noiseFound > 0 ? tr("Noise measured in %1.").arg(countedFrames(noiseFound))
                             : tr("Noise as expected of such files."));
    lines << tr("The merge holds %1 MB.")
                 .arg(QLocale().toString(double(merged.bytes()) / 1e6, 'f', merged.bytes() < 100'000'000 ? 1 : 0));
    return QStringLiteral("<table cellspacing='0'>%1</table><p style='margin: 6px 0 0 0'>%2</p>")
        .arg(rows, lines.join(QStringLiteral("<br>")));
}

} // namespace yolk::app
