// yolk-shots: takes the pictures of docs/screenshots from the demo bracket, in the real window, without a screen.
#include "canvas/canvas.h"
#include "document/demo_sets.h"
#include "keeping/stages_panel.h"
#include "keeping/versions_strip.h"
#include "lightscale/light_scale.h"
#include "main_window.h"
#include "recipe/sections.h"
#include "sets/collection.h"
#include "sets/sets_view.h"
#include "steps/colour_panel.h"
#include "steps/finish_panel.h"
#include "steps/merge_panel.h"
#include "steps/movement_group.h"
#include "steps/preset_group.h"
#include "steps/tone_panel.h"
#include "tasting/effect_strip.h"
#include "tasting/tasting_sheet.h"
#include "tasting/tasting_tiles.h"
#include "theme/theme.h"

#include <QApplication>
#include <QElapsedTimer>
#include <QFileInfo>
#include <QScrollBar>
#include <QSettings>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>

#include <cstdio>

using namespace yolk::app;
using yolk::Step;

namespace {

QString folder;
QStringList wanted; // empty: all

void settle(MainWindow &window)
{
    const auto busy = [&] {
        return window.document()->isOpen() &&
               (!window.document()->fullMergeReady() || window.document()->lanes()[3]->busy());
    };
    const auto becomesExact = [&] {
        const ViewPicture &shown = window.canvas()->picture();
        return window.document()->isOpen() && !window.document()->inspection() && !shown.exact &&
               shown.region.width() > shown.image.width();
    };
    QTest::qWait(150);
    for (int i = 0; i < 2400 && busy(); ++i)
        QTest::qWait(25);
    for (int i = 0; i < 80 && becomesExact(); ++i)
        QTest::qWait(25);
    QTest::qWait(300);
}

void shoot(MainWindow &window, const char *name)
{
    if (!wanted.isEmpty() && !wanted.contains(QLatin1String(name)))
        return;
    settle(window);
    const QString path = folder + QLatin1Char('/') + QLatin1String(name) + QStringLiteral(".png");
    if (!window.grab().save(path))
        std::fprintf(stderr, "yolk-shots: cannot write %s\n", qPrintable(path));
}

/// A spot and a stroke, the latter chosen.
void mendSome(MainWindow &window)
{
    window.goTo(Step::Mend);
    Mends *mends = window.document()->mends();
    mends->change([](yolk::MendSpot &next) { next.radius = 22.0; }, {});
    const auto add = [&](std::vector<yolk::Point> points) {
        mends->add(std::move(points));
        for (int i = 0; i < 500 && mends->isLooking(); ++i)
            QTest::qWait(20);
    };
    add({{660, 880}});
    add({{300, 240}, {340, 262}, {390, 280}, {440, 290}});
}

/// Some versions, a rating, and the list of stages beside them; nothing of it stays.
void keepSome(MainWindow &window)
{
    Document &document = *window.document();
    document.keepVersion(QStringLiteral("Calm meadow"));
    document.setTone(&yolk::ToneSettings::shadows, 30, QStringLiteral("shadows"));
    document.setTone(&yolk::ToneSettings::exposure, document.recipe().tone.exposure - 0.3, QStringLiteral("exposure"));
    document.keepVersion(QStringLiteral("Open shadows"));
    yolk::Recipe grey = document.recipe();
    yolk::settingsOf<yolk::Monochrome>(grey.adjustments).on = true;
    document.setRecipe(grey, QStringLiteral("black and white"));
    document.keepVersion(QStringLiteral("Black and white"));
    document.undo();
    document.setGroupStrength(QStringLiteral("hues"), 60.0);
    document.setRating(4);
    document.setChosen(true);
    window.versionsStrip()->show();
    window.showPanel(window.stages());
    for (int i = 0; i < 200 && document.versionPicture(2).isNull(); ++i)
        QTest::qWait(20);
    shoot(window, "keep");
    window.versionsStrip()->hide();
    window.goTo(Step::Tone);
    document.startAgain(Step::Tone);
}

/// A darker corner, a lighter basket that keeps to its edges, and what the chosen one holds.
void paintAreas(MainWindow &window)
{
    using namespace yolk;
    window.goTo(Step::Areas);
    Areas &areas = *window.document()->areas();
    const auto add = [&](AreaShape shape, const char *name, AreaAmounts amounts) {
        Area area;
        area.name = name;
        area.shapes = {std::move(shape)};
        area.amounts = std::move(amounts);
        areas.add(std::move(area), QStringLiteral("area"));
    };
    AreaShape left = areas.shapeOf(ShapeKind::Gradient);
    left.places = {{0, 300}, {620, 480}};
    add(left, "Dark corner", {{"tone.exposure", -0.8}});
    add(areas.shapeOf(ShapeKind::Stops), "Meadow and sky", {{"tone.exposure", -1.5}, {"colour.saturation", 10}});
    AreaShape basket = areas.shapeOf(ShapeKind::Brush);
    basket.keepsToEdges = true;
    std::vector<Stroke> strokes;
    for (const double y : {790.0, 840.0, 880.0})
        strokes.push_back({.points = {{1380, y}, {1450, y + 10}, {1520, y}}, .radius = 60.0});
    basket.strokes = strokes;
    add(basket, "Basket", {{"tone.exposure", 0.7}, {"tone.local_contrast", 20}});
    areas.setLook(AreaLook::Hatched);
}

} // namespace

int main(int argc, char **argv)
{
    if (qEnvironmentVariableIsEmpty("QT_QPA_PLATFORM"))
        qputenv("QT_QPA_PLATFORM", "offscreen");
    const QTemporaryDir settings; // the pictures do not depend on whose machine makes them
    QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, settings.path());
    QApplication application(argc, argv);
    QApplication::setOrganizationName(QStringLiteral("yolk-shots"));
    QApplication::setApplicationName(QStringLiteral("yolk-shots"));
    if (argc < 2) {
        std::fprintf(stderr, "usage: yolk-shots FOLDER [NAME...]\n");
        return 2;
    }
    folder = QString::fromLocal8Bit(argv[1]);
    for (int i = 2; i < argc; ++i)
        wanted << QString::fromLocal8Bit(argv[i]);
    QStandardPaths::setTestModeEnabled(true); // nobody's own presets
    Theme::instance().install();
    MainWindow window;
    window.resize(1280, 800);
    window.show();
    shoot(window, "empty");
    const auto openDemo = [&](const char *name) {
        for (const DemoSet &set : demoSets())
            if (set.folder == QLatin1String(name))
                window.open(set.frames);
        while (!window.document()->isOpen() || window.document()->lanes()[1]->busy())
            QTest::qWait(20);
    };
    openDemo("henhouse-handheld");
    window.goTo(Step::Merge);
    shoot(window, "align");
    window.mergePanel()->ensureWidgetVisible(window.mergePanel()->movement(), 0, 0);
    window.mergePanel()->movement()->stepPlace(+1);
    shoot(window, "movement");
    window.canvas()->fit();
    window.mergePanel()->verticalScrollBar()->setValue(0);
    openDemo("henhouse-tripod");
    window.goTo(Step::Tone);
    shoot(window, "tone");
    const auto tasted = [&](int key, Qt::KeyboardModifiers modifiers, const char *name) {
        QTest::keyClick(&window, Qt::Key(key), modifiers);
        const auto *tiles = window.tasting()->tiles();
        for (int i = 0; i < 500 && !tiles->isReady(); ++i)
            QTest::qWait(20);
        shoot(window, name);
        QTest::keyClick(window.tasting(), Qt::Key_Escape);
    };
    tasted(Qt::Key_Y, Qt::NoModifier, "taste-presets");
    window.goTo(Step::Frames);
    shoot(window, "frames");
    window.goTo(Step::Merge);
    shoot(window, "merge");
    window.document()->inspect(yolk::Inspection{.mode = yolk::InspectMode::Sources});
    shoot(window, "look-sources");
    window.document()->inspect(std::nullopt);
    window.goTo(Step::Colour);
    const auto mark = [&](const QPointF &place,
                          const yolk::HueMark &change) { // by its hue, as by a click on the picture
        window.document()->pickHue(place);
        while (!QTest::qWaitFor([&] { return !window.document()->lanes()[3]->busy(); }, 100) ||
               yolk::settingsOf<yolk::HueMarks>(window.document()->recipe().adjustments).marks.empty())
            QTest::qWait(20);
        yolk::Recipe next = window.document()->recipe();
        yolk::HueMark &made = yolk::settingsOf<yolk::HueMarks>(next.adjustments).marks.back();
        made = {made.hue, change.width, change.turn, change.saturation, change.lightness};
        window.document()->setRecipe(next, QStringLiteral("hue mark"));
    };
    mark({980, 700}, {0, 40, 8, -45, -15}); // the meadow: pulled in and darkened
    shoot(window, "colour");
    keepSome(window);
    window.document()->startAgain(Step::Colour);
    mendSome(window);
    shoot(window, "mend");
    window.document()->startAgain(Step::Mend);
    window.goTo(Step::Finish);
    yolk::Recipe seasoned = window.document()->recipe();
    yolk::settingsOf<yolk::Vignette>(seasoned.adjustments).amount = -0.9;
    yolk::settingsOf<yolk::WarmLight>(seasoned.adjustments).warm = 40;
    yolk::settingsOf<yolk::Glow>(seasoned.adjustments).amount = 30;
    window.document()->setRecipe(seasoned, QStringLiteral("seasoning"));
    window.finishPanel()->controls().slider(QStringLiteral("glow.amount"))->track()->setFocus();
    for (int i = 0; i < 500 && !window.effects()->tiles()->isReady(); ++i)
        QTest::qWait(20);
    shoot(window, "finish");
    window.canvas()->setFocus();
    window.document()->startAgain(Step::Finish);
    paintAreas(window);
    shoot(window, "areas");
    window.document()->startAgain(Step::Areas);
    window.goTo(Step::Geometry);
    window.document()->straighten(yolk::Straightening::Verticals);
    for (int i = 0; i < 500 && window.document()->recipe().geometry.tilt == 0.0; ++i)
        QTest::qWait(20);
    window.canvas()->setGuides(Guides::Thirds);
    shoot(window, "geometry");
    window.canvas()->setGuides(Guides::None);
    window.document()->startAgain(Step::Geometry);
    window.goTo(Step::Export);
    yolk::Recipe bright = window.document()->recipe();
    bright.output.format = yolk::PictureFormat::Jpeg;
    bright.output.light = yolk::ExportLight::Hdr;
    window.document()->setRecipe(bright, QStringLiteral("light"));
    window.document()->inspect(window.document()->lastInspection(yolk::InspectMode::Hdr));
    QTest::qWait(1500); // the grid of the last change of geometry goes
    shoot(window, "export");
    window.document()->inspect(std::nullopt);
    window.document()->undo();

    window.goTo(Step::Tone);
    window.document()->setTone(&yolk::ToneSettings::highlights, -35, QStringLiteral("highlights"));
    window.document()->setTone(&yolk::ToneSettings::shadows, 30, QStringLiteral("shadows"));
    window.document()->comparison()->setWay(CompareWay::Split);
    window.canvas()->turnDivider(30.0);
    shoot(window, "compare-split");
    window.document()->comparison()->setWay(CompareWay::Off);
    window.canvas()->zoomTo(1.0);
    for (const QPointF &place : {QPointF(1075, 740), QPointF(620, 300), QPointF(900, 520)})
        window.document()->addPin(place);
    window.document()->setEnds(yolk::EndsOf::Any);
    settle(window);
    const QPoint hen = window.canvas()->widgetAt(QPointF(1075, 740)).toPoint();
    QTest::mouseMove(window.canvas(), hen);
    window.lightScale()->setFocus();
    QTest::keyClick(window.lightScale(), Qt::Key_Right);
    shoot(window, "tone-at-100");
    window.document()->setEnds(std::nullopt);
    window.document()->clearPins();
    window.canvas()->fit();
    Theme::instance().set(ThemeChoice::Dusk);
    shoot(window, "tone-dusk");
    Theme::instance().set(ThemeChoice::Eggshell);

    const QTemporaryDir many; // the three demo sets in one folder
    for (const DemoSet &set : demoSets())
        for (const QString &frame : set.frames)
            QFile::copy(frame, many.filePath(QFileInfo(frame).fileName()));
    window.open({many.path()});
    for (int i = 0; i < 200 && window.collection()->sets().size() < 3; ++i)
        QTest::qWait(25);
    const auto isMissing = [&] {
        for (int set = 0; set < int(window.collection()->sets().size()); ++set)
            if (!window.collection()->card(set).isMade)
                return true;
        return false;
    };
    for (int i = 0; i < 2400 && isMissing(); ++i)
        QTest::qWait(25);
    window.setsView()->panel()->setFolder(QStringLiteral("/pictures/finished")); // not of this machine
    shoot(window, "sets");
    return 0;
}
