// The commands of the window: every one stands in a menu, with its key.
#include "main_window.h"

#include "canvas/canvas.h"
#include "canvas/inspection_caption.h"
#include "demo_sets.h"
#include "lightscale/light_scale.h"
#include "sets/collection.h"
#include "steps/merge_panel.h"
#include "steps/movement_group.h"
#include "theme/theme.h"

#include <QActionGroup>
#include <QCoreApplication>
#include <QMenuBar>
#include <QMessageBox>
#include <QSettings>
#include <QStackedWidget>

namespace yolk::app {
namespace {

struct Surround {
    const char *key, *name;
    QColor colour;
};
const std::array kSurrounds{Surround{"black", QT_TRANSLATE_NOOP("MainWindow", "Black"), QColor(0, 0, 0)},
                            Surround{"dark", QT_TRANSLATE_NOOP("MainWindow", "Dark"), QColor(0x3a, 0x3a, 0x39)},
                            Surround{"grey", QT_TRANSLATE_NOOP("MainWindow", "Middle grey"), QColor(0x76, 0x76, 0x75)},
                            Surround{"light", QT_TRANSLATE_NOOP("MainWindow", "Light"), QColor(0xb9, 0xb8, 0xb5)},
                            Surround{"white", QT_TRANSLATE_NOOP("MainWindow", "White"), QColor(0xff, 0xff, 0xff)}};

} // namespace

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
                           [this] { showSets(middle_->currentIndex() == 0); });
    nextSet_ = addCommand(file, tr("&Next set"), QKeySequence(tr("Ctrl+PgDown")), tr("Opens the set behind this one."),
                          [this] { openSet(openSet_ + 1); });
    previousSet_ = addCommand(file, tr("&Previous set"), QKeySequence(tr("Ctrl+PgUp")),
                              tr("Opens the set before this one."), [this] { openSet(openSet_ - 1); });
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
    needSet_ << addCommand(file, tr("Save &radiance…"), QKeySequence(tr("Ctrl+Shift+E")),
                           tr("Writes the merged light."), [this] { askAndSaveRadiance(); });
    file->addSeparator();
    addCommand(file, tr("&Quit"), QKeySequence(tr("Ctrl+Q")), tr("Closes Yolk."), [this] { close(); });

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
                           tr("Returns the tone to its automatic start."), [this] { document_->startAgain(); });
    edit->addSeparator();
    needSet_ << addCommand(edit, tr("&Pick something neutral"), QKeySequence(tr("W")),
                           tr("The colour of the place that is clicked next becomes neutral."), [this] {
                               goTo(Step::Frames);
                               canvas_->setPicking(!canvas_->isPicking());
                           });
    needSet_ << addCommand(edit, tr("&Leave out what adds little"), QKeySequence(tr("Ctrl+Shift+L")),
                           tr("Leaves out the frames without which the set holds as much."),
                           [this] { document_->leaveOutDispensable(); });

    QMenu *view = menuBar()->addMenu(tr("&View"));
    needSet_ << addCommand(view, tr("&Fit"), QKeySequence(tr("Ctrl+0")), tr("The whole picture."),
                           [this] { canvas_->fit(); });
    needSet_ << addCommand(view, tr("&100 %"), QKeySequence(tr("Ctrl+1")),
                           tr("One pixel of the picture on one of the screen."), [this] { canvas_->zoomTo(1.0); });
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
                               canvas_->setPicking(false);
                               canvas_->setDrawing(std::nullopt);
                               document_->lookAt(std::nullopt);
                           });
    view->addSeparator();
    makeInspectCommands(view);
    needSet_ << addCommand(view, tr("Next place that moved"), QKeySequence(tr("Ctrl+.")),
                           tr("Shows the next place where something moved, at 100 %."),
                           [this] { mergePanel_->movement()->stepPlace(+1); });
    needSet_ << addCommand(view, tr("Place before that moved"), QKeySequence(tr("Ctrl+,")),
                           tr("Shows the place before where something moved, at 100 %."),
                           [this] { mergePanel_->movement()->stepPlace(-1); });
    makeOverlayMenu(view->addMenu(tr("&Overlay colour")));
    view->addSeparator();
    showScale_ =
        addCommand(view, tr("&Light scale"), QKeySequence(tr("Ctrl+L")), tr("Shows or hides the light scale."), [] {});
    showScale_->setCheckable(true);
    showScale_->setChecked(true);
    connect(showScale_, &QAction::toggled, scale_, &QWidget::setVisible);
    makeSurroundMenu(view->addMenu(tr("&Surround")));
    makeThemeMenu(view->addMenu(tr("&Theme")));

    QMenu *steps = menuBar()->addMenu(tr("&Steps"));
    const QStringList names{tr("&Frames"), tr("&Merge"), tr("&Tone"), tr("&Export")};
    for (int i = 0; i < int(names.size()); ++i)
        addCommand(steps, names[i], QKeySequence(QStringLiteral("Alt+%1").arg(i + 1)), tr("Goes to this step."),
                   [this, i] { goTo(Step(i)); });

    QMenu *help = menuBar()->addMenu(tr("&Help"));
    addCommand(help, tr("&Keys"), QKeySequence(tr("F1")), tr("Lists what the keyboard does."),
               [this] { showShortcuts(); });
    addCommand(help, tr("&About Yolk"), {}, tr("Version and licence."), [this] { showAbout(); });
}

void MainWindow::makeSurroundMenu(QMenu *menu)
{
    auto *group = new QActionGroup(this);
    const QString stored = QSettings().value(QStringLiteral("surround"), QStringLiteral("grey")).toString();
    canvas_->setSurround(kSurrounds[2].colour);
    for (const Surround &surround : kSurrounds) {
        const auto choose = [this, &surround] {
            canvas_->setSurround(surround.colour);
            QSettings().setValue(QStringLiteral("surround"), QLatin1String(surround.key));
        };
        QAction *action = addCommand(menu, tr(surround.name), {}, tr("What the picture is judged against."), choose);
        action->setCheckable(true);
        group->addAction(action);
        if (stored == QLatin1String(surround.key)) {
            action->setChecked(true);
            canvas_->setSurround(surround.colour);
        }
    }
}

void MainWindow::makeInspectCommands(QMenu *view)
{
    const std::array keys{Qt::Key_L, Qt::Key_P, Qt::Key_S, Qt::Key_N, Qt::Key_C, Qt::Key_E, Qt::Key_M};
    for (int i = 0; i < int(keys.size()); ++i) {
        const InspectMode mode = InspectMode(i);
        needSet_ << addCommand(view, inspectionName(mode), QKeySequence(keys[size_t(i)]),
                               inspectionHelp(mode) + QLatin1Char('.'), [this, mode] {
                                   const auto &now = document_->inspection();
                                   if (now && now->mode == mode) // the same key leads back
                                       document_->inspect(std::nullopt);
                                   else
                                       document_->inspect(document_->lastInspection(mode));
                               });
    }
}

void MainWindow::makeOverlayMenu(QMenu *menu)
{
    static const std::array<std::pair<const char *, QColor>, 4> colours{
        std::pair(QT_TRANSLATE_NOOP("MainWindow", "Violet"), QColor(0x8a, 0x3f, 0xd1)),
        std::pair(QT_TRANSLATE_NOOP("MainWindow", "Red"), QColor(0xd0, 0x2a, 0x2a)),
        std::pair(QT_TRANSLATE_NOOP("MainWindow", "Green"), QColor(0x0e, 0x93, 0x4a)),
        std::pair(QT_TRANSLATE_NOOP("MainWindow", "Blue"), QColor(0x1f, 0x62, 0xd9))};
    auto *group = new QActionGroup(this);
    const QString stored = QSettings().value(QStringLiteral("overlay"), QStringLiteral("Violet")).toString();
    for (const auto &[name, colour] : colours) {
        const auto choose = [this, name = name, colour = colour] {
            document_->setOverlayColour(colour);
            QSettings().setValue(QStringLiteral("overlay"), QLatin1String(name));
        };
        QAction *action = addCommand(menu, tr(name), {}, tr("The colour of hatching over the picture."), choose);
        action->setCheckable(true);
        group->addAction(action);
        if (stored == QLatin1String(name)) {
            action->setChecked(true);
            document_->setOverlayColour(colour);
        }
    }
}

void MainWindow::makeThemeMenu(QMenu *menu)
{
    auto *group = new QActionGroup(this);
    const std::array<std::pair<ThemeChoice, QString>, 3> themes{std::pair(ThemeChoice::Eggshell, tr("&Eggshell")),
                                                                std::pair(ThemeChoice::Dusk, tr("&Dusk")),
                                                                std::pair(ThemeChoice::Desktop, tr("As the desktop"))};
    for (const auto &[choice, name] : themes) {
        QAction *action = addCommand(menu, name, {}, tr("The look of the window."),
                                     [choice = choice] { Theme::instance().set(choice); });
        action->setCheckable(true);
        action->setChecked(Theme::instance().choice() == choice);
        group->addAction(action);
    }
}

void MainWindow::showShortcuts()
{
    QString rows;
    for (const QMenu *menu : menuBar()->findChildren<QMenu *>(Qt::FindDirectChildrenOnly))
        for (const QAction *action : menu->actions())
            if (!action->shortcut().isEmpty())
                rows += QStringLiteral("<tr><td style='padding-right: 24px'>%1</td><td>%2</td></tr>")
                            .arg(action->shortcut().toString(QKeySequence::NativeText),
                                 action->text().remove(QLatin1Char('&')).toHtmlEscaped());
    QMessageBox box(QMessageBox::NoIcon, tr("Keys"), QStringLiteral("<table>%1</table>").arg(rows), QMessageBox::Close,
                    this);
    box.setInformativeText(
        tr("Sliders: arrow keys step, with Shift finer; Delete or a double click returns to the start. "
           "Light scale: left and right choose a handle, up and down move it; while peeking left and right move the "
           "window, up and down widen it. Picture: plus and minus zoom, arrow keys "
           "pan."));
    box.exec();
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
