// Bands of flickering lamps and fall-off of mixed apertures: truth from formulas, and frames of the simulated camera.
#include "base/errors.h"
#include "frames/measure_p.h"
#include "frames/places.h"
#include "render/render.h"
#include "simulated_camera.h"
#include "support/synthetic.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>
#include <numbers>
#include <random>

using namespace yolk;

namespace {

constexpr PlaceGrid kGrid{1200, 800, 6, 1};
using Bands = std::function<double(size_t frame, double x, double y)>;

/// Places of `frames` frames whose light is uneven as `bands` say, with noise of `noise` EV; of a share `moved` the last
/// frame shows something else.
std::vector<UnevenPair> pairsOf(size_t frames, const Bands &bands, double noise, double moved = 0.0)
{
    std::mt19937 random(5);
    std::normal_distribution<double> normal;
    std::uniform_real_distribution<double> share(0.0, 1.0);
    std::vector<UnevenPair> out;
    for (size_t i = 0; i < kGrid.count(); i += 3) {
        const double x = kGrid.middleX(i) / kGrid.width, y = kGrid.middleY(i) / kGrid.height;
        const double other = share(random) < moved ? 2.0 * normal(random) : 0.0;
        for (size_t b = 1; b < frames; ++b) {
            const double step = bands(b, x, y) - bands(b - 1, x, y) + noise * normal(random);
            out.push_back({b - 1, b, {x, y}, {x, y}, step + (b + 1 == frames ? other : 0.0), noise, kGrid.tileOf(i)});
        }
    }
    return out;
}

double flicker(size_t frame, double, double y)
{
    return 0.1 * std::sin(2.0 * std::numbers::pi * (5.0 * y + 0.37 * double(frame)));
}

std::vector<Unevenness> unevennessOf(const std::vector<UnevenPair> &pairs, const UnevenModel &model)
{
    ThreadRunner runner;
    ExecContext ctx(runner);
    return fitUnevenness(pairs, model, ctx);
}

} // namespace

class TestEvenness : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;

private Q_SLOTS:
    void evenFramesAreLeftAlone_data()
    {
        QTest::addColumn<double>("noise");
        QTest::addColumn<double>("moved");
        QTest::newRow("clean") << 0.003 << 0.0;
        QTest::newRow("noisy") << 0.1 << 0.0;
        QTest::newRow("a third moved") << 0.02 << 0.33;
    }
    void evenFramesAreLeftAlone()
    {
        QFETCH(double, noise);
        QFETCH(double, moved);
        const auto pairs = pairsOf(
            3, [](size_t, double, double) { return 0.0; }, noise, moved);
        QVERIFY(unevennessOf(pairs, {.frames = 3}).empty());
    }
    void slopesOfTheSceneAreNoBands()
    {
        // A wrong curve makes exposures seem to differ with brightness, and skies are brighter than ground.
        const auto pairs = pairsOf(
            3, [](size_t f, double, double y) { return 0.1 * double(f) * (y - 0.5) * (1.0 + y); }, 0.02);
        QVERIFY(unevennessOf(pairs, {.frames = 3}).empty());
    }
    void bandsAreFound_data()
    {
        QTest::addColumn<double>("moved");
        QTest::addColumn<bool>("columns");
        QTest::newRow("still") << 0.0 << false;
        QTest::newRow("a third moved") << 0.33 << false;
        QTest::newRow("turned") << 0.0 << true;
    }
    void bandsAreFound()
    {
        QFETCH(double, moved);
        QFETCH(bool, columns);
        const Bands bands = [&](size_t f, double x, double y) { return flicker(f, 0.0, columns ? x : y); };
        const auto found = unevennessOf(pairsOf(3, bands, 0.03, moved), {.frames = 3, .acrossColumns = columns});
        QCOMPARE(found.size(), size_t(3));
        double squares = 0.0; // all but the level, slope and bend that a band has over the whole frame
        for (int i = 2; i < 98; ++i) {
            const double at = i / 100.0, x = columns ? at : 0.3, y = columns ? 0.3 : at;
            const double mean = (bands(0, x, y) + bands(1, x, y) + bands(2, x, y)) / 3.0;
            for (size_t f = 0; f < 3; ++f)
                squares += std::pow(found[f].at(x, y) - (bands(f, x, y) - mean), 2) / (3 * 96);
        }
        qInfo("RMS %.4f EV of 0.07", std::sqrt(squares));
        QVERIFY(std::sqrt(squares) < 0.015);
    }
    void rimsAreFound()
    {
        const Bands rim = [](size_t f, double x, double y) {
            const double u = 2.0 * x - 1.0, v = 2.0 * y - 1.0, q = (2.25 * u * u + v * v) / 3.25; // 3 to 2
            return (f == 1 ? -0.6 : -0.1) * q;
        };
        const auto found = unevennessOf(pairsOf(3, rim, 0.03), {.frames = 3, .rim = true, .aspect = 1.5});
        QCOMPARE(found.size(), size_t(3));
        QVERIFY(std::abs(found[1].rim - found[0].rim + 0.5) < 0.02);
        QVERIFY(std::abs(found[2].rim - found[0].rim) < 0.02);
        QVERIFY(found[0].most() > 0.1 && found[0].most() < 0.2);
    }
    void argumentsAreChecked()
    {
        std::vector<UnevenPair> pairs(1);
        pairs[0].bright = 7;
        QVERIFY_THROWS_EXCEPTION(ArgumentError, unevennessOf(pairs, {.frames = 3}));
    }
    /// Lines full of sparks, frames that lie beside each other by a pixel: of a place one frame sees the spark and the
    /// other does not. Where the brighter one clips nothing is compared, and so the rest must not look darker there.
    void sparksAreNoFlicker()
    {
        std::mt19937 random(11);
        std::normal_distribution<double> normal;
        std::vector<FramePtr> frames;
        std::vector<MeasuredFrame> measured(3);
        PlacedGroup group{{0, 1, 2}, kGrid, std::vector(3, std::vector<PlaceLight>(kGrid.count()))};
        for (size_t f = 0; f < 3; ++f) {
            Frame frame;
            frame.width = kGrid.width;
            frame.height = kGrid.height;
            frames.push_back(std::make_shared<const Frame>(frame));
            measured[f].exposure = std::exp2(2.0 * double(f) - 4.0);
            for (size_t i = 0; i < kGrid.count(); ++i) {
                PlaceLight &place = group.light[f][i];
                const bool sparks = int(kGrid.middleY(i)) % 400 > 360;
                const double even = 0.5 * measured[f].exposure * std::exp2(0.05 * normal(random));
                const double spark = sparks ? measured[f].exposure * std::exp2(3.0 + normal(random)) : 0.0;
                const double most = std::min(1.0, even + spark), mean = even + (most - even) / 12.0;
                place.shown = true;
                for (size_t c = 0; c < 3; ++c) {
                    place.mean[c] = float(mean);
                    place.spread[c] = float(most - 0.9 * even);
                    place.most[c] = float(most);
                }
            }
        }
        SetPlaces placing;
        placing.maps.assign(3, PlaceMap([](double x, double y) { return std::array{x, y}; }));
        SerialRunner runner;
        ExecContext ctx(runner);
        const Measuring set{frames, {}, {{0, 1, 2}}};
        QVERIFY(!findUnevenness(set, group, placing, group.light, measured, ctx));
        for (size_t i = 0; i < kGrid.count(); ++i) // bands that are there are found among them
            for (size_t c = 0; c < 3; ++c)
                group.light[1][i].mean[c] *= float(std::exp2(flicker(1, 0.0, kGrid.middleY(i) / kGrid.height)));
        QVERIFY(findUnevenness(set, group, placing, group.light, measured, ctx));
    }
    /// Two apertures, and so two fall-offs: the corners of the merge are those of the reference alone, and nothing
    /// moved.
    void mixedAperturesMergeEvenly()
    {
        const int width = 960, height = 640;
        Image<float> scene(width, height, 3);
        std::mt19937 random(9);
        std::uniform_real_distribution<float> any(-3.0f, 1.0f);
        for (int top = 0; top < height; top += 20)
            for (int left = 0; left < width; left += 20) {
                const float v = std::exp2(any(random));
                for (int c = 0; c < 3; ++c)
                    for (int y = top; y < top + 20; ++y)
                        for (int x = left; x < left + 20; ++x)
                            scene.row(c, y)[x] = v * (c == 1 ? 1.0f : 0.8f);
            }
        Sources sources{{}, std::make_shared<StageCache>(size_t(512) << 20)};
        sources.keepFrames = true;
        const double rims[] = {0.1, 0.1, 0.8}, numbers[] = {8.0, 8.0, 2.8};
        std::vector<Image<float>> seen;
        for (size_t i = 0; i < 3; ++i) {
            seen.push_back(demo::throughLens(scene.view(), {.softness = 0.5, .vignetting = rims[i]}));
            demo::Shot shot;
            shot.clipsAt = 4.0 * std::exp2(-2.0 * double(i));
            shot.fNumber = numbers[i];
            shot.exposureSeconds = 0.01 * std::exp2(2.0 * double(i)) * std::pow(numbers[i] / 8.0, 2.0);
            shot.seed = 70 + i;
            const std::string path = dir_.filePath(QString("rim%1.dng").arg(i)).toStdString();
            demo::writeDng(path, demo::exposeMosaic(seen.back().view(), shot).view(), shot);
            sources.frames.push_back(loadFrame(path));
        }
        ThreadRunner runner;
        ExecContext analysing(runner), merging(runner);
        const Measured measured = analyse(sources, {}, analysing);
        const Bracket bracket = bracketOf(sources, measured, {});
        const auto reference = size_t(bracket.frames[bracket.reference].given - 1);
        QVERIFY(!measured.frames[2].unevenness.isEven());
        QVERIFY(std::abs(measured.frames[2].unevenness.rim - measured.frames[0].unevenness.rim + 0.7) < 0.05);
        const auto merged = mergedOf(RenderPlan(sources, measured, {}), 1, merging);
        QCOMPARE(merged->movement.places.size(), size_t(0));
        // Middles of even squares: in the corners and in the middle of the picture the same factor.
        const Image<float> &got = merged->pixels.radiance;
        std::vector<double> ratios;
        for (int y = 10; y < height; y += 20)
            for (int x = 10; x < width; x += 20)
                ratios.push_back(std::log2(double(got.row(1, y)[x]) / double(seen[reference].row(1, y)[x])));
        std::ranges::sort(ratios);
        qInfo("light over that of the reference: 2nd to 98th percentile %.4f EV",
              ratios[ratios.size() * 98 / 100] - ratios[ratios.size() / 50]);
        QVERIFY(ratios[ratios.size() * 98 / 100] - ratios[ratios.size() / 50] < 0.1);
    }
};

QTEST_GUILESS_MAIN(TestEvenness)
#include "tst_evenness.moc"
