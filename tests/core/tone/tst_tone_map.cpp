#include "base/errors.h"
#include "colour/oklab_rows.h"
#include "colour/transfer.h"
#include "support/compare.h"
#include "support/runners.h"
#include "support/synthetic.h"
#include "support/tone_measures.h"
#include "tone/fusion.h"
#include "tone/local_layers.h"
#include "tone/tone_map.h"

#include <QTest>

#include <cmath>
#include <limits>
#include <random>

using namespace yolk;

namespace {

const ToneStart kDark = completed({-9.0, -6.3, 2.8, 4.1});  // a room with a bright doorway
const ToneStart kPlain = completed({-4.0, -0.5, 2.0, 2.4}); // an even outdoor scene

ToneSettings startOf(const ToneStart &start, ToneMethod method)
{
    ToneSettings out = automaticTone(start);
    out.method = method;
    return out;
}

Image<float> curved(const Image<float> &scene, const ToneSettings &settings, const ToneStart &start,
                    OutputSpace space = OutputSpace::Srgb)
{
    SerialRunner serial;
    ExecContext ctx(serial);
    return ToneMapper(settings, start, space)(scene.view(), {}, ctx);
}

} // namespace

class TestToneMap : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void pixelsFollowTheCurve()
    {
        // Grey in, grey out: the tables against the curve itself.
        Image<float> scene(400, 1, 3);
        for (int x = 0; x < 400; ++x)
            for (int c = 0; c < 3; ++c)
                scene.row(c, 0)[x] = float(luminanceOfEv(-16.0 + x * 0.06));
        const ToneSettings settings = startOf(kDark, ToneMethod::Global);
        const ToneCurve curve(settings, kDark);
        const Image<float> out = curved(scene, settings, kDark);
        for (int x = 0; x < 400; ++x)
            for (int c = 0; c < 3; ++c) {
                const double want = curve.luminance(-16.0 + x * 0.06);
                // Half a 16-bit code: chords of the table, logarithms and the matrix in float. The knee at white may
                // fall inside a step of the table.
                QVERIFY2(std::abs(double(out.row(c, 0)[x]) - want) <= (want < 0.99 ? 8e-6 : 3e-4),
                         qPrintable(QStringLiteral("%1: %2 instead of %3").arg(x).arg(out.row(c, 0)[x]).arg(want)));
            }
    }
    void whiteIsWhite()
    {
        for (ToneMethod method : {ToneMethod::Plain, ToneMethod::Global}) {
            const Image<float> out =
                test::toned(test::flat(4, 4, 1e5f, 1e5f, 1e5f).view(), startOf(kDark, method), kDark);
            for (int c = 0; c < 3; ++c) // all that is far beyond the brightest light that is held
                QVERIFY2(out.row(c, 0)[0] > 0.98f && std::abs(out.row(c, 0)[0] - out.row(0, 0)[0]) < 1e-4f,
                         qPrintable(QString::number(out.row(c, 0)[0])));
        }
    }
    void coloursKeepTheirHue()
    {
        for (const auto &method : kToneMethods) // at most 3 degrees: the goal of the methods
            for (double zones : {0.0, 40.0}) {
                ToneSettings settings = startOf(kDark, method.value);
                settings.shadows = zones;
                const double turn = test::hueTurnDegrees(settings, kDark);
                QVERIFY2(turn <= 3.0, qPrintable(QString::number(turn)));
            }
    }
    void everythingLandsInTheCube()
    {
        Image<float> scene(64, 64, 3);
        std::mt19937 random(5);
        std::lognormal_distribution<float> light(0.0f, 4.0f);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 64; ++y)
                for (int x = 0; x < 64; ++x)
                    scene.row(c, y)[x] = light(random) * (random() % 9 ? 1.0f : -0.1f);
        const float nan = std::numeric_limits<float>::quiet_NaN(), infinity = std::numeric_limits<float>::infinity();
        scene.row(0, 0)[0] = nan;
        scene.row(1, 0)[1] = infinity;
        for (const auto &method : kToneMethods)
            for (double zones : {0.0, 70.0}) {
                ToneSettings settings = startOf(kPlain, method.value);
                settings.whites = zones;
                const Image<float> out = test::toned(scene.view(), settings, kPlain);
                for (int c = 0; c < 3; ++c)
                    for (int y = 0; y < 64; ++y)
                        for (int x = 0; x < 64; ++x)
                            QVERIFY(out.row(c, y)[x] >= 0.0f && out.row(c, y)[x] <= 1.0f);
                QCOMPARE(out.row(0, 0)[0], 0.0f);
                QCOMPARE(out.row(1, 0)[1], 0.0f);
            }
        for (OutputSpace space : {OutputSpace::DisplayP3, OutputSpace::Rec2020}) {
            const Image<float> out = curved(scene, startOf(kPlain, ToneMethod::Global), kPlain, space);
            for (int c = 0; c < 3; ++c)
                for (int x = 0; x < 64; ++x)
                    QVERIFY(out.row(c, 5)[x] >= 0.0f && out.row(c, 5)[x] <= 1.0f);
        }
    }
    void sameBitsForAnyRunnerAndCancel()
    {
        const Image<float> scene = test::rampScene(131, 300, 0.0001, 18);
        SerialRunner serial;
        ExecContext finding(serial);
        const Image<float> ev = evOf(scene.view(), finding);
        const auto made = [&](Runner &runner) {
            ExecContext ctx(runner);
            ToneGrids grids{std::make_shared<const LightGrid>(localLayers(ev.view(), -13, 20, ctx)), nullptr};
            return ToneMapper(startOf(kDark, ToneMethod::Local), kDark, OutputSpace::Srgb, 0.8, grids)(scene.view(), {},
                                                                                                       ctx);
        };
        const Image<float> want = made(serial);
        test::ShuffledRunner shuffled(7);
        ThreadRunner threads;
        for (Runner *runner : std::initializer_list<Runner *>{&shuffled, &threads})
            QCOMPARE(test::firstDifference(made(*runner).view(), want.view(), 0.0, 0.0), QByteArray());
        std::stop_source stop;
        stop.request_stop();
        ExecContext stopped(serial, stop.get_token());
        const ToneMapper mapper(startOf(kDark, ToneMethod::Global), kDark, OutputSpace::Srgb);
        QVERIFY_THROWS_EXCEPTION(Cancelled, mapper(scene.view(), {}, stopped));
        QVERIFY_THROWS_EXCEPTION(Cancelled, localLayers(ev.view(), -13, 20, stopped));
    }
    void badInputIsRefused()
    {
        SerialRunner serial;
        ExecContext ctx(serial);
        const ToneSettings local = startOf(kDark, ToneMethod::Local);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, ToneMapper(local, kDark, OutputSpace::Srgb)); // no layers
        const ToneMapper mapper(startOf(kDark, ToneMethod::Global), kDark, OutputSpace::Srgb);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, mapper(Image<float>(3, 3, 1).view(), {}, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, localLayers(Image<float>().view(), -5, 10, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, localLayers(Image<float>(3, 3, 1).view(), -5, std::nan(""), ctx));
        const Image<float> one(1, 1, 1); // the smallest scene there is
        const LightGrid grid = localLayers(one.view(), -5, 10, ctx);
        float ev = 0.5f, fine = 9, localPart = 9;
        std::vector<float> row;
        grid.rowAt(0.5, row);
        grid.lookUp(row, 0.5, 1.0, {&ev, 1}, {&fine, 1}, {&localPart, 1});
        const float want = 0.5f / std::sqrt(1.0f + 1.0f / 9.0f); // f(0.5), s 1.5, against light 0
        QVERIFY(std::abs(fine - want) < 1e-3f && std::abs(localPart) < 1e-3f);
    }

    // ---- the goals of the local method
    void edgesHaveNoHalo()
    {
        const ToneStart start = completed({-5.0, -1.0, 4.0, 5.0});
        for (double stops : {0.5, 1.0, 2.0, 6.0})
            for (double degrees : {0.0, 30.0})
                for (double middle : {-2.0, 2.0})
                    for (double local : {0.0, 50.0}) {
                        ToneSettings settings = automaticTone(start);
                        settings.range = 100.0;
                        settings.localContrast = local;
                        settings.fineDetail = 0.0;
                        const test::Halo halo = test::haloOf(settings, start, stops, degrees, middle);
                        QVERIFY2(
                            halo.overshoot <= (local > 0.0 ? 4.0 : 2.0) && halo.overshoot <= 0.25 * halo.step,
                            qPrintable(
                                QStringLiteral("%1 of %2 at %3 stops").arg(halo.overshoot).arg(halo.step).arg(stops)));
                    }
        ToneSettings strong = automaticTone(start); // and the measure sees a halo where there is one
        strong.fineDetail = 100;
        QVERIFY(test::haloOf(strong, start, 2.0, 0.0, 0.0).overshoot > 4.0);
    }
    void largeAreasFollowTheCurve()
    {
        // Far from edges the local method shows what the curve says, and texture there is as strong as in the scene.
        Image<float> scene(480, 320, 3);
        for (int y = 0; y < 320; ++y)
            for (int x = 0; x < 480; ++x)
                for (int c = 0; c < 3; ++c)
                    scene.row(c, y)[x] = float(luminanceOfEv((x < 320 ? -4.0 : 3.0) + (x / 2 + y / 2) % 2 * 0.2 - 0.1));
        const ToneStart start = toneStartOf(scene.view());
        ToneSettings settings = automaticTone(start);
        settings.localContrast = settings.fineDetail = 0.0;
        const ToneCurve curve(settings, start);
        const Image<float> out = test::toned(scene.view(), settings, start);
        for (const auto &[x, ev] : {std::pair(80, -4.0), std::pair(440, 3.0)}) {
            double mean = 0.0, contrast = 0.0;
            for (int k = 0; k < 64; ++k) {
                const double a = std::log2(double(out.row(1, 160)[x - 32 + k])),
                             b = std::log2(double(out.row(1, 160)[x - 30 + k]));
                mean += a / 64.0;
                contrast += std::abs(a - b) / 64.0;
            }
            QVERIFY2(std::abs(mean - std::log2(curve.luminance(ev))) < 0.2,
                     qPrintable(QStringLiteral("%1 instead of %2").arg(std::exp2(mean)).arg(curve.luminance(ev))));
            QVERIFY2(contrast > 0.15 && contrast < 0.26, qPrintable(QString::number(contrast)));
        }
    }
    void softEndKeepsColoursApart()
    {
        const OklabSpace srgb(kRec709);
        constexpr float kTop = 0.955f;
        double lastChroma = 0.0;
        for (double chroma : {0.01, 0.05, 0.1, 0.15, 0.2, 0.3}) { // orange, of ever more chroma
            constexpr double kLight = 0.85, kHue = 1.0;
            const Vector3 in = srgb.toRgb({kLight, chroma * std::cos(kHue), chroma * std::sin(kHue)});
            std::vector<float> r{float(in[0])}, g{float(in[1])}, b{float(in[2])};
            fitColoursSoftly(r.data(), g.data(), b.data(), 1, srgb, 1.0f, kTop);
            QVERIFY(std::max({r[0], g[0], b[0]}) <= kTop + 2e-3f);
            const Oklab after = srgb.fromRgb({r[0], g[0], b[0]});
            QVERIFY2(chromaOf(after) > lastChroma, qPrintable(QString::number(chromaOf(after)))); // stays so
            lastChroma = chromaOf(after);
            QVERIFY(std::abs(std::atan2(after.b, after.a) - kHue) < 0.02);
            QVERIFY(std::abs(after.L - kLight) < 2e-3);
        }
        for (float grey : {0.5f, 0.97f, 1.0f, 3.0f}) { // grey goes on to white
            std::vector<float> r{grey}, g{grey}, b{grey};
            fitColoursSoftly(r.data(), g.data(), b.data(), 1, srgb, 1.0f, kTop);
            QVERIFY(std::abs(g[0] - std::min(1.0f, grey)) < 1e-4f);
        }
    }
    void rampsKeepTheirOrder()
    {
        for (const auto &method : {ToneMethod::Global, ToneMethod::Local})
            for (double range : {0.0, 50.0, 100.0})
                for (double local : {-100.0, 0.0, 100.0})
                    for (double stops : {4.0, 12.0, 20.0}) {
                        const ToneSettings s{
                            .method = method, .range = range, .localContrast = local, .fineDetail = local};
                        const double fall = test::reversalPercent(s, stops);
                        // A twentieth of an 8-bit step: the grid is linear between its lights.
                        QVERIFY2(fall <= 0.02, qPrintable(QStringLiteral("%1 at range %2, detail %3, %4 stops")
                                                              .arg(fall)
                                                              .arg(range)
                                                              .arg(local)
                                                              .arg(stops)));
                    }
    }
    void noiseGrowsNoMoreThanDetail()
    {
        for (double range : {0.0, 60.0, 100.0})
            for (double ev : {-5.0, -2.0, 1.0}) {
                ToneSettings s{.method = ToneMethod::Local, .range = range};
                const double slope = test::localSlope(s, ev), neutral = test::noiseGain(s, ev);
                QVERIFY(neutral > 0.5 * slope); // the measure sees it
                for (double fine : {0.0, 40.0, 100.0}) {
                    s.fineDetail = fine;
                    const double gain = test::noiseGain(s, ev);
                    QVERIFY2(gain <= slope * (1.0 + fine / 100.0) * 1.03, // the patch is larger than a pixel
                             qPrintable(QStringLiteral("%1, slope %2").arg(gain).arg(slope)));
                }
                s.fineDetail = -80;
                QVERIFY(test::noiseGain(s, ev) < 0.3 * neutral);
            }
    }
    void liftedShadowsKeepTheirContrast()
    {
        // Stripes a third of a stop apart in the shadows: the zones lift both and keep their distance, under every
        // method.
        Image<float> scene(300, 200, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 200; ++y)
                for (int x = 0; x < 300; ++x)
                    scene.row(c, y)[x] = float(luminanceOfEv((x < 150 ? -7.0 : 2.0) + (y / 4 % 2 ? 0.15 : -0.15)));
        const ToneStart start = toneStartOf(scene.view());
        for (ToneMethod method : {ToneMethod::Global, ToneMethod::Local, ToneMethod::Blend}) {
            ToneSettings settings = startOf(start, method);
            const auto stripes = [&](const ToneSettings &s) {
                const Image<float> out = test::toned(scene.view(), s, start);
                return std::pair(double(out.row(1, 101)[70]), double(out.row(1, 105)[70]));
            };
            const auto [a, b] = stripes(settings);
            settings.blacks = 80;
            settings.shadows = 80;
            const auto [c, d] = stripes(settings);
            QVERIFY2(c > 1.15 * a, qPrintable(QStringLiteral("%1 %2").arg(a).arg(c)));
            const double before = std::abs(std::log2(a / b)), after = std::abs(std::log2(c / d));
            QVERIFY2(after > 0.85 * before, qPrintable(QStringLiteral("%1 after %2").arg(after).arg(before)));
        }
    }
    void controlsDoWhatTheySay()
    {
        // Texture of two scales on an even ground beside a bright half.
        std::mt19937 random(4);
        std::uniform_real_distribution<double> grain(-0.3, 0.3);
        Image<float> scene(480, 320, 3);
        for (int y = 0; y < 320; ++y)
            for (int x = 0; x < 480; ++x) {
                const double ev = (x < 240 ? -5.0 : 2.0) + 0.4 * std::sin(x / 5.0) * std::sin(y / 5.0) + grain(random);
                for (int c = 0; c < 3; ++c)
                    scene.row(c, y)[x] = float(luminanceOfEv(ev));
            }
        const ToneStart start = toneStartOf(scene.view());
        const auto figures =
            [&](const ToneSettings &s) { // of the dark half: fine, coarse; and the distance of the halves
                const Image<float> out = test::toned(scene.view(), s, start);
                double fine = 0.0, coarse = 0.0, halves = 0.0;
                for (int y = 40; y < 280; ++y)
                    for (int x = 40; x < 200; ++x) {
                        const auto at = [&](int dx) { return std::log2(double(out.row(1, y)[x + dx])); };
                        fine += std::abs(at(0) - at(1));
                        coarse += std::abs(at(-3) + at(-2) + at(-1) + at(0) - at(12) - at(13) - at(14) - at(15)) / 4;
                        halves += std::log2(double(out.row(1, y)[x + 240])) - at(0);
                    }
                return std::array{fine, coarse, halves};
            };
        for (ToneMethod method : {ToneMethod::Local, ToneMethod::Blend}) {
            ToneSettings neutral = startOf(start, method);
            neutral.localContrast = neutral.fineDetail = 0.0;
            const auto before = figures(neutral);
            ToneSettings s = neutral;
            s.fineDetail = 60;
            QVERIFY(figures(s)[0] > 1.3 * before[0] && std::abs(figures(s)[2] / before[2] - 1.0) < 0.05);
            s = neutral;
            s.localContrast = 60;
            QVERIFY2(figures(s)[1] > 1.1 * before[1],
                     qPrintable(QStringLiteral("%1 %2").arg(before[1]).arg(figures(s)[1])));
            s = neutral;
            s.range = 80;
            QVERIFY2(figures(s)[2] < 0.9 * before[2],
                     qPrintable(QStringLiteral("%1 %2").arg(before[2]).arg(figures(s)[2])));
        }
        ToneSettings local = startOf(start, ToneMethod::Local), global = startOf(start, ToneMethod::Global);
        local.range = global.range = 80;
        QVERIFY(figures(local)[1] > 1.3 * figures(global)[1]); // squeezing the range leaves detail alone
    }
    void partsAgreeWithTheWhole()
    {
        const Image<float> scene = test::grainyScene(240, 160, 0.001, 12);
        const ToneStart start = toneStartOf(scene.view());
        SerialRunner serial;
        ExecContext ctx(serial);
        const Image<float> ev = evOf(scene.view(), ctx);
        const ToneSettings blended = startOf(start, ToneMethod::Blend);
        const ToneGrids grids{
            std::make_shared<const LightGrid>(localLayers(ev.view(), -13, 20, ctx)),
            std::make_shared<const LightGrid>(blendGrid(blendScene(scene.view()).view(), blended, start, ctx))};
        const auto foundBefore = [&](const ToneMapper &mapper) {
            const Image<float> lights = mapper.lightsOf(scene.view(), {}, ctx);
            return mapper.withLights(scene.view(), lights.view(), mapper.blendOf(lights.view(), {}, ctx).view(), ctx);
        };
        const ToneMapper blend(blended, start, OutputSpace::Srgb, 1.0, grids);
        QCOMPARE(test::firstDifference(foundBefore(blend).view(), blend(scene.view(), {}, ctx).view(), 0, 0),
                 QByteArray());
        const ToneMapper mapper(startOf(start, ToneMethod::Local), start, OutputSpace::Srgb, 1.0, grids);
        const Image<float> whole = mapper(scene.view(), {}, ctx);
        QCOMPARE(test::firstDifference(foundBefore(mapper).view(), whole.view(), 0, 0), QByteArray());
        QVERIFY_THROWS_EXCEPTION(ArgumentError,
                                 mapper.withLights(scene.view(), Image<float>(240, 160, 1).view(), {}, ctx));
        const Image<float> lights = mapper.lightsOf(scene.view(), {}, ctx);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, blend.withLights(scene.view(), lights.view(), {}, ctx)); // the blend
        const Rect tile{60, 40, 180, 120};
        const Image<float> part = mapper(scene.view().crop(tile), {0.25, 0.25, 0.75, 0.75}, ctx);
        // Places are reckoned from another corner: some ulp of a coordinate.
        QCOMPARE(test::firstDifference(part.view(), whole.view().crop(tile), 2e-6, 1e-5), QByteArray());
    }
    void rowsOfColoursAsOneByOne()
    {
        const OklabSpace srgb(kRec709);
        std::mt19937 random(9);
        std::uniform_real_distribution<float> value(-0.3f, 1.4f);
        std::array<std::vector<float>, 3> rgb;
        for (auto &plane : rgb)
            for (int i = 0; i < 1003; ++i) // not a multiple of eight
                plane.push_back(value(random));
        const auto before = rgb;
        fitColours(rgb[0].data(), rgb[1].data(), rgb[2].data(), 1003, srgb, 1.0f);
        for (size_t i = 0; i < 1003; ++i) {
            const Vector3 want = mapIntoGamut({before[0][i], before[1][i], before[2][i]}, srgb);
            for (size_t c = 0; c < 3; ++c) // 1/1024 of the chroma
                QVERIFY2(std::abs(double(rgb[c][i]) - want[c]) < 2.5e-3,
                         qPrintable(QStringLiteral("%1: %2 instead of %3").arg(i).arg(rgb[c][i]).arg(want[c])));
        }
        std::vector<float> r{0.4f}, g{0.1f}, b{0.2f}; // no chroma: grey of the same Oklab lightness
        const double lightness = srgb.fromRgb({0.4, 0.1, 0.2}).L;
        fitColours(r.data(), g.data(), b.data(), 1, srgb, 0.0f);
        for (float v : {r[0], g[0], b[0]}) // the published matrices miss grey by 1e-3 of it
            QVERIFY(std::abs(double(v) / std::pow(lightness, 3) - 1.0) < 1.5e-3);
    }
};

QTEST_GUILESS_MAIN(TestToneMap)
#include "tst_tone_map.moc"
