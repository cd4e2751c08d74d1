// What is open: frames, settings with their history, and the newest results. Lives on the window's thread; every change
// makes a new recipe value and starts jobs; jobs hand back immutable snapshots.
#pragma once

#include "document/areas.h"
#include "document/comparison.h"
#include "document/dust.h"
#include "document/error_text.h"
#include "document/kept_work.h"
#include "document/known_set.h"
#include "document/mends.h"
#include "document/view_job.h"
#include "document/view_pace.h"
#include "frames/coverage.h"
#include "geometry/straighten.h"
#include "jobs/lane.h"
#include "recipe/copied_settings.h"
#include "recipe/history.h"
#include "recipe/preset.h"
#include "recipe/step.h"
#include "render/render.h"
#include "render/stages/lamp_stage.h"
#include "render/views/inspect.h"
#include "render/views/tone_response.h"
#include "tone/tone_curve.h"

#include <QColor>
#include <QDateTime>
#include <QHash>
#include <QImage>
#include <QObject>
#include <QPolygonF>
#include <QRectF>
#include <QSize>
#include <QStringList>

#include <array>
#include <functional>
#include <optional>
#include <set>

namespace yolk::app {

/// "1 frame", "5 frames".
QString countedFrames(qsizetype count);

/// The scene under one pixel.
struct Probe {
    double ev = 0.0;
    std::array<float, 3> rgb{};                 ///< linear Rec. 2020
    bool clipped = false;                       ///< in every frame
    std::vector<std::pair<int, double>> shares; ///< frame number and share, largest first, shares of 1 % and more
};

/// What a place of the picture reads.
struct Reading {
    QPointF at;                 ///< full-resolution pixels
    std::optional<Probe> probe; ///< scene light; empty outside of what is merged
    QColor output;              ///< code values of the picture; invalid until they are known
};

/// A kept set of all settings.
struct Version {
    QString name;
    Recipe recipe;
    std::string unknown; ///< JSON object of settings that a newer Yolk wrote
};

/// Work that is opened by its file.
struct WorkRequest {
    /// What becomes of it where frames are not found: they are asked for, left out, or the merge that was saved stands for
    /// all of them.
    enum class Missing { Ask, GoOn, TakeRadiance };
    QString path;
    QStringList alsoIn{}; ///< folders in which frames are looked for
    Missing missing = Missing::Ask;
};

/// Frames of a work that were not found.
struct MissingFrames {
    WorkRequest request;
    QStringList names;
    qsizetype found = 0; ///< how many are there
    QString radiance;    ///< the saved merge, where it is there
};

/// The picture as it would be.
struct TasteRequest {
    QString key; ///< by which the answer is known
    Recipe recipe;
    QSize size;                     ///< device pixels
    std::optional<QRectF> region{}; ///< of the picture; empty: all of it
};

class HandOver;

class Document : public QObject {
    Q_OBJECT
public:
    explicit Document(QObject *parent = nullptr);
    ~Document() override;

    // ---- opening
    /// Opens a set of its own, with `settings` where it was worked on before. Files that cannot be used are left out
    /// and named in problems(). What is known of exactly these frames is not measured again.
    void open(const QStringList &paths, std::optional<Recipe> settings = std::nullopt, const KnownSet &known = {});
    /// Opens a set in the background and merges it, so that open() of the same paths shows it at once. One at a time; none
    /// for an empty list.
    void prepare(const QStringList &paths);
    bool isPrepared(const QStringList &paths) const { return ahead_ && ahead_->paths == paths; }
    /// Opens a project file with its frames; framesMissing() where some are to be asked for.
    void openWork(const WorkRequest &request);
    /// Adds frames to the set that is open; settings, scale and tone start stay. Can be undone.
    void addFrames(const QStringList &paths);
    /// Whether work is kept in a file within two seconds of every change, and found again when its frames are opened.
    void setKeepsWork(bool on) { keepsWork_ = on; }
    QString keptPath() const { return keptPath_; } ///< of that file; empty: nothing is kept
    void keepNow();                   ///< what the next moment would keep; returns when it stands on the disk
    void keepAt(const QString &path); ///< in another file from now on
    /// Why the last try to keep the work failed; empty: it did not.
    QString unkept() const { return unkept_; }
    QStringList unkeptChanges() const; ///< what would be lost, in words
    /// Whether an earlier release found the numbers that the merge stands on; they stay until asked for anew.
    bool isOldAnalysis() const { return isOpen() && measured_->processVersion < kProcessVersion; }
    void analyseAnew();
    bool isOpen() const { return measured_.has_value(); }
    QString title() const;
    QString folder() const;
    const QStringList &problems() const { return problems_; }
    void dismissProblems();

    // ---- what is known
    const Bracket &bracket() const { return *bracket_; }
    const Measured &measured() const { return *measured_; }
    const Coverage &coverage() const { return coverage_; }
    const Sources &sources() const { return sources_; }
    QSize pictureSize() const;                  ///< of the reference frame, upright; empty when nothing is open
    QRect pictureArea() const { return area_; } ///< what the crop leaves of the picture's plane
    /// Between places of the plane, which the canvas shows, and pixels of the reference frame, which all else counts in.
    QPointF toReference(const QPointF &picture) const;
    QPointF toPicture(const QPointF &reference) const;
    /// The same of pixels of any frame, by its content id: what was drawn under another reference.
    QPointF onPicture(const std::string &frame, const Point &place) const;
    Point onFrame(const std::string &frame, const QPointF &picture) const;
    bool shows(const QPointF &reference) const; ///< the picture has this place
    QImage thumbnail(const std::string &frameId) const { return thumbnails_.value(QString::fromStdString(frameId)); }
    const SceneHistogram *histogram() const { return histogram_ ? &*histogram_ : nullptr; }
    const MergedSet *merged() const { return merged_.get(); } ///< the newest, reduced or full
    bool isMerging() const { return mergeLane_.busy() || onceShown_; }
    bool fullMergeReady() const { return mergedIsCurrent_ && merged_->reduction == 1; }

    // ---- settings
    const Recipe &recipe() const { return history_.current(); }
    const ToneSettings &automatic() const { return automatic_; }
    const std::array<double, 5> &zonePositions() const { return zoneEvs_; } ///< EV of the five handles
    double lightnessAt(double ev) const; ///< of the curve; of the picture where a method has none
    /// Makes `recipe` current. Changes with the same non-empty gesture are one step of undo.
    void setRecipe(Recipe recipe, const QString &what, const QString &gesture = {});
    /// The same as part of a change of several sets: it does not count as work by hand.
    void setRecipeAcross(Recipe recipe, const QString &what);
    void setTone(double ToneSettings::*member, double value, const QString &name, const QString &gesture = {});
    /// Brings the curve to a lightness at zone handle `index`.
    void dragZone(int index, double lightness, const QString &gesture);
    Recipe start() const { return automaticStart(*measured_); } ///< that the picture began with
    Recipe automaticRecipe() const; ///< the present one with tone and colour at their automatic start
    void startAgain();              ///< back to it
    void startAgain(Step step);     ///< what one step holds
    void applyPreset(const Preset &preset, double amount, const QString &gesture = {});
    /// Renders the picture under other settings and hands each out with tasted() as it is ready; what was asked for
    /// before and is not ready is dropped.
    void taste(QList<TasteRequest> wanted);
    void setFrameUsed(size_t index, bool used); ///< frames by their index in bracket(); the last one stays
    void removeFrame(size_t index);
    void setReference(size_t index);
    void setFrameEv(size_t index, std::optional<double> ev); ///< empty: as measured
    void leaveOutDispensable();                              ///< the frames that coverage() names
    /// Light under which the place becomes neutral: of the merge, or of the frame that is looked at.
    void pickWhite(const QPointF &picturePosition);
    /// The same of the lamp, which is made white in full where it was not yet.
    void pickLamp(const QPointF &picturePosition);
    WhitePoint white() const; ///< that is in force
    /// The hue of a place before marks act on it, with hueMarked(); grey has none, which is said.
    void pickHue(const QPointF &picturePosition);
    /// The codes of a place before curves act on it, with lightMarked().
    void pickCurvePoint(const QPointF &picturePosition);
    bool canUndo() const { return history_.canUndo(); }
    bool canRedo() const { return history_.canRedo(); }
    QString undoName() const { return QString::fromStdString(history_.undoName()); }
    QString redoName() const { return QString::fromStdString(history_.redoName()); }
    void undo();
    void redo();
    const History &history() const { return history_; }
    void goToState(int index); ///< of history().states(): so many steps of undo or redo
    CopiedSettings copied() const { return {recipe(), start()}; }
    void paste(const CopiedSettings &copied, const std::set<std::string> &groups);
    /// What is said of a group of settings as a whole: by its key.
    void setGroupOn(const QString &key, bool on);
    void setGroupStrength(const QString &key, double percent, const QString &gesture = {});
    void setGroupName(const QString &key, const QString &name); ///< empty: its own again
    QString groupName(const QString &key) const;

    // ---- geometry
    void setGeometry(const GeometrySettings &geometry, const QString &what, const QString &gesture = {});
    /// By lines along what should be level or upright, pixels of the reference frame.
    void straightenBy(const std::vector<SceneLine> &lines);
    void straighten(Straightening what); ///< by lines that are found; where none speaks, that is said
    void cropTo(CropShape shape);        ///< to the largest crop of a shape
    void turnCrop();                     ///< stands upright where it lay
    void uncrop();
    QSize planeSize() const { return map_ ? QSize(map_->width(), map_->height()) : QSize(); } ///< that is cropped
    const PictureMap &map() const { return *map_; } ///< between the plane and the reference frame
    QRectF frameArea() const { return frameArea_; } ///< of the reference frame, that may be shown
    /// As lens data list it, by the settings or the metadata; empty: they do not.
    QString lensName() const;
    void setLens(const LensSettings &lens, const QString &what, const QString &gesture = {});

    // ---- movement
    /// Of a frame in use; empty for others.
    std::optional<int> numberOf(const std::string &frameId) const;
    void setKeeper(std::optional<size_t> index); ///< by its index in bracket(); empty: automatic
    /// Draws on the reference frame: the points are pixels of it.
    void addRegion(HandRegion region);
    void setRegion(size_t index, HandRegion region);
    void removeRegion(size_t index);
    QPolygonF regionShape(size_t index) const; ///< points of a region in pixels of the present reference frame
    /// A region as large as a place that was found, by its index in merged().
    void decidePlace(size_t place, HandTask task, std::optional<size_t> frame);
    QRectF placeArea(size_t place) const; ///< of a place in merged(), full-resolution pixels

    // ---- looking
    /// Shows a frame as its file shows it in place of the merge; empty: the merge again.
    void lookAt(std::optional<size_t> index);
    std::optional<size_t> lookedAt() const; ///< index in bracket()
    void stepLook(int direction); ///< to the next brighter (+1) or darker frame; from the merge to the reference
    /// Shows what the merge knows in place of the picture; empty: the picture again. Changes no setting.
    void inspect(std::optional<Inspection> inspection);
    const std::optional<Inspection> &inspection() const { return inspection_; }
    /// As it was when this mode was shown last, for coming back to it.
    Inspection lastInspection(InspectMode mode) const;
    /// Hatches the picture where it would be another one under the second recipe than under the first, until settings
    /// change; empty: no longer.
    void showReach(std::optional<std::array<Recipe, 2>> reach);
    void setOverlayColour(const QColor &colour); ///< of hatching
    QColor overlayColour() const { return overlay_; }
    Areas *areas() const { return areas_; }
    Mends *mends() const { return mends_; }
    Dust *dust() const { return dust_; }
    Comparison *comparison() const { return comparison_; }
    bool isComparing() const; ///< two sides are shown
    QString nameOf(const ViewSource &source) const;
    /// Hatches the picture where it stands at the ends of its range; empty: no longer.
    void setEnds(std::optional<EndsOf> ends);
    const std::optional<EndsOf> &ends() const { return ends_; }
    std::optional<EndsOf> shownEnds() const; ///< the same, or for a moment after whites or blacks were moved
    void setEndsWhileDragging(bool on) { endsWhileDragging_ = on; }
    void setMonitor(std::shared_ptr<const MonitorProfile> monitor);
    void setProofing(bool on); ///< shows no colour that the exported file will not hold
    void requestView(const ViewRequest &request);
    /// Milliseconds that a view may take while settings move, before it is drawn smaller; none: never.
    void setViewBudget(std::optional<double> milliseconds) { pace_.setBudget(milliseconds); }
    void viewAgain() { renderView(); }                        ///< what is tried on the canvas alone is another now
    void requestLoupe(const ViewRequest &request);            ///< answered by loupeReady()
    void requestDetail(const ViewRequest &request);           ///< answered by detailReady()
    const ViewPicture &overview() const { return overview_; } ///< the whole picture, small
    const OutputHistogram *outputHistogram() const { return outputHistogram_ ? &*outputHistogram_ : nullptr; }

    // ---- reading
    std::optional<Probe> probe(const QPointF &picturePosition) const;
    void pointAt(const std::optional<QPointF> &picturePosition);
    const std::optional<Reading> &pointed() const { return pointer_; }
    void addPin(const QPointF &picturePosition); ///< up to eight
    void removePin(int index);
    void clearPins();
    const QList<Reading> &pins() const { return pins_; }

    // ---- versions
    void keepVersion(const QString &name);
    const QList<Version> &versions() const { return versions_; }
    void returnToVersion(int index); ///< an edit like any other
    void renameVersion(int index, const QString &name);
    void duplicateVersion(int index);
    void deleteVersion(int index);
    QString deletedVersion() const; ///< name of the one that was deleted last in this sitting; empty: none
    void bringVersionBack();
    /// Small, by its settings; null until it is painted. Painted only while somebody looks.
    QImage versionPicture(int index) const;
    void setPaintsVersions(bool on);
    int rating() const { return kept_.rating; } ///< in eggs; 0: not rated
    void setRating(int eggs);
    bool isChosen() const { return kept_.chosen; }
    void setChosen(bool on);

    // ---- keeping
    void exportPicture(const QString &path);
    /// The picture under other settings, as these say; `written` is called when the file stands.
    void exportRecipe(const QString &path, const Recipe &recipe, const std::function<void()> &written = {});
    /// Where a file of such settings goes, in a folder or beside the frames: its pattern filled in, and its suffix.
    /// Throws ArgumentError (a field that there is not).
    QString pathFor(const ExportSettings &settings, const QString &folder = {}) const;
    /// The way of the finished picture, or of its light, through another program.
    HandOver *handOver(Handed what = Handed::Picture) const { return handOvers_[size_t(what)]; }
    void saveRadiance(const QString &path);
    void saveRadianceOf(const QString &path, const Recipe &recipe, const std::function<void()> &written);
    /// In the folder of the frames, by the name of the reference frame with `suffix`.
    QString proposedPath(const QString &suffix) const;
    /// Holds the picture against any picture file, as it stands there, laid over ours.
    void compareWithFile(const QString &path);
    void cancelJobs();                                            ///< what the status line shows
    const std::array<Lane *, 6> &lanes() const { return lanes_; } ///< most interesting first

Q_SIGNALS:
    void setChanged();     ///< other frames are open (or none yet)
    void recipeChanged();  ///< settings, and with them the curve
    void bracketChanged(); ///< which frames count and how; before recipeChanged()
    void areaChanged();    ///< how the picture lies on the reference frame, or what is cropped; before recipeChanged()
    void histogramChanged();
    void mergedChanged();
    void thumbnailsChanged();
    void problemsChanged();
    void lookChanged(); ///< another frame, an inspection or the picture is shown
    void viewReady(const ViewPicture &picture);
    void loupeReady(const ViewPicture &picture);
    void detailReady(const ViewPicture &picture);
    void tasted(const QString &key, const QImage &picture);
    void summaryChanged(); ///< overview() and outputHistogram()
    void readingsChanged();
    void hueMarked(double degrees);
    void lightMarked(const yolk::Vector3 &codes); ///< R, G, B of Rec. 2020 as sRGB codes them, 0 to 1
    void versionsChanged();
    void versionPicturesChanged();
    void ratingChanged(); ///< or whether it is chosen
    void framesMissing(const yolk::app::MissingFrames &missing);
    void remarked(const QString &message); ///< in words; nothing is wrong
    void workFound();                      ///< after setChanged(): the set was worked on before
    void kept(const QString &path,
              const QString &remark);    ///< a file was written; what there is to say of it, or nothing
    void failed(const QString &message); ///< some work did not succeed; nothing was lost
    void jobsChanged();

private:
    struct Opened {
        Sources sources;
        std::optional<Measured> measured;
        std::set<std::string> again;          ///< ids of frames that were taken out of the set and are opened again
        std::vector<ProjectFrame> frames;     ///< of sources
        std::vector<ProjectFrame> damaged;    ///< others, whose pixels cannot be read
        KeptWork work;                        ///< of a set of its own
        std::optional<MissingFrames> missing; ///< then nothing else is there
        QStringList problems;
    };
    /// What the light scale and the pointer read beside the merge.
    struct SceneLight {
        SceneHistogram histogram;
        LampWhitePtr lamp;
    };
    /// A file that is compared with.
    struct OtherPicture {
        std::string path;
        Sources sources; ///< itself
        Measured measured;
    };
    struct Summary {
        ViewPicture overview;
        OutputHistogram histogram;
        std::optional<ToneResponse> response;
    };
    /// A set that was opened before anybody asked for it.
    struct Ahead {
        QStringList paths;
        Opened opened;
        QDateTime workKept; ///< when its work was; other work by now makes it stale
    };
    struct Opening;
    static bool readWork(Opening &asked, Opened &out, ExecContext &ctx);
    static void placeWork(const WorkRequest &request, std::span<const FramePtr> frames, KeptWork &work);
    static Opened opened(Opening asked, ExecContext &ctx);
    void load(Opening asked, std::optional<Recipe> before);
    bool takeAhead(const Opening &asked, const std::optional<Recipe> &before);
    void begin(KeptWork work, const std::optional<Recipe> &before);
    void adopt(Opened opened, bool keepSettings, std::optional<Recipe> before);
    void arrange();
    void arrangeArea(); // what geometry alone changes
    void changed();
    Project project() const;
    void keep();
    void isKept(const Recipe &recipe);
    void isNotKept(const QString &reason);
    void storeMerge();
    void versionsAreNew();
    void paintVersions();
    void remember() const;
    using WriteFile = std::function<QString(const std::string &file, ExecContext &ctx)>; // returns a remark or nothing
    void writeFile(const QString &title, const QString &path, const WriteFile &write,
                   const std::function<void()> &written = {});
    void loadThumbnails();
    void recipeIsNew();
    void tellOfRecipe();
    void startMerge();
    Recipe recipeOnCanvas() const;
    void viewIsNew();
    ViewJob jobFor(const ViewSource &source);
    std::shared_ptr<const MonitorTransform> proof() const;
    void mergeForComparison(const Recipe &recipe);
    void discardViews();
    void renderView();
    enum class ViewEffort { Quick, Whole, Exact };
    void renderOn(Lane &lane, ViewEffort effort);
    void renderPart(Lane &lane, const ViewRequest &request, void (Document::*ready)(const ViewPicture &));
    void summarise();
    void showEndsBriefly();
    void read();
    void pickLight(const QPointF &position, const std::function<void(const WhitePoint &)> &take);
    void pickColour(const QPointF &position, const Recipe &recipe, const std::function<void(const Vector3 &)> &take);
    void movePins(const std::string &reference);
    static SceneLight sceneLightOf(const Sources &sources, const Measured &measured, const Recipe &settings,
                                   ExecContext &ctx);
    void takeLight(const SceneLight &light);
    void findHistogram();

    Sources sources_;
    std::optional<Measured> measured_;
    std::optional<Bracket> bracket_;
    std::optional<PictureMap> map_; // between the picture and its reference
    QRect area_;
    QRectF frameArea_;
    Coverage coverage_;
    std::string lookedAt_; // id of the frame; empty: the merge
    std::optional<Inspection> inspection_;
    Inspection lastInspection_; // of any mode: its values outlive the mode
    QColor overlay_{0x8a, 0x3f, 0xd1};
    Areas *areas_ = nullptr;
    Mends *mends_ = nullptr;
    Dust *dust_ = nullptr;
    std::array<HandOver *, 2> handOvers_{}; ///< in the order of Handed
    mutable std::optional<std::pair<TargetProfile, std::shared_ptr<const MonitorTransform>>>
        proof_; // and of which monitor
    Comparison *comparison_;
    std::optional<EndsOf> ends_;
    std::optional<std::array<Recipe, 2>> reach_;
    bool endsWhileDragging_ = true, proofing_ = false;
    QTimer endsTimer_, wholeTimer_, exactTimer_, keepTimer_, storeTimer_;
    bool keepsWork_ = false;
    QString keptPath_, unkept_;
    Project kept_;                     // what the file holds beside what stands in other members
    std::optional<Recipe> keptRecipe_; // that stands on the disk
    bool saidWhere_ = false;
    std::unique_ptr<QLockFile> claim_; // on keptPath_, from the first change on
    std::shared_ptr<const MonitorProfile> monitor_ = std::make_shared<const MonitorProfile>();
    ViewPicture overview_;
    std::optional<OutputHistogram> outputHistogram_;
    std::optional<ToneResponse> response_;             // of the picture
    std::optional<std::pair<Recipe, bool>> summaryOf_; // what both are of, and whether the merge was ready
    std::optional<OtherPicture> other_;
    std::optional<Recipe> comparing_, comparedInFull_; // another merge that is compared with
    std::optional<Reading> pointer_;
    QList<Reading> pins_;
    std::string pinsOn_; // the reference frame whose pixels they count
    QList<Version> versions_;
    QList<std::pair<int, Version>> deletedVersions_;
    std::vector<std::pair<Recipe, QImage>> versionPictures_;
    bool paintsVersions_ = false;
    History history_;
    ToneSettings automatic_;
    std::array<double, 5> zoneEvs_{};
    std::optional<ToneCurve> curve_;
    std::optional<SceneHistogram> histogram_;
    LampWhitePtr lamp_;
    MergedPtr merged_;
    Recipe mergedRecipe_;             // what was last sent to be merged, in force
    bool mergedIsCurrent_ = false;    // merged_ and histogram_ are of its frames and their preparation
    std::function<void()> onceShown_; // the full merge, which waits for the first picture
    bool isDraft_ = false;            // the first picture of a set does not wait for near and far
    QHash<QString, QImage> thumbnails_;
    QStringList problems_;
    std::optional<ViewRequest> view_;
    ViewPace pace_;
    bool viewWaits_ = false; ///< until all have heard of new settings
    QElapsedTimer viewClock_, summarised_;
    Lane viewLane_, restLane_, openLane_, mergeLane_, exportLane_, compareLane_, thumbnailLane_, histogramLane_,
        pickLane_, summaryLane_, loupeLane_, detailLane_, readLane_, tasteLane_, keepLane_, storeLane_, versionLane_,
        aheadLane_;
    QStringList aheadPaths_; // that are being prepared
    std::optional<Ahead> ahead_;
    std::array<Lane *, 6> lanes_{};
};

} // namespace yolk::app
