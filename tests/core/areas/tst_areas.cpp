// Masks of areas: shapes as sets, gradients that add up, strokes that any run gives alike, edges that are found.
#include "areas/area_parameter.h"
#include "areas/shape_edges.h"
#include "recipe/areas_json.h"
#include "recipe/recipe_json.h"
#include "recipe/sections.h"
#include "support/compare.h"
#include "support/runners.h"
#include "tone/tone_curve.h"
#include "tone/tone_map.h"
#include "tone/tone_rows.h"
#include "tone/zone_rows.h"
#include "worlds/painted.h"

#include <QTest>

#include <random>

using namespace yolk;

namespace {

std::vector<float> rowOf(const ShapeMask &mask, const PixelGrid &grid, int y, int width, const LightRow &light = {})
{
    std::vector<float> out(static_cast<size_t>(width));
    mask.row(grid, y, width, light, out.data());
    return out;
}

/// A mask of any of the shapes that need no light.
ShapeMaskPtr anyShape(std::mt19937 &random)
{
    const auto between = [&](double low, double high) { return std::uniform_real_distribution(low, high)(random); };
    const auto place = [&] { return Point{between(0, 400), between(0, 300)}; };
    switch (random() % 3) {
    case 0:
        return gradientMask(place(), place());
    case 1:
        return ovalMask(place(), place(), place(), between(0, 100));
    default: {
        StrokeRaster raster;
        for (int i = 0; i < 3; ++i)
            raster = withStroke(raster,
                                {.points = {place(), place()},
                                 .radius = between(5, 60),
                                 .flow = between(20, 100),
                                 .feather = between(0, 100),
                                 .erases = random() % 4 == 0},
                                false);
        return strokesMask(std::make_shared<StrokeRaster>(std::move(raster)));
    }
    }
}

Stroke lineStroke(double x0, double y0, double x1, double y1, double radius, double feather = 0.0)
{
    std::vector<Point> points;
    for (int i = 0; i <= 40; ++i)
        points.push_back({std::lerp(x0, x1, i / 40.0), std::lerp(y0, y1, i / 40.0)});
    return {.points = points, .radius = radius, .feather = feather};
}

} // namespace

class TestAreas : public QObject {
    Q_OBJECT

    /// The share of a stroke over a scene that is kept to edges, at each pixel.
    static Image<float> keptOf(const Image<float> &scene, const std::vector<Stroke> &strokes)
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        auto raster = std::make_shared<StrokeRaster>();
        for (const Stroke &s : strokes)
            *raster = withStroke(*raster, s, false);
        const ShapeMaskPtr stroke = strokesMask(raster);
        const auto model = std::make_shared<EdgeModel>(
            edgesOf(scene.view(), 1.0, *stroke, raster.get(), 1.5 * raster->reach, 1e-3f, ctx));
        const ShapeMaskPtr kept = keptToEdges(stroke, model);
        const Image<float> ev = evOf(scene.view(), ctx);
        Image<float> out(scene.width(), scene.height(), 1);
        for (int y = 0; y < out.height(); ++y)
            kept->row({}, y, out.width(), {scene.row(0, y), scene.row(1, y), scene.row(2, y), ev.row(0, y)},
                      out.row(0, y));
        return out;
    }

    /// Grey of two lights with 2 % of noise: bright left of `edge`, four stops darker from there on.
    static Image<float> edgeScene(int width, int height, int edge)
    {
        std::mt19937 random(3);
        std::normal_distribution<float> noise(1.0f, 0.02f);
        Image<float> out(width, height, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < height; ++y)
                for (int x = 0; x < width; ++x)
                    out.row(c, y)[x] = (x < edge ? 1.6f : 0.1f) * noise(random);
        return out;
    }

private Q_SLOTS:
    void shapesMeetAsSetsDo()
    {
        std::mt19937 random(11);
        for (int trial = 0; trial < 60; ++trial) {
            const ShapeMaskPtr a = anyShape(random), b = anyShape(random), none = inverted(wholeMask());
            const PixelGrid grid{0, 0, 3.0, 3.0};
            const int y = int(random() % 100);
            const auto row = [&](std::vector<std::pair<Meets, ShapeMaskPtr>> shapes) {
                return rowOf(*metMask(std::move(shapes)), grid, y, 130);
            };
            const auto join = row({{Meets::Join, a}, {Meets::Join, b}}),
                       meet = row({{Meets::Join, a}, {Meets::Intersect, b}});
            QCOMPARE(join, row({{Meets::Join, b}, {Meets::Join, a}}));
            QCOMPARE(meet, row({{Meets::Join, b}, {Meets::Intersect, a}}));
            QCOMPARE(row({{Meets::Join, a}, {Meets::Join, a}}), row({{Meets::Join, a}}));
            QCOMPARE(row({{Meets::Join, a}, {Meets::Intersect, a}}), row({{Meets::Join, a}}));
            QCOMPARE(row({{Meets::Join, a}, {Meets::Join, none}}), row({{Meets::Join, a}}));
            QCOMPARE(row({{Meets::Join, a}, {Meets::Intersect, wholeMask()}}), row({{Meets::Join, a}}));
            // A cut is the intersection with what the other leaves; what was joined after a cut holds both again.
            QCOMPARE(row({{Meets::Join, a}, {Meets::Cut, b}}),
                     row({{Meets::Join, a}, {Meets::Intersect, inverted(b)}}));
            const auto out = row({{Meets::Join, a}, {Meets::Cut, b}});
            const auto alone = row({{Meets::Join, a}}), other = row({{Meets::Join, b}});
            for (size_t x = 0; x < out.size(); ++x) {
                QVERIFY(join[x] >= std::max(alone[x], other[x]) && meet[x] <= std::min(alone[x], other[x]));
                QVERIFY(out[x] <= alone[x] && out[x] <= 1.0f - other[x] + 1e-6f);
                QVERIFY(join[x] >= 0.0f && join[x] <= 1.0f);
            }
        }
    }

    void halvesOfAGradientAddUp()
    {
        const PixelGrid grid{0, 0, 1.0, 1.0};
        for (const auto &[from, to] :
             {std::pair(Point{20, 10}, Point{180, 90}), std::pair(Point{100, 0}, Point{100, 60})}) {
            const auto one = rowOf(*gradientMask(from, to), grid, 33, 200),
                       other = rowOf(*gradientMask(to, from), grid, 33, 200);
            for (size_t x = 0; x < one.size(); ++x)
                QVERIFY(std::abs(one[x] + other[x] - 1.0f) < 1e-5f);
        }
        const auto across = rowOf(*gradientMask({50, 0}, {150, 0}), grid, 0, 200);
        QCOMPARE(across[20], 1.0f);
        QCOMPARE(across[180], 0.0f);
        QVERIFY(std::ranges::is_sorted(across, std::greater<>()));
        // Smooth step, by hand: at a quarter of the way 1 - (3/16 - 2/64).
        QVERIFY(std::abs(rowOf(*gradientMask({50.5, 0}, {150.5, 0}), grid, 0, 200)[75] - 0.84375f) < 1e-6f);
    }

    void tilesAgreeBitForBit()
    {
        std::mt19937 random(5);
        for (int trial = 0; trial < 40; ++trial) {
            const ShapeMaskPtr mask = anyShape(random);
            const PixelGrid grid{1.5, 2.5, 1.7, 1.7};
            const auto whole = rowOf(*mask, grid, 41, 230);
            const int first = 1 + int(random() % 150);
            const auto part = rowOf(*mask, grid.from(first, 41), 0, 60);
            QVERIFY(std::equal(part.begin(), part.end(), whole.begin() + first));
            const bool isEmpty = mask->misses(grid.from(first, 41), 60, 1);
            QVERIFY(!isEmpty || std::ranges::all_of(part, [](float v) { return v == 0.0f; }));
        }
    }

    void ovalIsOneWithinAndNothingBeyond()
    {
        const PixelGrid grid{0, 0, 1.0, 1.0};
        const auto row = rowOf(*ovalMask({100.5, 50.5}, {160.5, 50.5}, {100.5, 80.5}, 50.0), grid, 50, 200);
        QCOMPARE(row[100], 1.0f);
        QCOMPARE(row[129], 1.0f); // half of the radius is whole
        QCOMPARE(row[160], 0.0f);
        QVERIFY(std::abs(row[145] - 0.5f) < 1e-5f);
        QCOMPARE(row[71], row[129]);
    }

    void strokesGiveTheSameInAnyRun()
    {
        const std::vector<Stroke> strokes{lineStroke(20, 30, 120, 60, 12, 50), lineStroke(100, 20, 30, 90, 8, 20),
                                          lineStroke(60, 0, 60, 120, 5, 80)};
        StrokeRaster all;
        for (const Stroke &s : strokes)
            all = withStroke(all, s, false);
        StrokeRaster again;
        again = withStroke(withStroke(withStroke({}, strokes[0], false), strokes[1], false), strokes[2], false);
        QCOMPARE(all.area, again.area);
        QCOMPARE(test::firstDifference(all.mask.view(), again.mask.view()), QByteArray());
        // By hand: the middle of a full stroke is whole, twice half the flow leaves a quarter.
        Stroke half = lineStroke(20, 40, 120, 40, 10);
        half.flow = 50.0;
        const auto twice = std::make_shared<StrokeRaster>(withStroke(withStroke({}, half, false), half, false));
        QVERIFY(std::abs(rowOf(*strokesMask(twice), {}, 40, 140)[70] - 0.75f) < 1e-3f);
        QCOMPARE(rowOf(*strokesMask(twice), {}, 40, 140)[5], 0.0f);
        Stroke eraser = lineStroke(60, 20, 60, 60, 6);
        eraser.erases = true;
        const auto erased = std::make_shared<StrokeRaster>(withStroke(*twice, eraser, false));
        QCOMPARE(rowOf(*strokesMask(erased), {}, 40, 140)[60], 0.0f);
        QVERIFY(std::abs(rowOf(*strokesMask(erased), {}, 40, 140)[90] - 0.75f) < 1e-3f);
    }

    void strokesThatBuildUpAddTheSameEachTime()
    {
        StrokeRaster raster;
        const Stroke stroke = lineStroke(20, 40, 120, 40, 10);
        for (int i = 1; i <= kBuildUpSteps + 2; ++i) {
            raster = withStroke(raster, stroke, true);
            const auto mask =
                strokesMask(std::make_shared<StrokeRaster>(withStroke(raster, {.points = {{-90, -90}}}, true)));
            QVERIFY(std::abs(rowOf(*mask, {}, 40, 140)[70] - std::min(1.0f, float(i) / kBuildUpSteps)) < 1e-3f);
        }
    }

    void pressureNarrowsAStroke()
    {
        Stroke stroke = lineStroke(20, 60, 220, 60, 20);
        stroke.pressure = {{0.0, 1.0}, {1.0, 0.25}};
        const auto mask = strokesMask(std::make_shared<StrokeRaster>(withStroke({}, stroke, false)));
        const auto heightAt = [&](int x) {
            int rows = 0;
            for (int y = 0; y < 120; ++y)
                rows += rowOf(*mask, {}, y, 250)[size_t(x)] >= 0.5f;
            return rows;
        };
        QVERIFY(std::abs(heightAt(25) - 39) <= 3);
        QVERIFY(std::abs(heightAt(120) - 25) <= 3);
        QVERIFY(std::abs(heightAt(215) - 11) <= 3);
    }

    void lightAndHueChoosePixels()
    {
        const std::array<float, 4> r{0.18f, 0.72f, 0.5f, 0.1f}, g{0.18f, 0.72f, 0.1f, 0.1f},
            b{0.18f, 0.72f, 0.1f, 0.5f};
        std::array<float, 4> ev;
        evRow(r.data(), g.data(), b.data(), 4, ev.data());
        const LightRow light{r.data(), g.data(), b.data(), ev.data()};
        const auto stops = rowOf(*stopsMask(1.0, 3.0, 0.5), {}, 0, 4, light);
        QCOMPARE(stops[0], 0.0f); // 0 EV
        QCOMPARE(stops[1], 1.0f); // 2 EV
        const auto red = rowOf(*hueMask(25.0, 40.0), {}, 0, 4, light);
        QVERIFY(red[0] < 1e-3f && red[1] < 1e-3f); // grey belongs to none
        QVERIFY(red[2] > 0.7f && red[3] < 1e-3f);
    }

    void aHardEdgeIsFollowedWithinTwoPixels()
    {
        constexpr int kEdge = 150;
        const Image<float> scene = edgeScene(300, 200, kEdge);
        // The middle of the stroke keeps to the bright side, its rim crosses the edge by 20 pixels.
        const Image<float> kept = keptOf(scene, {lineStroke(kEdge - 20, 30, kEdge - 20, 170, 40)});
        for (int y = 40; y < 160; ++y) {
            const float *row = kept.row(0, y);
            QVERIFY2(row[kEdge - 3] > 0.9f && row[kEdge - 30] > 0.9f, qPrintable(QString::number(y)));
            for (int x = kEdge + 2; x < 300; ++x)
                QVERIFY(row[x] < 0.1f);
        }
        // In the middle of one light nothing is lost of it.
        const Image<float> plain = keptOf(scene, {lineStroke(60, 60, 60, 140, 25)});
        for (int y = 70; y < 130; ++y)
            for (int x = 45; x < 75; ++x)
                QVERIFY(plain.row(0, y)[x] > 0.97f);
    }

    void thinPartsAreKept()
    {
        Image<float> scene = edgeScene(300, 200, 150);
        for (int c = 0; c < 3; ++c) // a twig of three pixels of the dark thing stands out into the light
            for (int y = 100; y < 103; ++y)
                for (int x = 120; x < 150; ++x)
                    scene.row(c, y)[x] = 0.1f;
        const Image<float> kept = keptOf(scene, {lineStroke(172, 40, 172, 160, 40)});
        for (int x = 137; x < 150; ++x) {
            QVERIFY(kept.row(0, 101)[x] > 0.8f * kept.row(0, 101)[160]);
            QVERIFY(kept.row(0, 97)[x] < 0.1f && kept.row(0, 106)[x] < 0.1f); // the light on either side of it
        }
    }

    void paintedThingsAreMetBetter()
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        for (const uint64_t seed : {5, 12, 20}) {
            const auto painted = worlds::paintedOf(seed, 600, 400, ctx);
            if (!painted)
                continue;
            const worlds::PaintedVerdict v = worlds::judgePainted(*painted, ctx);
            QVERIFY2(v.kept > v.stroke, qPrintable(QStringLiteral("%1: %2 %3").arg(seed).arg(v.stroke).arg(v.kept)));
        }
        QVERIFY(worlds::paintedOf(12, 600, 400, ctx));
    }

    void parametersAddUpWithinTheirRange()
    {
        MaskRows masks(10, 20);
        Image<float> ramp(4, 1, 1), half(4, 1, 1);
        for (int x = 0; x < 4; ++x) {
            ramp.row(0, 0)[x] = float(x) / 3.0f;
            half.row(0, 0)[x] = 0.5f;
        }
        masks.add(std::move(ramp));
        masks.add({});
        masks.add(std::move(half));
        const PixelGrid grid{0, 0, 1, 1, 10, 20, &masks};
        const AreaParameter parameter({{0, false, 30.0f}, {1, false, 99.0f}, {1, true, 10.0f}, {2, true, 8.0f}}, -100.0,
                                      40.0);
        std::vector<float> values(4, 5.0f);
        parameter.fill(grid, 0, values);
        QCOMPARE(values[0], 19.0f); // 5 + 0 + 10 of what a mask of nothing leaves + 4
        QCOMPARE(values[1], 29.0f);
        QCOMPARE(values[3], 40.0f); // held
    }

    void zoneRowsAreThoseOfTheCurve()
    {
        std::mt19937 random(9);
        ToneStart start;
        for (int trial = 0; trial < 20; ++trial) {
            ToneSettings settings;
            std::vector<float> values[5], tone, want;
            const float *zones[5];
            for (size_t k = 0; k < kZones.size(); ++k) {
                settings.*kZones[k] = trial == 0 ? 0.0 : std::uniform_real_distribution(-100.0, 100.0)(random);
                values[k].assign(200, float(settings.*kZones[k]));
                zones[k] = values[k].data();
            }
            const ToneCurve curve(settings, start);
            for (int i = 0; i < 200; ++i) {
                const double log = -14.0 + 14.0 * i / 199.0;
                tone.push_back(float(log));
                want.push_back(float(std::log2(curve.zoned(std::exp2(log))) - log));
            }
            std::vector<float> got(200);
            zoneStopsRow(tone.data(), zones, 200, got.data());
            for (size_t i = 0; i < got.size(); ++i)
                QVERIFY2(
                    std::abs(got[i] - want[i]) < 2e-3f,
                    qPrintable(QStringLiteral("%1 at %2: %3 %4").arg(trial).arg(tone[i]).arg(got[i]).arg(want[i])));
        }
    }

    void areasGoThroughFilesAndBack()
    {
        Recipe recipe;
        Area area;
        area.name = "Sky";
        area.strength = 70;
        area.amounts = {{"tone.exposure", -0.7}, {"later.setting", 3.0}};
        area.outside = {{"tone.contrast", 5.0}};
        AreaShape brush{.kind = ShapeKind::Brush, .keepsToEdges = true, .drawnOn = "id"};
        brush.strokes = std::vector<Stroke>{lineStroke(0, 0, 10, 10, 20), lineStroke(5, 5, 6, 6, 3)};
        area.shapes = {{.kind = ShapeKind::Gradient, .places = {{1, 2}, {3, 4}}},
                       brush,
                       {.kind = ShapeKind::Stops, .meets = Meets::Cut, .low = -2}};
        recipe.areas.areas = std::vector<Area>{area, {}};
        const ReadRecipe read = parseRecipe(recipeText(recipe));
        QVERIFY(read.recipe == recipe);
        QVERIFY(hashUpTo(Stage::Tone, read.recipe) == hashUpTo(Stage::Tone, recipe));
        QVERIFY(parseAreas(areasText({area}))[0] == area);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, parseAreas("{}"));
        QVERIFY_THROWS_EXCEPTION(ArgumentError,
                                 parseAreas(R"({"format":"yolk-areas","version":1,"list":[{"strength":900}]})"));
        QVERIFY(isChanged(Step::Areas, recipe, Recipe()));
        // Copies share what is the same.
        Recipe copy = recipe;
        QVERIFY(copy.areas.areas.sharesWith(recipe.areas.areas));
    }
};

QTEST_MAIN(TestAreas)
#include "tst_areas.moc"
