// The commands of the window: every one stands in a menu, with its key.
#include "main_window.h"

#include "canvas/canvas.h"
#include "document/demo_sets.h"
#include "hold_keys.h"
#include "keys_list.h"
#include "lightscale/light_scale.h"
#include "sets/collection.h"
#include "status_line.h"
#include "steps/areas_panel.h"
#include "steps/colour_panel.h"
#include "steps/export_panel.h"
#include "steps/frames_panel.h"
#include "steps/geometry_panel.h"
#include "steps/hues_group.h"
#include "steps/lights_group.h"
#include "steps/merge_panel.h"
#include "steps/movement_group.h"
#include "steps/step_path.h"
#include "steps/white_group.h"

#include <QCoreApplication>
#include <QMenuBar>
#include <QMessageBox>
#include <QPushButton>
#include <QStackedWidget>

namespace yolk::app {

QAction *MainWindow::addCommand(QMenu *menu, const QString &name, const QKeySequence &keys, const QString &help,
                                const std::function<void()> &run)
{
    auto *action = menu->addAction(name);
    action->setShortcut(keys);
    action->setToolTip(help);
    action->setStatusTip(help);
    connect(action, &QAction::triggered, this, run);
    return action;
}

void MainWindow::makeMenus()
{
    QMenu *file = menuBar()->addMenu(tr("&File"));
    addCommand(file, tr("&Open frames…"), QKeySequence::Open, tr("Opens the frames of one scene."),
               [this] { open(askForFrames()); });
    needSet_ << addCommand(file, tr("&Add frames…"), QKeySequence(tr("Ctrl+Shift+O")), tr("Adds frames to this set."),
                           [this] { add(askForFrames()); });
    file->addSeparator();
    showSets_ = addCommand(file, tr("&Sets"), QKeySequence(tr("Ctrl+G")), tr("Shows the sets of the opened folder."),
                           [this] { showSets(middle_->currentIndex() != 1); });
    nextSet_ = addCommand(file, tr("&Next set"), QKeySequence(tr("Ctrl+PgDown")), tr("Opens the set behind this one."),
                          [this] { openSet(openSet_ + 1); });
    previousSet_ = addCommand(file, tr("&Previous set"), QKeySequence(tr("Ctrl+PgUp")),
                              tr("Opens the set before this one."), [this] { openSet(openSet_ - 1); });
    runSets_ = addCommand(file, tr("&Run over the sets"), QKeySequence(tr("Ctrl+R")),
                          tr("Writes the pictures of the sets that are shown or selected."), [this] { runSets(); });
    file->addSeparator();
    QMenu *demo = file->addMenu(tr("&Demo sets"));
    const QStringList keys = {QStringLiteral("Ctrl+D"), QStringLiteral("Ctrl+Shift+D"), QStringLiteral("Ctrl+Alt+D")};
    for (const DemoSet &set : demoSets())
        addCommand(demo, set.name, QKeySequence(keys.value(demo->actions().size())), set.content,
                   [this, frames = set.frames] { open(frames); });
    demo->setEnabled(!demo->isEmpty());
    file->addSeparator();
    needSet_ << addCommand(file, tr("&Export picture…"), QKeySequence(tr("Ctrl+E")), tr("Writes the finished picture."),
                           [this] { askAndExport(); });
    needSet_ << addCommand(file, tr("Export as &ticked presets say"), QKeySequence(tr("Ctrl+Alt+E")),
                           tr("Writes the picture once for each ticked export preset."), [this] { exportTicked(); });
    needSet_ << addCommand(file, tr("&Hand over"), QKeySequence(tr("Ctrl+Shift+H")),
                           tr("Runs another program on the picture; its command stands in the Export step."), [this] {
                               goTo(Step::Export);
                               exportPanel_->handOverAs(Handed::Picture);
                           });
    needSet_ << addCommand(file, tr("Hand over the &light"), QKeySequence(tr("Ctrl+Alt+H")),
                           tr("Runs another program on the light before tone; its command stands in the Export step."),
                           [this] {
                               goTo(Step::Export);
                               exportPanel_->handOverAs(Handed::Light);
                           });
    needSet_ << addCommand(file, tr("Save &radiance…"), QKeySequence(tr("Ctrl+Shift+E")),
                           tr("Writes the merged light."), [this] { askAndSaveRadiance(); });

    QMenu *edit = menuBar()->addMenu(tr("&Edit"));
    undo_ = addCommand(edit, tr("&Undo"), QKeySequence::Undo, tr("Takes the last change back."), [this] {
        if (middle_->currentIndex() == 1)
            collection_->undo();
        else
            document_->undo();
    });
    redo_ = addCommand(edit, tr("&Redo"), QKeySequence(tr("Ctrl+Shift+Z")), tr("Does it again."),
                       [this] { document_->redo(); });
    edit->addSeparator();
    needSet_ << addCommand(edit, tr("&Start again"), QKeySequence(tr("Ctrl+Shift+R")),
                           tr("Returns tone and colour to their automatic start."),
                           [this] { document_->startAgain(); });
    needSet_ << addCommand(edit, tr("&Taste presets"), QKeySequence(Qt::Key_Y),
                           tr("Shows the picture under every preset, to choose by eye."), [this] { taste(false); });
    needSet_ << addCommand(edit, tr("Taste &neighbours"), QKeySequence(tr("Shift+Y")),
                           tr("Shows nine pictures round the present one, to choose by eye."), [this] { taste(true); });
    edit->addSeparator();
    needSet_ << addCommand(edit, tr("&Pick something neutral"), QKeySequence(tr("W")),
                           tr("The colour of the place that is clicked next becomes neutral."), [this] {
                               if (path_->current() != int(Step::Colour))
                                   goTo(Step::Frames);
                               WhiteGroup *white = path_->current() == int(Step::Colour) ? colourPanel_->white()
                                                                                         : framesPanel_->white();
                               pickBy(white->pick(), &Document::pickWhite, !canvas_->isPicking());
                           });
    needSet_ << addCommand(edit, tr("Pick something white in the la&mp"), QKeySequence(tr("Shift+W")),
                           tr("The place that is clicked next becomes neutral, and with it all that the lamp lights."),
                           [this] {
                               goTo(Step::Colour);
                               pickBy(colourPanel_->lights()->pickLamp(), &Document::pickLamp, !canvas_->isPicking());
                           });
    needSet_ << addCommand(edit, tr("Pick a &hue"), QKeySequence(tr("H")),
                           tr("The colour of the place that is clicked next gets a mark on the hue ring."), [this] {
                               goTo(Step::Colour);
                               pickBy(colourPanel_->hues()->pick(), &Document::pickHue, !canvas_->isPicking());
                           });
    needSet_ << addCommand(edit, tr("&Draw a straight line"), QKeySequence(tr("Shift+R")),
                           tr("The next drag goes along something that should be level or upright."), [this] {
                               goTo(Step::Geometry);
                               geometryPanel_->rule()->click();
                           });
    needSet_ << addCommand(edit, tr("Pull c&orners"), QKeySequence(tr("Shift+C")),
                           tr("Four eggs on the picture make walls upright and level lines level."), [this] {
                               goTo(Step::Geometry);
                               geometryPanel_->pull()->click();
                           });
    needSet_ << addCommand(edit, tr("Show the &area in another way"), QKeySequence(tr("Shift+A")),
                           tr("Hatched, alone, as a mask, without it, or the picture; while A is held, hatched."),
                           [this] {
                               goTo(Step::Areas);
                               areasPanel_->cycleLook();
                           });
    needSet_ << addCommand(edit, tr("Ne&xt source of the spot"), QKeySequence(Qt::Key_J),
                           tr("Mends the chosen spot from the next best place."),
                           [this] { document_->mends()->nextSource(); });
    needSet_ << addCommand(edit, tr("Remove the spot"), QKeySequence(Qt::Key_Backspace),
                           tr("What the chosen spot mended comes back."),
                           [this] { document_->mends()->remove(document_->mends()->chosenIndex()); });
    needSet_ << addCommand(edit, tr("Copy the chosen area"), QKeySequence(tr("Ctrl+Alt+A")),
                           tr("Puts the area onto the clipboard, for this or another picture."),
                           [this] { document_->areas()->copy(document_->areas()->chosenIndex()); });
    needSet_ << addCommand(edit, tr("Paste an area"), QKeySequence(tr("Ctrl+Alt+Shift+A")),
                           tr("Adds the area that lies on the clipboard."), [this] {
                               goTo(Step::Areas);
                               document_->areas()->paste();
                           });
    needSet_ << addCommand(edit, tr("&Leave out what adds little"), QKeySequence(tr("Ctrl+Shift+L")),
                           tr("Leaves out the frames without which the set holds as much."),
                           [this] { document_->leaveOutDispensable(); });

    edit->addSeparator();
    needSet_ << addCommand(edit, tr("&Keep a version…"), QKeySequence(tr("Ctrl+K")),
                           tr("Keeps all settings as they are now, to compare with and to return to."),
                           [this] { askForVersion(); });
    makeVersionsMenu(edit->addMenu(tr("Return to a &version")));

    QMenu *view = menuBar()->addMenu(tr("&View"));
    needSet_ << addCommand(view, tr("&Fit"), QKeySequence(tr("Ctrl+0")), tr("The whole picture."),
                           [this] { canvas_->fit(); });
    needSet_ << addCommand(view, tr("&100 %"), QKeySequence(tr("Ctrl+1")),
                           tr("One pixel of the picture on one of the screen."), [this] { canvas_->zoomTo(1.0); });
    needSet_ << addCommand(view, tr("&200 %"), QKeySequence(tr("Ctrl+2")),
                           tr("One pixel of the picture on four of the screen."), [this] { canvas_->zoomTo(2.0); });
    needSet_ << addCommand(view, tr("F&ill"), QKeySequence(tr("Ctrl+9")), tr("No surround is left beside the picture."),
                           [this] { canvas_->fill(); });
    needSet_ << addCommand(view, tr("Zoom &in"), QKeySequence::ZoomIn, tr("Larger."), [this] { canvas_->zoomIn(); });
    needSet_ << addCommand(view, tr("Zoom &out"), QKeySequence::ZoomOut, tr("Smaller."),
                           [this] { canvas_->zoomOut(); });
    view->addSeparator();
    needSet_ << addCommand(view, tr("&Brighter frame"), QKeySequence(Qt::Key_PageDown),
                           tr("Shows a single frame, then the next brighter one."),
                           [this] { document_->stepLook(+1); });
    needSet_ << addCommand(view, tr("&Darker frame"), QKeySequence(Qt::Key_PageUp),
                           tr("Shows a single frame, then the next darker one."), [this] { document_->stepLook(-1); });
    needSet_ << addCommand(view, tr("The &picture"), QKeySequence(Qt::Key_Escape), tr("Shows the picture again."),
                           [this] {
                               canvas_->giveUp();
                               document_->lookAt(std::nullopt);
                           });
    view->addSeparator();
    makeGuidesMenu(view->addMenu(tr("&Guides")));
    makeClippingMenu(view->addMenu(tr("Clippin&g of the picture")));
    QAction *reach = addCommand(view, tr("&Hatch what colour controls act on"), QKeySequence(tr("Shift+H")),
                                tr("While the pointer is on a control of the Colour step or on a mark of its ring, the "
                                   "picture is hatched where that acts."),
                                [] {});
    reach->setCheckable(true);
    connect(reach, &QAction::toggled, colourPanel_, &ColourPanel::setHatching);
    needSet_ << reach;
    needSet_ << addCommand(view, tr("Pin a &reading"), QKeySequence(Qt::Key_V),
                           tr("Keeps a reading of the place under the pointer; so does Shift and a click."),
                           [this] { pinReading(); });
    needSet_ << addCommand(view, tr("Remove all readings"), QKeySequence(tr("Shift+V")),
                           tr("Removes all that are pinned."), [this] { document_->clearPins(); });
    view->addSeparator();
    makeInspectCommands(view);
    needSet_ << addCommand(view, tr("Next place that moved"), QKeySequence(tr("Ctrl+.")),
                           tr("Shows the next place where something moved, at 100 %."),
                           [this] { mergePanel_->movement()->stepPlace(+1); });
    needSet_ << addCommand(view, tr("Place before that moved"), QKeySequence(tr("Ctrl+,")),
                           tr("Shows the place before where something moved, at 100 %."),
                           [this] { mergePanel_->movement()->stepPlace(-1); });
    makeOverlayMenu(overlayMenu_ = view->addMenu(tr("&Overlay colour")));
    view->addSeparator();
    showScale_ =
        addCommand(view, tr("&Light scale"), QKeySequence(tr("Ctrl+L")), tr("Shows or hides the light scale."), [] {});
    showScale_->setCheckable(true);
    showScale_->setChecked(true);
    connect(showScale_, &QAction::toggled, scale_, &QWidget::setVisible);
    makeSurroundMenu(view->addMenu(tr("&Surround")));
    makeThemeMenu(themeMenu_ = view->addMenu(tr("&Theme")));
    makeMonitorMenu(monitorMenu_ = view->addMenu(tr("M&onitor")));
    view->addSeparator();
    makeKeepingCommands(file, edit, view);
    file->addSeparator();
    addCommand(file, tr("&Quit"), QKeySequence(tr("Ctrl+Q")), tr("Closes Yolk."), [this] { close(); });

    makeCompareMenu(menuBar()->addMenu(tr("&Compare")));

    QMenu *steps = menuBar()->addMenu(tr("&Steps"));
    for (int i = 0; i < kSteps; ++i)
        addCommand(steps, stepNames()[i], QKeySequence(QStringLiteral("Alt+%1").arg(i + 1)), tr("Goes to this step."),
                   [this, i] { goTo(Step(i)); });

    QMenu *help = menuBar()->addMenu(tr("&Help"));
    addCommand(help, tr("&Keys"), QKeySequence(tr("F1")), tr("Lists what the keyboard does."),
               [this] { showShortcuts(); });
    addCommand(help, tr("&About Yolk"), {}, tr("Version and licence."), [this] { showAbout(); });
}

void MainWindow::makeCompareMenu(QMenu *menu)
{
    Comparison *comparison = document_->comparison();
    const auto toggle = [comparison](CompareWay way) {
        comparison->setWay(comparison->way() == way ? CompareWay::Off : way);
    };
    needSet_ << addCommand(menu, tr("&Split"), QKeySequence(Qt::Key_D),
                           tr("Both pictures over each other, under a line that can be dragged and turned."),
                           [toggle] { toggle(CompareWay::Split); });
    needSet_ << addCommand(menu, tr("&Beside each other"), QKeySequence(tr("Shift+D")),
                           tr("Both pictures with one zoom."), [toggle] { toggle(CompareWay::Beside); });
    needSet_ << addCommand(menu, tr("Turn the line to the &left"), QKeySequence(Qt::Key_BracketLeft),
                           tr("Turns the line of the split by 15 degrees."), [this] { canvas_->turnDivider(-15.0); });
    needSet_ << addCommand(menu, tr("Turn the line to the &right"), QKeySequence(Qt::Key_BracketRight),
                           tr("Turns the line of the split by 15 degrees."), [this] { canvas_->turnDivider(15.0); });
    needSet_ << addCommand(menu, tr("Move the line bac&k"), QKeySequence(tr("Ctrl+[")),
                           tr("Moves the line of the split: more of the picture."),
                           [this] { canvas_->moveDivider(-0.05); });
    needSet_ << addCommand(menu, tr("Move the line &on"), QKeySequence(tr("Ctrl+]")),
                           tr("Moves the line of the split: less of the picture."),
                           [this] { canvas_->moveDivider(0.05); });
    menu->addSeparator();
    using Kind = ViewSource::Kind;
    const std::array<std::pair<QString, Kind>, 4> sources{std::pair(tr("With the &middle frame"), Kind::MiddleFrame),
                                                          std::pair(tr("With the &plain merge"), Kind::PlainMerge),
                                                          std::pair(tr("With the picture as &opened"), Kind::Opening),
                                                          std::pair(tr("With the picture &unmended"), Kind::Unmended)};
    for (const auto &[name, kind] : sources)
        needSet_ << addCommand(menu, name, {}, tr("What the picture is held against."),
                               [comparison, kind = kind] { comparison->setAgainst({kind}); });
    needSet_ << addCommand(menu, tr("With a picture &file…"), QKeySequence(tr("Ctrl+Shift+F")),
                           tr("Any picture, as somebody else made it, laid over ours."),
                           [this] { askAndCompareWithFile(); });
    menu->addSeparator();
    QAction *asTaken = addCommand(menu, tr("Frames as they were &taken"), QKeySequence(Qt::Key_T),
                                  tr("Shows frames in their own brightness, not in that of the picture."),
                                  [comparison] { comparison->setFramesAsTaken(!comparison->framesAsTaken()); });
    asTaken->setCheckable(true);
    connect(comparison, &Comparison::changed, asTaken,
            [asTaken, comparison] { asTaken->setChecked(comparison->framesAsTaken()); });
    needSet_ << asTaken;
}

void MainWindow::makeVersionsMenu(QMenu *menu)
{
    menu->setEnabled(false);
    connect(document_, &Document::versionsChanged, menu, [this, menu] {
        menu->clear();
        for (int i = 0; i < int(document_->versions().size()); ++i)
            menu->addAction(document_->versions()[i].name, this, [this, i] { document_->returnToVersion(i); });
        menu->setEnabled(!menu->isEmpty());
    });
}

void MainWindow::pinReading()
{
    if (const auto at = canvas_->pointer())
        document_->addPin(document_->toReference(*at));
    else
        status_->say(tr("Point at the picture to pin a reading."));
}

void MainWindow::addHeldKeys()
{
    const auto canLook = [this] { return document_->isOpen() && middle_->currentIndex() == 0; };
    Comparison *comparison = document_->comparison();
    const auto hold = [this, canLook, comparison](Qt::Key key,
                                                  const std::function<std::optional<ViewSource>()> &source) {
        heldKeys_->add(
            key,
            [canLook, comparison, source] {
                const auto shown = canLook() ? source() : std::nullopt;
                if (shown)
                    comparison->hold(*shown);
                return shown.has_value();
            },
            [comparison] { comparison->release(); });
    };
    hold(Qt::Key_B, [comparison] { return std::optional(comparison->against()); });
    hold(Qt::Key_O, [] { return std::optional(ViewSource{ViewSource::Kind::Unmended}); });
    for (int i = 0; i < 9; ++i)
        hold(Qt::Key(Qt::Key_1 + i), [this, i]() -> std::optional<ViewSource> {
            const auto &frames = document_->bracket().frames;
            if (i >= int(frames.size()) || !frames[size_t(i)].usable)
                return std::nullopt;
            return ViewSource{ViewSource::Kind::Frame, frames[size_t(i)].frame->id};
        });
    heldKeys_->add(
        Qt::Key_Q,
        [this, canLook] {
            canvas_->setLoupe(canLook());
            return canLook();
        },
        [this] { canvas_->setLoupe(false); });
    heldKeys_->add(
        Qt::Key_A,
        [this] {
            const bool shows = document_->areas()->isShown() && document_->areas()->chosen();
            if (shows)
                document_->areas()->holdLook(AreaLook::Hatched);
            return shows;
        },
        [this] { document_->areas()->holdLook(std::nullopt); });
    heldKeys_->add(
        Qt::Key_X,
        [this, canLook] {
            endsBefore_ = document_->ends();
            if (canLook())
                document_->setEnds(EndsOf::Any);
            return canLook();
        },
        [this] { document_->setEnds(endsBefore_); });
}

void MainWindow::showShortcuts()
{
    KeysList(menuBar(), this).exec();
}

void MainWindow::showAbout()
{
    QMessageBox::about(this, tr("About Yolk"),
                       tr("<b>Yolk %1</b><p>Merges bracketed exposures into one radiance image and develops it.</p>"
                          "<p>Free software under the GNU General Public License, version 3 or later. The notices of "
                          "the libraries, fonts and icons in it "
                          "are in THIRD-PARTY.md.</p>")
                           .arg(QCoreApplication::applicationVersion()));
}

} // namespace yolk::app
