#include "steps/finish_panel.h"

#include "steps/adjustment_group.h"

#include <QLabel>

namespace yolk::app {

FinishPanel::FinishPanel(Document *document, QWidget *parent)
    : Panel(parent), document_(document), controls_(new FieldControls(document, this)), note_(new QLabel(this))
{
    note_->setWordWrap(true);
    note_->setForegroundRole(QPalette::PlaceholderText);
    note_->setText(tr("Noise and sharpness show from 50 % of the picture's size on."));
    add(note_);
    for (FoldGroup *group : adjustmentGroups(document, Step::Finish, *controls_, this))
        add(group);
    add(startAgainButton(document, Step::Finish, this));
    addStretch();
    connect(document, &Document::recipeChanged, this, &FinishPanel::refresh);
    refresh();
}

void FinishPanel::setZoom(double zoom)
{
    zoom_ = zoom;
    refresh();
}

QString FinishPanel::note() const
{
    return note_->isHidden() ? QString() : note_->text();
}

void FinishPanel::refresh()
{
    bool isFine = false; // something is set that cannot be seen
    if (document_->isOpen()) {
        const AdjustmentSettings &a = document_->recipe().adjustments;
        isFine = settingsOf<NoiseReduction>(a) != NoiseReductionSettings() ||
                 settingsOf<Sharpness>(a) != SharpnessSettings();
    }
    note_->setVisible(isFine && zoom_ < Sharpness::kLeastScale);
}

} // namespace yolk::app
