#include "main_window.h"

#include "canvas/canvas.h"
#include "canvas/empty_state.h"
#include "canvas/frame_caption.h"
#include "canvas/inspection_caption.h"
#include "canvas/message_strip.h"
#include "canvas/offer_strip.h"
#include "canvas/readings_list.h"
#include "compare_bar.h"
#include "document/demo_sets.h"
#include "document/export_shelf.h"
#include "frames/sorting.h"
#include "hold_keys.h"
#include "keeping/history_panel.h"
#include "keeping/stages_panel.h"
#include "keeping/versions_strip.h"
#include "lightscale/light_scale.h"
#include "sets/sets_view.h"
#include "status_line.h"
#include "steps/areas_panel.h"
#include "steps/colour_panel.h"
#include "steps/export_panel.h"
#include "steps/finish_panel.h"
#include "steps/frames_panel.h"
#include "steps/geometry_panel.h"
#include "steps/mend_panel.h"
#include "steps/merge_panel.h"
#include "steps/movement_group.h"
#include "steps/step_path.h"
#include "steps/tone_panel.h"
#include "tasting/effect_strip.h"
#include "tasting/tasting_sheet.h"

#include <QCloseEvent>
#include <QDir>
#include <QDropEvent>
#include <QFileDialog>
#include <QFileInfo>
#include <QGridLayout>
#include <QMimeData>
#include <QPushButton>
#include <QSettings>
#include <QStackedWidget>
#include <QStandardPaths>
#include <QVBoxLayout>

namespace yolk::app {
namespace {

constexpr int kPanelWidth = 304;

/// What a folder is searched for and the file dialog shows; whether a file can be read its content decides.
const QStringList &pictureSuffixes()
{
    static const QStringList suffixes = [] {
        QStringList out;
        for (const std::string_view suffix : frameSuffixes()) // without their dots
            out << QString::fromUtf8(suffix.data() + 1, qsizetype(suffix.size()) - 1);
        return out;
    }();
    return suffixes;
}

QStringList picturesIn(const QStringList &paths)
{
    QStringList out;
    for (const QString &path : paths) {
        if (!QFileInfo(path).isDir()) {
            out << path;
            continue;
        }
        QStringList patterns;
        for (const QString &suffix : pictureSuffixes())
            patterns << QStringLiteral("*.") + suffix;
        for (const QFileInfo &file : QDir(path).entryInfoList(patterns, QDir::Files, QDir::Name))
            out << file.filePath();
    }
    return out;
}

} // namespace

MainWindow::MainWindow(QWidget *parent) : QMainWindow(parent), document_(new Document(this))
{
    setAcceptDrops(true);
    resize(1280, 800);
    path_ = new StepPath(this);
    compareBar_ = new CompareBar(document_, this);
    canvas_ = new Canvas(document_, this);
    heldKeys_ = new HoldKeys(this);
    empty_ = new EmptyState(demoSets(), canvas_);
    caption_ = new FrameCaption(document_, canvas_);
    inspectionCaption_ = new InspectionCaption(document_, canvas_);
    readings_ = new ReadingsList(document_, canvas_);
    auto *over = new QGridLayout(canvas_);
    over->addWidget(readings_, 0, 0, Qt::AlignLeft | Qt::AlignBottom);
    over->addWidget(empty_, 0, 0, Qt::AlignCenter);
    over->addWidget(caption_, 0, 0, Qt::AlignHCenter | Qt::AlignTop);
    over->addWidget(inspectionCaption_, 0, 0, Qt::AlignHCenter | Qt::AlignTop);
    messages_ = new MessageStrip(this);
    offers_ = new OfferStrip(this);
    waiting_ = new OfferStrip(this);
    versionsStrip_ = new VersionsStrip(document_, this);
    versionsStrip_->hide();
    scale_ = new LightScale(document_, this);
    status_ = new StatusLine(document_, this);

    framesPanel_ = new FramesPanel(document_, this);
    mergePanel_ = new MergePanel(document_, this);
    shelf_ = new PresetShelf(
        QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/presets"), this);
    mendPanel_ = new MendPanel(document_, this);
    tonePanel_ = new TonePanel(document_, shelf_, this);
    colourPanel_ = new ColourPanel(document_, this);
    finishPanel_ = new FinishPanel(document_, this);
    areasPanel_ = new AreasPanel(document_, this);
    geometryPanel_ = new GeometryPanel(document_, this);
    exports_ = new ExportShelf(
        QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/exports"), this);
    exportPanel_ = new ExportPanel(document_, exports_, this);
    panels_ = new QStackedWidget(this);
    panels_->setFixedWidth(kPanelWidth);
    panels_->setObjectName(QStringLiteral("panels"));
    panels_->setStyleSheet(QStringLiteral("#panels { background: palette(alternate-base); }"));
    panels_->setAutoFillBackground(true);
    for (QWidget *panel :
         {static_cast<QWidget *>(framesPanel_), static_cast<QWidget *>(mergePanel_), static_cast<QWidget *>(mendPanel_),
          static_cast<QWidget *>(tonePanel_), static_cast<QWidget *>(colourPanel_),
          static_cast<QWidget *>(finishPanel_), static_cast<QWidget *>(areasPanel_),
          static_cast<QWidget *>(geometryPanel_), static_cast<QWidget *>(exportPanel_)})
        panels_->addWidget(panel);
    panels_->addWidget(stages_ = new StagesPanel(document_, this));
    panels_->addWidget(historyPanel_ = new HistoryPanel(document_, this));
    panels_->setVisible(false);
    for (QWidget *widget : panels_->findChildren<QWidget *>())
        widget->ensurePolished(); // now, not while the first frames come in

    column_ = new QWidget(this);
    auto *left = new QVBoxLayout(column_);
    left->setContentsMargins(0, 0, 0, 0);
    left->setSpacing(0);
    left->addWidget(waiting_);
    left->addWidget(messages_);
    left->addWidget(offers_);
    middle_ = new QStackedWidget(this);
    collection_ = new Collection(this);
    sets_ = new SetsView(collection_, shelf_, exports_, kPanelWidth, this);
    middle_->addWidget(canvas_);
    middle_->addWidget(sets_);
    tasting_ = new TastingSheet(document_, shelf_, this);
    middle_->addWidget(tasting_);
    left->addWidget(middle_, 1);
    effects_ = new EffectStrip(document_, this);
    effects_->hide();
    left->addWidget(effects_);
    left->addWidget(versionsStrip_);
    auto *middle = new QHBoxLayout;
    middle->setSpacing(0);
    middle->addWidget(column_, 1);
    middle->addWidget(panels_);
    auto *centre = new QWidget(this);
    auto *all = new QVBoxLayout(centre);
    all->setContentsMargins(0, 0, 0, 0);
    all->setSpacing(0);
    auto *top = new QHBoxLayout;
    top->setSpacing(0);
    top->addWidget(path_, 1);
    top->addWidget(compareBar_);
    all->addLayout(top);
    all->addLayout(middle, 1);
    all->addWidget(scale_);
    all->addWidget(status_);
    setCentralWidget(centre);
    makeMenus();
    addHeldKeys();
    connectParts();
    setWindowTitle(tr("Yolk"));
    if (!shelf_->problems().isEmpty())
        failure_ = tr("%1. The other presets are there.").arg(shelf_->problems().front());
    refreshMessages();
    goTo(Step::Frames);
    canvas_->setFocus();
    refreshCommands();
    if (const QByteArray geometry = QSettings().value(QStringLiteral("geometry")).toByteArray(); !geometry.isEmpty())
        restoreGeometry(geometry);
}

/// Of several files the first one that holds work, with its frames.
bool MainWindow::opensWork(const QStringList &paths)
{
    const auto work = std::ranges::find_if(
        paths, [](const QString &path) { return path.endsWith(QStringLiteral(".yolk"), Qt::CaseInsensitive); });
    if (work == paths.end())
        return false;
    openSet_ = -1;
    showSets(false);
    document_->openWork({*work});
    return true;
}

bool MainWindow::sortsIntoSets(const QStringList &paths, const QStringList &files)
{
    constexpr qsizetype kLargestBracket = 9;
    const bool folder = std::ranges::any_of(paths, [](const QString &path) { return QFileInfo(path).isDir(); });
    if (files.size() < 2 || (!folder && files.size() <= kLargestBracket))
        return false;
    collection_->load(files);
    return true;
}

void MainWindow::open(const QStringList &paths)
{
    if (opensWork(paths))
        return;
    const QStringList files = picturesOrComplaint(paths);
    if (files.isEmpty() || sortsIntoSets(paths, files))
        return;
    openSet_ = -1;
    showSets(false);
    document_->open(files);
}

void MainWindow::add(const QStringList &paths)
{
    if (opensWork(paths))
        return;
    const QStringList files = picturesOrComplaint(paths);
    if (files.isEmpty() || sortsIntoSets(paths, files))
        return;
    showSets(false);
    document_->addFrames(files);
}

bool MainWindow::isTasting() const
{
    return middle_->currentWidget() == tasting_;
}

void MainWindow::taste(bool neighbours)
{
    if (!document_->isOpen() || middle_->currentWidget() == sets_)
        return;
    if (isTasting() && tasting_->isOfNeighbours() == neighbours)
        return endTasting(); // the same command leads back
    goTo(Step::Tone);
    document_->lookAt(std::nullopt);
    middle_->setCurrentWidget(tasting_);
    if (neighbours)
        tasting_->showNeighbours();
    else
        tasting_->showPresets();
    tasting_->setFocus();
}

void MainWindow::endTasting()
{
    if (!isTasting())
        return;
    middle_->setCurrentWidget(canvas_);
    canvas_->setFocus();
}

void MainWindow::showEffects(const QString &path)
{
    const NumericSetting *setting = finishPanel_->controls().setting(path);
    const bool shown = setting && showEffects_->isChecked() && document_->isOpen() &&
                       panels_->currentWidget() == finishPanel_ && middle_->currentWidget() == canvas_;
    if (shown)
        effects_->showSetting(setting, FinishPanel::isFine(path));
    effects_->setVisible(shown);
}

QStringList MainWindow::picturesOrComplaint(const QStringList &paths)
{
    const QStringList files = picturesIn(paths);
    if (files.isEmpty() && !paths.isEmpty()) {
        failure_ = tr("%1 holds no pictures that can be opened (raw, DNG, TIFF, JPEG, PNG, EXR, HDR).")
                       .arg(QDir(paths.front()).dirName());
        refreshMessages();
    }
    return files;
}

void MainWindow::goTo(Step step)
{
    endTasting();
    effects_->hide();
    path_->setCurrent(int(step));
    panels_->setCurrentIndex(int(step));
    canvas_->setDrawing(std::nullopt);
    geometryPanel_->useTools();
    refreshTool();
    refreshShapes();
}

void MainWindow::refreshTool()
{
    const int shown = panels_->currentIndex();
    document_->areas()->setShown(shown == int(Step::Areas));
    canvas_->setTool(shown == int(Step::Geometry) ? geometryPanel_->tool()
                     : shown == int(Step::Areas)  ? areasPanel_->tool()
                     : shown == int(Step::Mend)   ? mendPanel_->tool()
                                                  : nullptr);
}

void MainWindow::refreshShapes()
{
    QList<DrawnShape> shapes; // where they can be changed
    if (panels_->currentIndex() == int(Step::Merge))
        shapes = mergePanel_->movement()->shapes();
    if (panels_->currentIndex() == int(Step::Geometry))
        for (const SceneLine &line : geometryPanel_->lines())
            shapes << DrawnShape{{QPointF(line.a.x, line.a.y), QPointF(line.b.x, line.b.y)}};
    canvas_->setShapes(shapes);
}

QString MainWindow::pictureFilter(bool andWork)
{
    QStringList patterns; // the dialog tells capitals from small letters
    for (const QString &suffix : pictureSuffixes() + (andWork ? QStringList{QStringLiteral("yolk")} : QStringList()))
        patterns << QStringLiteral("*.") + suffix << QStringLiteral("*.") + suffix.toUpper();
    return (andWork ? tr("Pictures and work (%1)") : tr("Pictures (%1)")).arg(patterns.join(QLatin1Char(' '))) +
           QStringLiteral(";;") + tr("All files (*)");
}

QStringList MainWindow::askForFrames()
{
    QSettings settings;
    const QString key = QStringLiteral("lastFolder"); // where frames were taken from before
    const QString folder = document_->isOpen() ? document_->folder() : settings.value(key).toString();
    const QStringList paths = QFileDialog::getOpenFileNames(this, tr("Open frames"), folder, pictureFilter(true));
    if (!paths.isEmpty())
        settings.setValue(key, QFileInfo(paths.front()).absolutePath());
    return paths;
}

void MainWindow::refreshCommands()
{
    const bool inSets = isInSets();
    undo_->setEnabled(inSets ? collection_->canUndo() : document_->canUndo());
    redo_->setEnabled(document_->canRedo());
    undo_->setText(inSets                 ? tr("&Undo the move")
                   : document_->canUndo() ? tr("&Undo %1").arg(document_->undoName())
                                          : tr("&Undo"));
    redo_->setText(document_->canRedo() ? tr("&Redo %1").arg(document_->redoName()) : tr("&Redo"));
    for (QAction *action : needSet_) // in the view of sets their keys mean other things
        action->setEnabled(document_->isOpen() && !inSets);
    for (QAction *action : forSetsToo_)
        action->setEnabled(document_->isOpen() || inSets);
    const int sets = int(collection_->sets().size());
    showSets_->setEnabled(sets > 1);
    runSets_->setEnabled(inSets && sets > 0 && !sets_->run()->isRunning());
    nextSet_->setEnabled(sets > 1 && openSet_ + 1 < sets);
    previousSet_->setEnabled(sets > 1 && openSet_ > 0);
}

void MainWindow::pickBy(QPushButton *button, void (Document::*pick)(const QPointF &), bool on)
{
    if (picker_ && picker_ != button)
        picker_->setChecked(false);
    picker_ = button;
    pick_ = pick;
    button->setChecked(on);
    canvas_->setPicking(on);
}

void MainWindow::refreshMarks()
{
    const Recipe start = document_->start();
    for (int step = 0; step < kSteps; ++step)
        path_->tab(step)->setMarked(isChanged(Step(step), document_->recipe(), start));
}

void MainWindow::refreshMessages()
{
    QStringList lines = document_->problems() + collection_->problems();
    if (!failure_.isEmpty())
        lines.prepend(failure_);
    messages_->setLines(lines);
}

void MainWindow::dragEnterEvent(QDragEnterEvent *event)
{
    if (event->mimeData()->hasUrls())
        event->acceptProposedAction();
}

void MainWindow::dropEvent(QDropEvent *event)
{
    QStringList paths;
    for (const QUrl &url : event->mimeData()->urls())
        if (url.isLocalFile())
            paths << url.toLocalFile();
    event->acceptProposedAction();
    add(paths); // the work on an open set is never thrown away by a drop
}

void MainWindow::closeEvent(QCloseEvent *event)
{
    if (!mayClose())
        return event->ignore();
    QSettings().setValue(QStringLiteral("geometry"), saveGeometry());
    QMainWindow::closeEvent(event);
}

} // namespace yolk::app
