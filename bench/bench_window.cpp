// The real window on the offscreen platform: how soon the first picture stands, how long the event loop is held up, and
// how fast a slider shows.
#include "benchmarks.h"
#include "synthetic_set.h"
#include "ten_areas.h"

#include "base/memory.h"
#include "canvas/canvas.h"
#include "document/demo_sets.h"
#include "document/merge_store.h"
#include "main_window.h"
#include "tasting/tasting_sheet.h"

#include <QDir>
#include <QElapsedTimer>
#include <QStandardPaths>
#include <QTest>
#include <QTimer>

#include <functional>
#include <memory>

namespace yolk::bench {
namespace {

using namespace yolk::app;

/// The longest time between two turns of the event loop that a timer of 1 ms saw.
class BlockWatch : public QObject {
public:
    BlockWatch()
    {
        connect(&timer_, &QTimer::timeout, this, [this] {
            worst_ = std::max(worst_, double(clock_.nsecsElapsed()) * 1e-6);
            clock_.restart();
        });
    }
    void start()
    {
        clock_.start();
        timer_.start(1);
    }
    double stop()
    {
        timer_.stop();
        return worst_;
    }

private:
    QTimer timer_;
    QElapsedTimer clock_;
    double worst_ = 0.0;
};

struct Opening {
    double firstSeconds, fullSeconds, worstBlockMs;
};

Opening openSet(MainWindow &window, const QStringList &paths)
{
    QElapsedTimer clock;
    Opening out{};
    bool full = false;
    BlockWatch watch;
    const auto connection =
        QObject::connect(window.document(), &Document::viewReady, &window, [&](const ViewPicture &picture) {
            if (out.firstSeconds == 0.0)
                out.firstSeconds = double(clock.nsecsElapsed()) * 1e-9;
            full = full || picture.full;
        });
    watch.start();
    clock.start();
    window.open(paths);
    while (!full && clock.elapsed() < 120000)
        QTest::qWait(1);
    out.fullSeconds = double(clock.nsecsElapsed()) * 1e-9;
    out.worstBlockMs = watch.stop();
    QObject::disconnect(connection);
    return out;
}

/// From a change of settings to the new picture on the canvas, in milliseconds.
std::vector<double> changeTimes(MainWindow &window, int moves, const std::function<void(Recipe &, int)> &change)
{
    std::vector<double> out;
    bool shown = false;
    const auto connection = QObject::connect(window.document(), &Document::viewReady, &window, [&] { shown = true; });
    for (int i = 0; i < moves; ++i) {
        Recipe next = window.document()->recipe();
        change(next, i);
        shown = false;
        QElapsedTimer clock;
        clock.start();
        window.document()->setRecipe(next, QStringLiteral("bench"), QStringLiteral("bench"));
        while (!shown && clock.elapsed() < 5000)
            QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents); // spinning would take a core from the work
        window.canvas()->repaint();
        out.push_back(double(clock.nsecsElapsed()) * 1e-6);
    }
    QObject::disconnect(connection);
    return out;
}

/// All sliders of the tone step under all methods: the worst median and 95th percentile of any of them.
void slide(MainWindow &window, Report &report)
{
    double median = 0.0, p95 = 0.0;
    const auto measure = [&](const std::string &name, const std::function<void(Recipe &, int)> &change) {
        changeTimes(window, 2, change); // the layers of the scene are found once
        const std::vector<double> times = changeTimes(window, 20, change);
        report.add("preview.slider_ms." + name, percentile(times, 0.5), "");
        median = std::max(median, percentile(times, 0.5));
        p95 = std::max(p95, percentile(times, 0.95));
    };
    for (const auto &method : kToneMethods) {
        Recipe start = window.document()->automaticRecipe();
        start.tone.method = method.value;
        changeTimes(window, 1, [&](Recipe &recipe, int) { recipe = start; });
        forEachField(kToneFields, [&](const auto &field) {
            if constexpr (requires { field.minimum; })
                if (isVisible(start.tone, field))
                    measure(std::string(method.key) + "." + std::string(field.key), [&](Recipe &recipe, int i) {
                        recipe = start;
                        const double span = field.maximum - field.minimum, share = ((i * 37) % 60 + 20) / 100.0;
                        recipe.tone.*field.member = field.minimum + share * span;
                    });
        });
        measure(std::string(method.key) + ".saturation", [&](Recipe &recipe, int i) {
            recipe = start;
            settingsOf<Saturation>(recipe.adjustments).saturation = (i * 37) % 60 - 30;
        });
        Recipe colourful = start; // every group of the Colour step at work
        settingsOf<Saturation>(colourful.adjustments).saturation = 10;
        settingsOf<WarmCool>(colourful.adjustments).apart = 20;
        settingsOf<HueMarks>(colourful.adjustments).marks = {
            {60, 45, 10, -20, 5}, {140, 40, 0, -30, -10}, {250, 60, 0, 20}};
        settingsOf<Tints>(colourful.adjustments).lights = settingsOf<Tints>(colourful.adjustments).darks = 20;
        settingsOf<Monochrome>(colourful.adjustments).on = true;
        settingsOf<LightCurve>(colourful.adjustments) = {{{0, 0}, {0.4, 0.45}, {1, 1}},
                                                         {{0, 0}, {0.5, 0.52}, {1, 1}},
                                                         {{0, 0}, {0.5, 0.48}, {1, 1}},
                                                         {{0, 0.02}, {1, 1}}};
        measure(std::string(method.key) + ".all_colour", [&](Recipe &recipe, int i) {
            recipe = colourful;
            settingsOf<Vibrance>(recipe.adjustments).vibrance = (i * 37) % 60 - 30;
        });
        Recipe finished = start; // and of the Finish step; the finest detail shows at 100 % only
        settingsOf<Haze>(finished.adjustments) = {30, 100};
        settingsOf<Glow>(finished.adjustments) = {30, 30, 10};
        settingsOf<DeepSky>(finished.adjustments) = {50};
        settingsOf<WarmLight>(finished.adjustments) = {30};
        settingsOf<Vignette>(finished.adjustments) = {-0.7, 0.2, 60, 60, 0, 50, 50};
        measure(std::string(method.key) + ".all_finish", [&](Recipe &recipe, int i) {
            recipe = finished;
            settingsOf<Grain>(recipe.adjustments).amount = (i * 37) % 60 + 20;
        });
        measure(std::string(method.key) + ".haze", [&](Recipe &recipe, int i) {
            recipe = finished;
            settingsOf<Haze>(recipe.adjustments).strength = (i * 37) % 60 + 20;
        });
    }
    { // a corner that is pulled, with all of the step at work
        Recipe askew = window.document()->automaticRecipe();
        askew.geometry.angle = 0.4;
        askew.geometry.distortion = 1.5;
        askew.lens.vignetting = 0.5;
        const auto pull = [&](Recipe &recipe, int i) {
            recipe = askew;
            recipe.geometry.tilt = (i * 37) % 60 * 0.1;
            recipe.geometry.swing = (i * 17) % 40 * 0.1;
        };
        window.goTo(Step::Geometry); // where the canvas shows all of the plane
        QTest::qWait(500);
        changeTimes(window, 2, pull);
        const std::vector<double> times = changeTimes(window, 20, pull);
        report.add("preview.corner_ms", percentile(times, 0.5), "a corner is pulled: 33");
        const auto crop = [&](Recipe &recipe, int i) {
            recipe = askew;
            recipe.geometry.right = 0.6 + 0.01 * (i % 20);
        };
        changeTimes(window, 2, crop);
        report.add("preview.crop_ms", percentile(changeTimes(window, 20, crop), 0.5), "a side of the crop is dragged");
        changeTimes(window, 1, [](Recipe &recipe, int) {
            recipe.geometry = {};
            recipe.lens = {};
        });
        window.goTo(Step::Tone);
        QTest::qWait(500);
    }
    { // ten areas
        Recipe areas = window.document()->automaticRecipe();
        const QSize size = window.document()->pictureSize();
        areas.areas.areas = tenAreas(size.width(), size.height());
        double worst = 0.0;
        const auto slide = [&](const char *name, const std::function<void(Recipe &, int)> &change) {
            const auto whole = [&](Recipe &recipe, int i) {
                recipe = areas;
                change(recipe, i);
            };
            changeTimes(window, 2, whole);
            const double ms = percentile(changeTimes(window, 20, whole), 0.5);
            report.add(std::string("preview.areas_ms.") + name, ms, "");
            worst = std::max(worst, ms);
        };
        slide("exposure", [&](Recipe &recipe, int i) { recipe.tone.exposure += (i * 37) % 60 * 0.02; });
        slide("saturation", [&](Recipe &recipe, int i) {
            settingsOf<Saturation>(recipe.adjustments).saturation = (i * 37) % 60 - 30;
        });
        const auto ofArea = [&](int index, const char *path, double step) {
            return [&, index, path, step](Recipe &recipe, int i) {
                std::vector<Area> list = recipe.areas.areas.all();
                list[size_t(index)].amounts[path] = (i * 37) % 60 * step;
                recipe.areas.areas = std::move(list);
            };
        };
        slide("area_exposure", ofArea(kPaintedArea, "tone.exposure", 0.02));
        slide("area_shadows", ofArea(1, "tone.shadows", 0.5));
        report.add("preview.areas_ms", worst, "the slowest slider with ten areas, at most 33");
        // A stroke: what the canvas shows of it at once, and the picture that follows.
        window.goTo(Step::Areas);
        changeTimes(window, 1, [&](Recipe &recipe, int) { recipe = areas; });
        window.document()->areas()->choose(7);
        QTest::qWait(500);
        Canvas &canvas = *window.canvas();
        std::vector<double> seen;
        QTest::mousePress(&canvas, Qt::LeftButton, {}, canvas.rect().center() - QPoint(150, 0));
        for (int i = 0; i < 60; ++i) {
            QElapsedTimer clock;
            clock.start();
            QTest::mouseMove(&canvas, canvas.rect().center() + QPoint(5 * i - 150, (i * 7) % 40));
            canvas.repaint();
            seen.push_back(double(clock.nsecsElapsed()) * 1e-6);
            QTest::qWait(15);
        }
        QTest::mouseRelease(&canvas, Qt::LeftButton, {}, canvas.rect().center());
        report.add("areas.paint_ms", percentile(seen, 0.5), "from the pointer's move to the stroke on the canvas, 20");
        report.add("areas.paint_ms_p95", percentile(seen, 0.95), "");
        std::vector<Area> list = areas.areas.areas.all();
        const Stroke whole = list[7].shapes[0].strokes[0];
        const auto paint = [&](Recipe &recipe, int i) { // a stroke that grows
            recipe = areas;
            std::vector<Stroke> strokes = list[7].shapes[0].strokes.all();
            Stroke last = whole;
            last.points = std::vector<Point>(whole.points.begin(), whole.points.begin() + 20 + 2 * i);
            strokes.push_back(last);
            std::vector<Area> next = list;
            next[7].shapes[0].strokes = std::move(strokes);
            recipe.areas.areas = std::move(next);
        };
        report.add("areas.stroke_picture_ms", percentile(changeTimes(window, 15, paint), 0.5),
                   "and to the picture with it");
        changeTimes(window, 1, [](Recipe &recipe, int) { recipe.areas = {}; });
        window.goTo(Step::Tone);
        QTest::qWait(500);
    }
    std::vector<double> undone;
    bool shownAgain = false;
    const auto connection =
        QObject::connect(window.document(), &Document::viewReady, &window, [&] { shownAgain = true; });
    for (int i = 0; i < 20; ++i) {
        shownAgain = false;
        QElapsedTimer clock;
        clock.start();
        if (i % 2 == 0)
            window.document()->undo();
        else
            window.document()->redo();
        while (!shownAgain && clock.elapsed() < 5000)
            QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents);
        undone.push_back(double(clock.nsecsElapsed()) * 1e-6);
    }
    QObject::disconnect(connection);
    report.add("preview.undo_ms", percentile(undone, 0.5), "undo and redo of an adjustment, as a slider");
    const QSize shown = window.canvas()->picture().image.size();
    char note[96];
    std::snprintf(note, sizeof note, "the slowest control at %d x %d, at most 33", shown.width(), shown.height());
    report.add("preview.slider_ms_median", median, note);
    report.add("preview.slider_ms_p95", p95, "at most 60");
}

/// From the command to all nine pictures of the tasting sheet.
double tastingMilliseconds(MainWindow &window)
{
    std::vector<double> times;
    for (int i = 0; i < 5; ++i) {
        bool ready = false;
        const auto connection = QObject::connect(window.document(), &Document::tasted, &window, [&] { ready = true; });
        QElapsedTimer clock;
        clock.start();
        QTest::keyClick(&window, Qt::Key_Y, Qt::ShiftModifier);
        while (!ready && clock.elapsed() < 5000)
            QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents);
        window.tasting()->repaint();
        times.push_back(double(clock.nsecsElapsed()) * 1e-6);
        QObject::disconnect(connection);
        QTest::keyClick(window.tasting(), Qt::Key_Escape);
        QTest::qWait(200);
    }
    return percentile(times, 0.95);
}

/// From a cancel to the end of the work, at several moments of a full merge and of saving: the longest, in
/// milliseconds.
double cancelMilliseconds(MainWindow &window, const QStringList &paths, const QString &folder)
{
    Document &document = *window.document();
    double worst = 0.0;
    const auto cancel = [&](Lane *lane, int after) {
        QElapsedTimer clock;
        clock.start();
        while (lane->busy() && clock.elapsed() < after)
            QTest::qWait(1);
        if (!lane->busy())
            return; // it was faster
        clock.start();
        document.cancelJobs();
        while (lane->busy())
            QCoreApplication::processEvents(QEventLoop::WaitForMoreEvents);
        worst = std::max(worst, double(clock.nsecsElapsed()) * 1e-6);
    };
    for (int after : {1200, 2000, 2800, 3600}) { // the full merge is under way
        document.open(paths);
        QTest::qWait(100);
        while (document.lanes()[1]->busy() || !document.isOpen() || !document.isMerging())
            QTest::qWait(1);
        cancel(document.lanes()[2], after);
    }
    openSet(window, paths);
    for (const char *name : {"cancel.exr", "cancel.tif", "cancel.hdr"})
        for (int after : {30, 300, 900}) {
            document.saveRadiance(QDir(folder).filePath(QLatin1String(name)));
            cancel(document.lanes()[0], after);
            QFile::remove(QDir(folder).filePath(QLatin1String(name)));
        }
    return worst;
}

std::unique_ptr<MainWindow> newWindow()
{
    keepFreedMemory(); // as in the program's main()
    auto window = std::make_unique<MainWindow>();
    window->resize(1280, 800);
    window->show();
    QTest::qWait(200); // its own first painting does not count
    return window;
}

/// From the command to the full picture of work that was closed: its merge stands on the disk.
double reopenSeconds(const QStringList &paths)
{
    QStandardPaths::setTestModeEnabled(true); // nobody's own work
    QString kept;
    {
        const auto window = newWindow();
        window->document()->setKeepsWork(true);
        openSet(*window, paths);
        const Recipe start = window->document()->recipe();
        window->document()->setTone(&ToneSettings::contrast, start.tone.contrast + 5.0, QStringLiteral("contrast"));
        const auto store = mergeStore();
        const RenderPlan plan(window->document()->sources(), window->document()->measured(), start);
        while (!store->holds(plan.mergedKey(1)))
            QTest::qWait(20);
        kept = window->document()->keptPath();
    }
    const auto window = newWindow();
    window->document()->setKeepsWork(true);
    const double seconds = openSet(*window, {kept}).fullSeconds;
    QFile::remove(kept);
    mergeStore()->clear();
    QStandardPaths::setTestModeEnabled(false);
    return seconds;
}

} // namespace

void benchWindow(Report &report, const std::string &folder)
{
    auto window = newWindow();
    const Opening demo = openSet(*window, demoSets().front().frames);
    report.add("first_picture_s.demo", demo.firstSeconds, "from drop to the first picture, at most 2");

    QStringList large;
    for (const std::string &path : largeBracket(folder, 5))
        large << QString::fromStdString(path);
    QStringList three;
    for (const std::string &path : largeBracket(folder, 3))
        three << QString::fromStdString(path);
    window = newWindow();
    report.add("first_picture_s.3x24mp", openSet(*window, three).firstSeconds, "at most 1.5");
    window = newWindow();
    const Opening five = openSet(*window, large);
    report.add("first_picture_s.5x24mp", five.firstSeconds, "at most 2");
    report.add("full_picture_s.5x24mp", five.fullSeconds, "from drop to the fully merged picture");
    report.add("ui_block_ms_max", std::max(demo.worstBlockMs, five.worstBlockMs),
               "longest hold of the event loop while both opened, at most 50");

    report.add("reopen_s.demo", reopenSeconds(demoSets().front().frames), "to the full picture, at most 0.7");
    report.add("reopen_s.5x24mp", reopenSeconds(large), "the same, at most 2");
    report.add("cancel_ms_max", cancelMilliseconds(*window, large, QString::fromStdString(folder)),
               "from a cancel to the end of a merge or of saving radiance, at most 200");
}

void benchSliders(Report &report, const std::string &folder)
{
    QStringList large;
    for (const std::string &path : largeBracket(folder, 5))
        large << QString::fromStdString(path);
    const auto window = newWindow();
    openSet(*window, large);
    window->resize(1660, 1245); // its canvas shows 1.3 megapixels of picture
    QTest::qWait(1500);
    slide(*window, report);
    report.add("preview.tasting_ms", tastingMilliseconds(*window), "nine variations, the slowest of five; at most 600");
}

} // namespace yolk::bench
