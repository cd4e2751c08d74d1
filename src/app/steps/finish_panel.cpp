#include "steps/finish_panel.h"

#include "steps/adjustment_group.h"
#include "steps/detail_pane.h"

#include <QApplication>
#include <QLabel>

#include <algorithm>
#include <array>

namespace yolk::app {

FinishPanel::FinishPanel(Document *document, QWidget *parent)
    : Panel(parent), document_(document), controls_(new FieldControls(document, this)),
      detail_(new DetailPane(document, this)), note_(new QLabel(this))
{
    note_->setWordWrap(true);
    note_->setForegroundRole(QPalette::PlaceholderText);
    note_->setText(tr("Noise and sharpness show only here: the picture is smaller than 50 %."));
    add(detail_);
    add(note_);
    for (FoldGroup *group : adjustmentGroups(document, Step::Finish, *controls_, this))
        add(group);
    add(startAgainButton(document, Step::Finish, this));
    addStretch();
    connect(qApp, &QApplication::focusChanged, this, [this] {
        if (const QString path = focusedSetting(); !path.isEmpty())
            Q_EMIT settingFocused(path);
    });
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
    detail_->setVisible(zoom_ < 1.0); // else the canvas shows more of it
    note_->setVisible(isFine && zoom_ < Sharpness::kLeastScale);
}

QString FinishPanel::focusedSetting() const
{
    const QWidget *now = QApplication::focusWidget();
    return now && isAncestorOf(now) ? controls_->pathAt(now) : QString();
}

bool FinishPanel::isFine(const QString &path)
{
    const std::string key = path.section(QLatin1Char('.'), 0, 0).toStdString();
    constexpr std::array kFine{NoiseReduction::kKey, Sharpness::kKey, Grain::kKey};
    return std::ranges::find(kFine, key) != kFine.end();
}

} // namespace yolk::app
