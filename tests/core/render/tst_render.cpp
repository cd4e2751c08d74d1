#include "base/errors.h"
#include "render/files/display_codes.h"
#include "render/files/file_codes.h"
#include "render/files/output.h"
#include "render/files/radiance_export.h"
#include "render/render.h"
#include "render/set/measured_json.h"
#include "render/set/stage_cache.h"
#include "render/stages/align_stage.h"
#include "render/stages/frame_stage.h"
#include "render/views/develop.h"
#include "support/compare.h"
#include "support/handheld.h"
#include "support/near.h"
#include "support/runners.h"
#include "support/synthetic.h"
#include "tone/tone_curve.h"

#include "colour/transfer.h"

#include <opencv2/imgcodecs.hpp>
#include <QDir>
#include <QTemporaryDir>
#include <QTest>

#include <numeric>
#include <random>
#include <thread>

#include <cmath>

using namespace yolk;

namespace {

Sources open(const QStringList &paths, size_t cacheBytes = size_t(1) << 30)
{
    Sources out{{}, std::make_shared<StageCache>(cacheBytes)};
    for (const QString &p : paths)
        out.frames.push_back(loadFrame(p.toStdString()));
    return out;
}

} // namespace

class TestRender : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    QStringList paths_;
    Sources sources_;
    Measured measured_;
    Recipe recipe_;

    Image<float> rendered(const Sources &sources, const Recipe &recipe, const RenderRequest &request = {}) const
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        return render(RenderPlan(sources, measured_, recipe), request, ctx);
    }

private Q_SLOTS:
    void initTestCase()
    {
        paths_ = test::writeBracket(dir_.path(), test::rampScene(301, 203, 0.002, 11).view(), {0, -2, 2}, 1.0);
        sources_ = open(paths_);
        ThreadRunner runner;
        ExecContext ctx(runner);
        measured_ = analyse(sources_, {}, ctx);
        recipe_.tone = automaticTone(measured_.tone);
    }
    void measuredDescribesTheScene()
    {
        // Between the 1st and 99th percentile of 11 stops lie 98 % of them.
        QVERIFY(std::abs(measured_.tone.highEv - measured_.tone.lowEv - 0.98 * 11) < 0.5);
        QVERIFY(std::abs(measured_.tone.lowEv - evOfLuminance(0.002 * std::exp2(0.11))) < 0.5);
        ThreadRunner runner;
        ExecContext ctx(runner);
        const SceneHistogram histogram = sceneHistogram(sources_, measured_, {}, ctx);
        QVERIFY(std::abs(std::accumulate(histogram.shares.begin(), histogram.shares.end(), 0.0) - 1.0) < 1e-3);
    }
    void pictureIsAPureFunction()
    {
        const Image<float> a = rendered(sources_, recipe_), b = rendered(open(paths_), recipe_);
        QCOMPARE(test::firstDifference(a.view(), b.view(), 0.0, 0.0), QByteArray());
        const Image<float> uncached = rendered(open(paths_, 0), recipe_);
        QCOMPARE(test::firstDifference(a.view(), uncached.view(), 0.0, 0.0), QByteArray());
    }
    void regionIsThatPartOfTheWhole()
    {
        const Image<float> whole = rendered(sources_, recipe_);
        const Image<float> part = rendered(sources_, recipe_, {1, {40, 30, 140, 100}});
        QCOMPARE(part.shape(), (Shape{100, 70, 3}));
        QCOMPARE(test::firstDifference(part.view(), whole.view().crop({40, 30, 140, 100}), 0.0, 0.0), QByteArray());
        QVERIFY_THROWS_EXCEPTION(ArgumentError, rendered(sources_, recipe_, {1, {40, 30, 40, 100}}));
    }
    void regionIsThatPartOfTheReducedWhole()
    {
        const Image<float> whole = rendered(sources_, recipe_, {2, {}, 151, 102});
        const Image<float> fromEven = rendered(sources_, recipe_, {2, {40, 30, 140, 100}});
        QCOMPARE(fromEven.shape(), (Shape{50, 35, 3}));
        // The whole is 301 x 203 on 151 x 102 pixels, so its samples lie up to a quarter of a pixel off.
        const QByteArray diff = test::firstDifference(fromEven.view(), whole.view().crop({20, 15, 70, 50}), 0.02, 0.05);
        QVERIFY2(diff.isEmpty(), diff);
    }
    void influenceIsPartOfTheMerge()
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        Recipe choice;
        choice.frames.influence[sources_.frames[2]->id] = 0.5;
        QVERIFY(mergedOf(RenderPlan(sources_, measured_, {}), 1, ctx).get() !=
                mergedOf(RenderPlan(sources_, measured_, choice), 1, ctx).get());
        QCOMPARE(mergedOf(RenderPlan(sources_, measured_, choice), 1, ctx).get(),
                 mergedOf(RenderPlan(sources_, measured_, choice), 1, ctx).get());
    }
    void aDarkFrameThatDecidesIsSmoothed()
    {
        const auto planOf = [&](size_t keeper, double darkNoise) {
            Recipe recipe;
            recipe.frames.keeper = sources_.frames[keeper]->id;
            recipe.prepare.darkNoise = darkNoise;
            return RenderPlan(sources_, measured_, recipe);
        };
        const auto strengthIn = [&](const RenderPlan &plan, size_t given) {
            for (const BracketFrame &f : plan.bracket.frames)
                if (f.given == int(given) + 1)
                    return preparationOf(f, measured_, plan.recipe).denoise;
            return -1.0;
        };
        constexpr size_t kDark = 1, kBright = 2; // in the order given
        QCOMPARE(strengthIn(planOf(kDark, 25), kDark), 1.0);
        QCOMPARE(strengthIn(planOf(kDark, 0), kDark), 0.0); // nobody wants it
        QCOMPARE(strengthIn(planOf(kBright, 25), kDark), 0.25);
        QCOMPARE(strengthIn(planOf(kBright, 25), kBright), 0.0);
        const RenderPlan usual(sources_, measured_, {});
        QVERIFY(planOf(kDark, 25).alignedKey(1) != usual.alignedKey(1)); // other pixels
        QVERIFY(planOf(kBright, 25).alignedKey(1) == usual.alignedKey(1));
    }
    void smallAndReducedPicturesLookAlike()
    {
        Recipe even =
            recipe_; // the automatic start strengthens the little texture there is, and with it the difference
        even.tone.contrast = even.tone.localContrast = even.tone.fineDetail = 0.0;
        const Image<float> fine = rendered(sources_, even, {1, {}, 75, 50}),
                           fast = rendered(sources_, even, {2, {}, 75, 50});
        const QByteArray diff =
            test::firstDifference(fast.view(), fine.view(), 0.05, 0.1); // JPEG's own reduction, a texture of two pixels
        QVERIFY2(diff.isEmpty(), diff);
        const Image<float> tiny = rendered(sources_, recipe_, {1, {}, 20, 13}); // through two levels
        QCOMPARE(tiny.shape(), (Shape{20, 13, 3}));
    }
    void aSliderRedoesNothingUpstream()
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        const PicturePtr scene = sceneOf(RenderPlan(sources_, measured_, recipe_), {1, {}, 75, 50}, ctx);
        Recipe moved = recipe_;
        moved.tone.exposure += 1.0;
        rendered(sources_, moved, {1, {}, 75, 50});
        QCOMPARE(sceneOf(RenderPlan(sources_, measured_, moved), {1, {}, 75, 50}, ctx).get(), scene.get());
        moved.frames.excluded = {sources_.frames[2]->id};
        QVERIFY(sceneOf(RenderPlan(sources_, measured_, moved), {1, {}, 75, 50}, ctx).get() != scene.get());
    }
    void scaleFollowsTheAnchorNotTheReference()
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        Recipe choice;
        choice.frames.reference = sources_.frames[1]->id;
        const MergedPtr a = mergedOf(RenderPlan(sources_, measured_, {}), 1, ctx),
                        b = mergedOf(RenderPlan(sources_, measured_, choice), 1, ctx);
        QCOMPARE(test::firstDifference(a->pixels.radiance.view(), b->pixels.radiance.view(), 0.0, 0.0), QByteArray());
        QVERIFY(std::abs(measured_.anchorExposure / measured_.frames[0].exposure - 1.0) < 1e-9);
    }
    void codesAreExact()
    {
        // The table against the formula, at and between its steps.
        Image<float> display(4001, 1, 3);
        for (int x = 0; x <= 4000; ++x)
            for (int c = 0; c < 3; ++c)
                display.row(c, 0)[x] = float(x) / 4000.0f;
        display.row(0, 0)[7] = std::nanf("");
        std::vector<uint16_t> row(4001 * 3);
        encodeRow16(display.view(), 0, row);
        QCOMPARE(row[21], uint16_t(0));
        for (size_t x = 0; x <= 4000; ++x)
            QVERIFY(std::abs(row[3 * x + 1] - encodeSrgb(double(x) / 4000.0) * 65535.0) <=
                    0.8); // half a code, and the chord
        std::vector<uint8_t> small(4001 * 3);
        encodeRow8(display.view(), 0, small);
        for (size_t x = 0; x <= 4000; ++x)
            QVERIFY(std::abs(small[3 * x + 2] - encodeSrgb(double(x) / 4000.0) * 255.0) <=
                    0.53); // half a code, and the steps of the table
        std::vector<uint32_t> packed(4001);
        encodeRowRgb32(display.view(), 0, packed.data());
        for (size_t x = 0; x <= 4000; ++x)
            QCOMPARE(packed[x], 0xff000000u | uint32_t(small[3 * x]) << 16 | uint32_t(small[3 * x + 1]) << 8 |
                                    uint32_t(small[3 * x + 2]));
    }
    void ditheredCodesKeepTheMean()
    {
        // A ramp of two codes over many rows: plain rounding makes three plateaus, chance keeps every column's mean.
        constexpr int kWidth = 64, kHeight = 4096;
        Image<float> display(kWidth, kHeight, 3);
        const auto codeAt = [](int x) { return 100.0 + 2.0 * x / kWidth; };
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < kHeight; ++y)
                for (int x = 0; x < kWidth; ++x)
                    display.row(c, y)[x] = x == 0   ? 0.0f
                                           : x == 1 ? 1.0f
                                           : x == 2 ? std::nanf("")
                                                    : float(decodeSrgb(codeAt(x) / 255.0));
        const FileCoder coder(Transfer::Srgb);
        const auto dithered = [&](int y) {
            std::vector<float> codes(3 * kWidth);
            std::vector<uint16_t> out(codes.size());
            coder.code(display.view(), y, codes);
            ditherCodes(codes, y, out);
            return out;
        };
        std::array<double, kWidth> sum{}, plain{};
        std::vector<uint8_t> rounded(3 * kWidth);
        double together = 0.0; // of neighbouring pixels: chance has no pattern
        for (int y = 0; y < kHeight; ++y) {
            const std::vector<uint16_t> row = dithered(y);
            QVERIFY(row == dithered(y));
            QVERIFY(row[1] == 0 && row[4] == 255 && row[7] == 0); // the ends, and NaN
            for (size_t x = 3; x < kWidth; ++x) {
                QVERIFY(std::abs(row[3 * x + 1] - codeAt(int(x))) <= 1.0);
                sum[x] += row[3 * x + 1];
            }
            together += (row[3 * 20 + 1] - codeAt(20)) * (row[3 * 21 + 1] - codeAt(21));
            encodeRow8(display.view(), y, rounded);
            for (size_t x = 3; x < kWidth; ++x)
                plain[x] += rounded[3 * x + 1];
        }
        double worst = 0.0, worstPlain = 0.0;
        for (size_t x = 3; x < kWidth; ++x) {
            worst = std::max(worst, std::abs(sum[x] / kHeight - codeAt(int(x))));
            worstPlain = std::max(worstPlain, std::abs(plain[x] / kHeight - codeAt(int(x))));
        }
        // Half a code of deviation at most over 4096 rows: four deviations of the mean.
        QVERIFY2(worst < 4.0 * 0.5 / 64.0 && worstPlain > 0.4, qPrintable(QString("%1").arg(worst)));
        QVERIFY2(std::abs(together / kHeight) < 4.0 * 0.25 / 64.0, qPrintable(QString("%1").arg(together / kHeight)));
    }
    void aViewLooksLikeThePictureMadeSmaller()
    {
        // Glints, grain and the edge of a bright window: where light averaged as it is would look too bright.
        Image<float> scene = test::rampScene(600, 400, 0.002, 4);
        std::mt19937 random(7);
        for (int y = 0; y < 400; ++y)
            for (int x = 0; x < 600; ++x) {
                const bool window = (x * 3 + y) % 240 < 40;
                const float gain = window ? 8.0f : random() % 40 == 0 ? 4.0f : 1.0f;
                for (int c = 0; c < 3; ++c)
                    scene.row(c, y)[x] *= gain;
            }
        const QTemporaryDir folder;
        const Sources sources = open(test::writeBracket(folder.path(), scene.view(), {0, -2, 2}, 1.0));
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Measured measured = analyse(sources, {}, ctx);
        Recipe recipe;
        recipe.tone = automaticTone(measured.tone);
        const auto shown = [&](int width, int height) {
            ExecContext own(runner);
            return render(RenderPlan(sources, measured, recipe), {1, {}, width, height}, own);
        };
        const auto off = [&](const Image<float> &picture, const Image<float> &wanted) {
            double signedSum = 0.0, sum = 0.0;
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < wanted.height(); ++y)
                    for (int x = 0; x < wanted.width(); ++x) {
                        const double d = 255.0 * (encodeSrgb(double(picture.row(c, y)[x])) -
                                                  encodeSrgb(double(wanted.row(c, y)[x])));
                        signedSum += d;
                        sum += std::abs(d);
                    }
            return std::pair(sum / double(3 * wanted.shape().pixels()),
                             signedSum / double(3 * wanted.shape().pixels()));
        };
        const Image<float> full = shown(600, 400);
        for (int width : {400, 200, 75}) { // the last from a smaller level
            const int height = width * 2 / 3;
            const Image<float> wanted = resample(full.view(), {0, 0, 600, 400}, width, height, ctx);
            const auto [mean, offset] = off(shown(width, height), wanted);
            ExecContext own(runner);
            const PicturePtr light = sceneOf(RenderPlan(sources, measured, recipe), {}, own);
            const Image<float> small = resample(light->view(), {0, 0, 600, 400}, width, height, own);
            const RenderPlan plan(sources, measured, recipe);
            const Developer developer(plan, recipe.output.space, own);
            const auto [plainMean, plainOffset] =
                off(developer.picture(small.view(), gridOf({0, 0, 600, 400}, width, height), own),
                    wanted); // averaged as it is
            const QString figures =
                QStringLiteral("%1: %2 %3, %4 %5").arg(width).arg(mean).arg(offset).arg(plainMean).arg(plainOffset);
            QVERIFY2(plainMean > 1.0 && plainOffset > 0.7, qPrintable(figures));
            QVERIFY2(mean < 0.8 * plainMean && std::abs(offset) < 0.55 * plainOffset, qPrintable(figures));
        }
    }
    void anExactViewIsThePictureMadeSmaller()
    {
        Image<float> scene = test::rampScene(300, 200, 0.01, 3);
        for (int c = 0; c < 3; ++c) // clipped in all frames: white under any balance
            for (int y = 60; y < 120; ++y)
                std::fill_n(scene.row(c, y) + 90, 80, 40.0f);
        const QTemporaryDir folder;
        const Sources sources = open(test::writeBracket(folder.path(), scene.view(), {0, -2, 2}, 1.0));
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Measured measured = analyse(sources, {}, ctx);
        Recipe recipe;
        recipe.white = {.mode = WhiteMode::Own, .temperature = 9000.0, .tint = 10.0};
        const RealRect region{20, 10, 260, 170};
        for (const ToneMethod method : {ToneMethod::Plain, ToneMethod::Global, ToneMethod::Local, ToneMethod::Blend}) {
            recipe.tone = automaticTone(measured.tone);
            recipe.tone.method = method;
            const auto rendered = [&](const RenderRequest &request) {
                ExecContext own(runner);
                return render(RenderPlan(sources, measured, recipe), request, own);
            };
            const Image<float> all = rendered({1, region, 240, 160}); // by way of a scene that is kept
            const Image<float> wanted = resample(all.view(), {0, 0, 240, 160}, 80, 53, ctx);
            const Image<float> exact = rendered({1, region, 80, 53, true}), quick = rendered({1, region, 80, 53});
            double worst = 0.0, worstQuick = 0.0;
            for (int c = 0; c < 3; ++c)
                for (int y = 1; y < 52; ++y) // filters reach over the rim of the region, which the other way cut off
                    for (int x = 1; x < 79; ++x) {
                        const double want = double(wanted.row(c, y)[x]);
                        worst = std::max(worst, std::abs(double(exact.row(c, y)[x]) - want));
                        worstQuick = std::max(worstQuick, std::abs(double(quick.row(c, y)[x]) - want));
                    }
            QVERIFY2(worst < 1e-4, qPrintable(QString::number(worst)));
            QVERIFY2(worstQuick > 10.0 * worst, qPrintable(QString::number(worstQuick))); // there is something to gain
        }
    }
    void aLargeViewDoesNotTakeAllPixels() // a slider on a large screen must not wait for them
    {
        const QTemporaryDir folder;
        const Image<float> scene = test::rampScene(2600, 1500, 0.01, 3);
        const Sources sources = open(test::writeBracket(folder.path(), scene.view(), {0, -2}, 1.0));
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Measured measured = analyse(sources, {}, ctx);
        const auto rendered = [&](bool exact) {
            ExecContext own(runner);
            return render(RenderPlan(sources, measured, {}), {1, {}, 2400, 1385, exact}, own);
        };
        const Image<float> quick = rendered(false), exact = rendered(true);
        const auto rowOf = [](const Image<float> &p) { return std::vector(p.row(1, 700), p.row(1, 700) + p.width()); };
        QCOMPARE(quick.shape(), exact.shape());
        QVERIFY(rowOf(quick) != rowOf(exact)); // light is averaged, not tones
    }
    void exportedTiffIsTheRenderedPicture()
    {
        const QString path = dir_.filePath("out.tif");
        ThreadRunner runner;
        ExecContext ctx(runner);
        exportPicture(sources_, recipe_, measured_, {path.toStdString()}, ctx);
        const cv::Mat file = cv::imread(path.toStdString(), cv::IMREAD_UNCHANGED);
        const Image<float> want = rendered(sources_, recipe_);
        QCOMPARE(file.size(), cv::Size(301, 203));
        for (int y = 0; y < 203; ++y)
            for (int x = 0; x < 301; ++x)
                for (int c = 0; c < 3; ++c)
                    QVERIFY(std::abs(file.at<cv::Vec3w>(y, x)[2 - c] -
                                     encodeSrgb(double(want.row(c, y)[x])) * 65535.0) <= 1.0);
        QCOMPARE(readMetadata(path.toStdString()).camera, std::string("Coop Pinhole 1"));
        QVERIFY(std::abs(readMetadata(path.toStdString()).exposureSeconds.value_or(0) - 1.0 / 32) <
                1e-6); // of the reference
    }
    void exportFitsInside()
    {
        QCOMPARE(fittedSize(3000, 2000, 300, 300), (Shape{300, 200, 3}));
        QCOMPARE(fittedSize(3000, 2000, 0, 100), (Shape{150, 100, 3}));
        QCOMPARE(fittedSize(30, 20, 300, 300), (Shape{30, 20, 3}));
        const QString path = dir_.filePath("small.jpg");
        ThreadRunner runner;
        ExecContext ctx(runner);
        exportPicture(sources_, recipe_, measured_, {path.toStdString(), 100, 100}, ctx);
        QCOMPARE(cv::imread(path.toStdString()).size(), cv::Size(100, 67));
        QVERIFY_THROWS_EXCEPTION(
            ArgumentError, exportPicture(sources_, recipe_, measured_, {dir_.filePath("x.bmp").toStdString()}, ctx));
        Recipe wide;
        wide.radiance.space = RadianceSpace::Rec2020;
        QVERIFY_THROWS_EXCEPTION(ArgumentError,
                                 exportRadiance(sources_, wide, measured_, dir_.filePath("x.hdr").toStdString(), ctx));
    }
    void cancelledExportLeavesNothing()
    {
        std::stop_source stop;
        ThreadRunner runner;
        ExecContext ctx(runner, stop.get_token(), [&](double p) {
            if (p > 0.2)
                stop.request_stop();
        });
        QDir folder(dir_.filePath("cancel"));
        folder.mkpath(".");
        QVERIFY_THROWS_EXCEPTION(
            Cancelled, exportPicture(open(paths_), recipe_, measured_, {folder.filePath("x.tif").toStdString()}, ctx));
        QVERIFY(folder.entryList(QDir::Files | QDir::Hidden).isEmpty());
    }
    void twoWhoWantOneMergeMakeItOnce()
    {
        const Sources alone = open(paths_), shared = open(paths_);
        const auto merge = [&](const Sources &sources) {
            ThreadRunner runner;
            ExecContext ctx(runner);
            return mergedOf(RenderPlan(sources, measured_, recipe_), 1, ctx);
        };
        merge(alone);
        MergedPtr a, b;
        {
            std::jthread first([&] { a = merge(shared); }), second([&] { b = merge(shared); });
        }
        QCOMPARE(a, b);
        QCOMPARE(shared.cache->madeCount(), alone.cache->madeCount());
    }
    void keysFollowWhatIsRead()
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        // Frames that turn out to lie elsewhere are another merge.
        Measured moved = measured_;
        for (FrameAlignment &a : moved.alignment) {
            a.found = true;
            a.toReference.transform.m.m[2] += &a == &moved.alignment[0] ? 0.0 : 3.0;
        }
        moved.generation = generationOf(moved);
        QVERIFY(mergedOf(RenderPlan(sources_, measured_, recipe_), 1, ctx) !=
                mergedOf(RenderPlan(sources_, moved, recipe_), 1, ctx));
        // A frame that is dark by a typed exposure is denoised: its own look differs from before.
        Recipe typed = recipe_;
        typed.prepare.darkNoise = 100.0;
        const RenderRequest whole{1, {}, 301, 203};
        const auto look = [&](const Recipe &recipe) { return lookAtFrame(sources_, 0, recipe, measured_, whole, ctx); };
        const Image<float> before = look(typed);
        typed.frames.exposure[sources_.frames[0]->id] = measured_.frames[0].exposure / 16.0;
        const Image<float> after = look(typed);
        QVERIFY(!test::firstDifference(before.view(), after.view(), 0.0, 0.0).isEmpty());
    }
    void largeSetsMoveAsInTheirFirstPicture()
    {
        // A near square goes further than the ground, in frames large enough that both sizes look as finely.
        constexpr int kWide = 2000, kHigh = 1300;
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Image<float> scene = test::wideScene(kWide, kHigh, 1, ctx);
        const QTemporaryDir dir;
        Sources sources{{}, std::make_shared<StageCache>(size_t(1) << 30)};
        sources.keepFrames = true;
        for (const int i : {0, 1}) {
            const auto shifted = [&](double right) {
                return test::seenUnder(scene, Transform{Matrix3{{1, 0, right, 0, 1, 0, 0, 0, 1}}}, kWide, kHigh, ctx);
            };
            Image<float> seen = shifted(i * 7.0);
            const Image<float> near = shifted(i * 15.0);
            for (int c = 0; c < 3; ++c)
                for (int y = 400; y < 900; ++y)
                    std::copy_n(near.row(c, y) + 700 + i * 15, 500, seen.row(c, y) + 700 + i * 15);
            const demo::Shot shot = test::shotAt(i, 1.5, uint64_t(i));
            const std::string path = dir.filePath(QStringLiteral("%1.jpg").arg(i)).toStdString();
            demo::writeFrame(path, demo::expose(seen.view(), shot).view(), shot, demo::FrameFile::Jpeg);
            sources.frames.push_back(loadFrame(path));
        }
        const Measured measured = analyse(sources, {}, ctx);
        const RenderPlan plan(sources, measured, {});
        QCOMPARE(previewReduction(sources), 2);
        const auto first = alignedSet(plan, 2, ctx), full = alignedSet(plan, 1, ctx);
        const size_t moves = full->displacements[0].empty() ? 1 : 0;
        QVERIFY(!first->displacements[moves].empty() && !full->displacements[moves].empty());
        QCOMPARE(full->displacements[moves].field.shape(), first->displacements[moves].field.shape());
        const auto placeIn = [&](const AlignedSet &set, Point p) {
            const Point t = set.alignment[moves].toReference.transform(p);
            const Point d = set.displacements[moves].at({p.x / set.reduction, p.y / set.reduction});
            return Point{t.x + set.reduction * d.x, t.y + set.reduction * d.y};
        };
        double ground = 0.0, thing = 0.0;
        for (const int y : {441, 601, 801})
            for (const int x : {201, 801, 1001, 1701}) { // middles of blocks
                const Point at{double(x), double(y)}, a = placeIn(*first, at), b = placeIn(*full, at);
                test::compareNear(b.x, a.x, 1e-3);
                test::compareNear(b.y, a.y, 1e-3);
                (x > 700 && x < 1200 ? thing : ground) += (b.x - at.x) / 6.0;
            }
        test::compareNear(std::abs(thing - ground), 8.0, 0.5);
    }
};

QTEST_GUILESS_MAIN(TestRender)
#include "tst_render.moc"
