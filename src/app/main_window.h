// The window: menu, step path, canvas, panel, light scale, status line, and what connects them.
#pragma once

#include "document/document.h"
#include "recipe/step.h"

#include <QMainWindow>

class QAction;
class QPushButton;
class QStackedWidget;

namespace yolk::app {

class Canvas;
class AreasPanel;
class MendPanel;
class EffectStrip;
class ColourPanel;
class EmptyState;
class CompareBar;
class FrameCaption;
class HoldKeys;
class InspectionCaption;
class MergePanel;
class ExportPanel;
class ExportShelf;
class FinishPanel;
class FramesPanel;
class GeometryPanel;
class LightScale;
class HistoryPanel;
class MessageStrip;
class OfferStrip;
class Collection;
class ReadingsList;
class SetsView;
struct SetChange;
class PresetShelf;
class StagesPanel;
class StatusLine;
class StepPath;
class TastingSheet;
class TonePanel;
class VersionsStrip;

class MainWindow : public QMainWindow {
    Q_OBJECT
public:
    explicit MainWindow(QWidget *parent = nullptr);

    Document *document() const { return document_; }
    Canvas *canvas() const { return canvas_; }
    LightScale *lightScale() const { return scale_; }
    FramesPanel *framesPanel() const { return framesPanel_; }
    FrameCaption *caption() const { return caption_; }
    InspectionCaption *inspectionCaption() const { return inspectionCaption_; }
    MergePanel *mergePanel() const { return mergePanel_; }
    TonePanel *tonePanel() const { return tonePanel_; }
    ColourPanel *colourPanel() const { return colourPanel_; }
    FinishPanel *finishPanel() const { return finishPanel_; }
    MendPanel *mendPanel() const { return mendPanel_; }
    AreasPanel *areasPanel() const { return areasPanel_; }
    GeometryPanel *geometryPanel() const { return geometryPanel_; }
    CompareBar *compareBar() const { return compareBar_; }
    ReadingsList *readings() const { return readings_; }
    StatusLine *statusLine() const { return status_; }
    MessageStrip *messages() const { return messages_; }
    OfferStrip *offers() const { return offers_; }
    EffectStrip *effects() const { return effects_; }
    VersionsStrip *versionsStrip() const { return versionsStrip_; }
    StagesPanel *stages() const { return stages_; }
    HistoryPanel *historyPanel() const { return historyPanel_; }
    PresetShelf *presetShelf() const { return shelf_; }
    TastingSheet *tasting() const { return tasting_; }
    bool isTasting() const;
    void open(const QStringList &paths); ///< files or folders, as a set of its own
    void add(const QStringList &paths);  ///< to the open set, or as a new one when nothing is open
    Collection *collection() const { return collection_; }
    SetsView *setsView() const { return sets_; }
    void openSet(int index); ///< of the collection; what was done to it before is there again
    void goTo(Step step);
    void showPanel(QWidget *panel); ///< stages() or historyPanel(); again: the step's own
    void offerCutOff();             ///< work of a window that ended without being closed
    void offerRunCutOff();          ///< a run that did
    /// Another program waits for the finished picture in this file: "Done" writes it and ends the application with 0.
    void returnTo(const QString &file);
    OfferStrip *waiting() const { return waiting_; }
    ExportPanel *exportPanel() const { return exportPanel_; }
    ExportShelf *exportShelf() const { return exports_; }

protected:
    void dragEnterEvent(QDragEnterEvent *event) override;
    void dropEvent(QDropEvent *event) override;
    void closeEvent(QCloseEvent *event) override;

private:
    void connectParts();
    void makeMenus();
    void makeSurroundMenu(QMenu *view);
    void makeThemeMenu(QMenu *view);
    void makeInspectCommands(QMenu *view);
    void makeOverlayMenu(QMenu *view);
    void makeCompareMenu(QMenu *menu);
    void makeGuidesMenu(QMenu *menu);
    void makeClippingMenu(QMenu *menu);
    void makeMonitorMenu(QMenu *menu);
    void makeKeepingCommands(QMenu *file, QMenu *edit, QMenu *view);
    void refreshVersions();
    void askForVersion();
    void askAndCompareWithFile();
    void copySettings();
    void pasteSettings();
    void takeSettings(const CopiedSettings &copied);
    void askAndSaveSettings();
    void askAndTakeSettings();
    bool askAndKeepElsewhere();
    void showPreferences();
    void offerMissing(const MissingFrames &missing);
    void workIsFound();
    bool mayClose();
    bool opensWork(const QStringList &paths);
    static QString pictureFilter(bool andWork);
    void makeVersionsMenu(QMenu *menu);
    void addHeldKeys();
    void askForMonitorProfile();
    void useMonitorProfile(const QString &choice); ///< "desktop", "srgb", or the path of a file
    void pinReading();
    QAction *addCommand(QMenu *menu, const QString &name, const QKeySequence &keys, const QString &help,
                        const std::function<void()> &run);
    void showSets(bool on);
    bool isInSets() const;
    void connectSets();
    void editSets(const QList<int> &sets, SetChange change);
    void chooseSets(const QList<int> &sets);
    void copySettingsOfCard();
    void pasteOnSets(const CopiedSettings &copied);
    void copyToClipboard(const CopiedSettings &copied);
    void makeSameRoom();
    void runSets();
    void askAndWriteSheet();
    void taste(bool neighbours);
    void showEffects(const QString &path); ///< of a setting of Finish; empty: none
    void endTasting();
    /// A folder, or more files than a bracket has: sorted into sets first. Returns whether it is so.
    bool sortsIntoSets(const QStringList &paths, const QStringList &files);
    QStringList askForFrames();
    /// The pictures among files and in folders; when there are none, a message says so.
    QStringList picturesOrComplaint(const QStringList &paths);
    void askAndExport();
    void exportTicked(); ///< as each ticked preset says
    void askAndKeepExportPreset();
    void askForExportProfile();
    void offerToRenew(); ///< what another program gave back, when settings were changed since
    void askAndSaveRadiance();
    void refreshCommands();
    void refreshMarks();
    /// The next click on the picture is for `pick`; `button` stays down until then.
    void pickBy(QPushButton *button, void (Document::*pick)(const QPointF &), bool on);
    void refreshTool();   ///< that lies over the picture
    void refreshShapes(); ///< areas that were drawn on the picture
    void refreshMessages();
    void showShortcuts();
    void showAbout();

    Document *document_;
    StepPath *path_;
    CompareBar *compareBar_;
    Canvas *canvas_;
    EmptyState *empty_;
    FrameCaption *caption_;
    InspectionCaption *inspectionCaption_;
    ReadingsList *readings_;
    HoldKeys *heldKeys_;
    MessageStrip *messages_;
    OfferStrip *offers_, *waiting_;
    std::optional<Handed> saidOutdated_;
    EffectStrip *effects_;
    VersionsStrip *versionsStrip_;
    QWidget *column_;
    QStackedWidget *middle_; // canvas, sets or tasting sheet
    Collection *collection_;
    SetsView *sets_;
    PresetShelf *shelf_;
    TastingSheet *tasting_;
    QHash<int, Recipe> workedOn_;  // settings of the sets that were open before, by their index
    int openSet_ = -1, walks_ = 1; // the last step went forward, or back
    QTimer walkTimer_;
    std::optional<CopiedSettings> lastSettings_; // of the set that was open last
    QStackedWidget *panels_;
    FramesPanel *framesPanel_;
    MergePanel *mergePanel_;
    TonePanel *tonePanel_;
    ColourPanel *colourPanel_;
    FinishPanel *finishPanel_;
    MendPanel *mendPanel_;
    AreasPanel *areasPanel_;
    GeometryPanel *geometryPanel_;
    ExportPanel *exportPanel_;
    ExportShelf *exports_;
    StagesPanel *stages_;
    HistoryPanel *historyPanel_;
    QPushButton *picker_ = nullptr; // who asked for the next click on the picture
    void (Document::*pick_)(const QPointF &) = &Document::pickWhite;
    LightScale *scale_;
    StatusLine *status_;
    QAction *undo_ = nullptr, *redo_ = nullptr;
    QMenu *themeMenu_ = nullptr, *overlayMenu_ = nullptr, *monitorMenu_ = nullptr;
    QAction *showVersions_ = nullptr, *showEffects_ = nullptr, *showScale_ = nullptr, *showSets_, *runSets_ = nullptr,
            *nextSet_ = nullptr, *previousSet_ = nullptr;
    QList<QAction *> needSet_, forSetsToo_; // those of the second act on cards as well
    std::optional<EndsOf> endsBefore_;      // X was held
    QString failure_;
};

} // namespace yolk::app
