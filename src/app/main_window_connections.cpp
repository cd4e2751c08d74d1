// What hangs on what: the parts of the window say what happens, and here stands who listens.
#include "main_window.h"

#include "application.h"
#include "canvas/canvas.h"
#include "canvas/empty_state.h"
#include "canvas/message_strip.h"
#include "canvas/offer_strip.h"
#include "compare_bar.h"
#include "document/hand_over.h"
#include "keeping/versions_strip.h"
#include "lightscale/light_scale.h"
#include "sets/sets_view.h"
#include "status_line.h"
#include "steps/areas_panel.h"
#include "steps/colour_panel.h"
#include "steps/curve_group.h"
#include "steps/detail_pane.h"
#include "steps/export_panel.h"
#include "steps/finish_panel.h"
#include "steps/frames_panel.h"
#include "steps/geometry_panel.h"
#include "steps/hues_group.h"
#include "steps/lights_group.h"
#include "steps/merge_panel.h"
#include "steps/movement_group.h"
#include "steps/preset_group.h"
#include "steps/step_path.h"
#include "steps/tone_panel.h"
#include "steps/white_group.h"
#include "tasting/effect_strip.h"
#include "tasting/tasting_sheet.h"

#include <QFileInfo>
#include <QPushButton>
#include <QStackedWidget>

#include <functional>

namespace yolk::app {

void MainWindow::connectParts()
{
    connect(compareBar_, &CompareBar::fileAsked, this, &MainWindow::askAndCompareWithFile);
    connect(path_, &StepPath::walked, this, [this](int index) { goTo(Step(index)); });
    connect(empty_, &EmptyState::openAsked, this, [this] { open(askForFrames()); });
    connect(empty_, &EmptyState::demoAsked, this, &MainWindow::open);
    connect(empty_, &EmptyState::recentAsked, document_, [this](const RecentWork &work) {
        if (QFileInfo::exists(work.kept))
            document_->openWork({work.kept}); // which knows where frames went
        else
            document_->open(work.frames);
    });
    empty_->setRecent(recentWork());
    connect(document_, &Document::workFound, this, &MainWindow::workIsFound);
    connect(document_, &Document::framesMissing, this, &MainWindow::offerMissing);
    connect(document_, &Document::remarked, this, [this](const QString &message) { status_->say(message); });
    connect(versionsStrip_, &VersionsStrip::keepAsked, this, &MainWindow::askForVersion);
    connect(framesPanel_, &FramesPanel::addAsked, this, [this] { add(askForFrames()); });
    connect(mergePanel_, &MergePanel::saveAsked, this, &MainWindow::askAndSaveRadiance);
    connect(exportPanel_, &ExportPanel::exportAsked, this, &MainWindow::askAndExport);
    for (const Handed what : {Handed::Picture, Handed::Light})
        connect(document_->handOver(what), &HandOver::changed, this, &MainWindow::offerToRenew);
    connect(exportPanel_, &ExportPanel::presetsAsked, this, &MainWindow::exportTicked);
    connect(exportPanel_, &ExportPanel::presetToKeepAsked, this, &MainWindow::askAndKeepExportPreset);
    connect(exportPanel_, &ExportPanel::profileAsked, this, &MainWindow::askForExportProfile);
    connect(exportPanel_, &ExportPanel::radianceAsked, this, &MainWindow::askAndSaveRadiance);
    connectSets();
    connect(tonePanel_->presets(), &PresetGroup::tasteAsked, this, [this] { taste(false); });
    connect(tonePanel_->presets(), &PresetGroup::neighboursAsked, this, [this] { taste(true); });
    const auto complain = [this](const QString &message) {
        failure_ = message;
        refreshMessages();
    };
    connect(tonePanel_->presets(), &PresetGroup::failed, this, complain);
    connect(tasting_, &TastingSheet::failed, this, complain);
    connect(tasting_, &TastingSheet::closed, this, &MainWindow::endTasting);
    const auto picks = [this](auto *group, auto pick) { // a button of its own, and what it takes from the picture
        using Group = std::remove_pointer_t<decltype(group)>;
        connect(group, &Group::pickAsked, this,
                [this, pick, button = group->pick()](bool on) { pickBy(button, pick, on); });
    };
    picks(framesPanel_->white(), &Document::pickWhite);
    picks(colourPanel_->white(), &Document::pickWhite);
    const LightsGroup *lights = colourPanel_->lights();
    connect(lights, &LightsGroup::dayAsked, this,
            [this, lights](bool on) { pickBy(lights->pickDay(), &Document::pickWhite, on); });
    connect(lights, &LightsGroup::lampAsked, this,
            [this, lights](bool on) { pickBy(lights->pickLamp(), &Document::pickLamp, on); });
    picks(colourPanel_->hues(), &Document::pickHue);
    picks(colourPanel_->curve(), &Document::pickCurvePoint);
    connect(canvas_, &Canvas::pickingChanged, this, [this](bool on) {
        if (!on && picker_)
            picker_->setChecked(false);
    });
    connect(canvas_, &Canvas::picked, this, [this](const QPointF &at) { std::invoke(pick_, document_, at); });
    connect(geometryPanel_, &GeometryPanel::toolChanged, this, &MainWindow::refreshTool);
    connect(areasPanel_, &AreasPanel::toolChanged, this, &MainWindow::refreshTool);
    connect(geometryPanel_, &GeometryPanel::linesMoved, this, [this] {
        if (panels_->currentIndex() == int(Step::Geometry))
            canvas_->showGridBriefly();
    });
    connect(canvas_, &Canvas::handleChosen, this, [this](const QString &name) {
        if (!name.isEmpty())
            status_->say(tr("%1: arrow keys move it, Tab goes on").arg(name));
    });
    connect(geometryPanel_, &GeometryPanel::linesChanged, this, &MainWindow::refreshShapes);
    MovementGroup *movement = mergePanel_->movement();
    connect(movement, &MovementGroup::placeAsked, canvas_, &Canvas::showArea);
    connect(movement, &MovementGroup::drawingAsked, canvas_, &Canvas::setDrawing);
    connect(movement, &MovementGroup::shapesChanged, this, &MainWindow::refreshShapes);
    connect(canvas_, &Canvas::drawn, movement, &MovementGroup::take);
    connect(canvas_, &Canvas::drawingChanged, movement, &MovementGroup::setDrawing);
    connect(canvas_, &Canvas::zoomChanged, this, [this] {
        status_->setZoom(canvas_->zoom(), canvas_->isFitted());
        finishPanel_->setZoom(canvas_->zoom());
    });
    connect(finishPanel_, &FinishPanel::settingFocused, this, &MainWindow::showEffects);
    connect(finishPanel_->detail(), &DetailPane::placeChanged, effects_, &EffectStrip::setPlace);
    connect(canvas_, &Canvas::pointed, this, [this](std::optional<QPointF> position) {
        document_->pointAt(position);
        finishPanel_->detail()->pointAt(canvas_->pointer());
        const auto &reading = document_->pointed();
        scale_->setProbe(reading ? reading->probe : std::nullopt);
    });
    connect(document_, &Document::readingsChanged, this, [this] { status_->setReading(document_->pointed()); });
    connect(canvas_, &Canvas::pinAsked, document_, &Document::addPin);
    connect(document_, &Document::setChanged, this, [this] {
        panels_->setVisible(middle_->currentWidget() != sets_);
        empty_->hide();
        offers_->withdraw();
        refreshVersions();
        setWindowTitle(tr("%1 — Yolk").arg(document_->title()));
        const auto &frames = document_->bracket().frames;
        if (frames[document_->bracket().reference].frame->isRadiance())
            goTo(Step::Tone); // nothing is left to merge
    });
    connect(document_, &Document::bracketChanged, this,
            [this] { setWindowTitle(tr("%1 — Yolk").arg(document_->title())); });
    connect(document_, &Document::recipeChanged, this, [this] {
        refreshCommands();
        refreshMarks();
    });
    connect(document_, &Document::problemsChanged, this, &MainWindow::refreshMessages);
    connect(document_, &Document::failed, this, [this](const QString &message) {
        failure_ = message;
        refreshMessages();
    });
    connect(collection_, &Collection::failed, document_, &Document::failed);
    if (const auto *application = qobject_cast<Application *>(qApp))
        connect(application, &Application::failed, document_, &Document::failed);
    connect(messages_, &MessageStrip::dismissed, this, [this] {
        failure_.clear();
        collection_->dismissProblems();
        document_->dismissProblems();
    });
    connect(document_, &Document::kept, this, [this](const QString &path, const QString &remark) {
        const QString saved = tr("Saved %1").arg(QFileInfo(path).fileName());
        status_->say(remark.isEmpty() ? saved : saved + QStringLiteral("; ") + remark);
    });
    connect(document_, &Document::jobsChanged, this, [this] {
        const QString title = document_->isOpen() ? QString() : document_->lanes()[1]->title();
        empty_->setReading(title);
    });
}

} // namespace yolk::app
