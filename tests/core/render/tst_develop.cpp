// The contract of adjustments: views, tiles, readings and files run one list and come to the same bits; neutral is
// exactly neutral; what varies over the picture does so at the same places everywhere.
#include "adjust/vibrance.h"
#include "colour/oklab_rows.h"
#include "render/render.h"
#include "render/stages/merged_noise.h"
#include "render/views/develop.h"
#include "render/views/reading.h"
#include "support/compare.h"
#include "support/runners.h"
#include "support/synthetic.h"

#include <QTemporaryDir>
#include <QTest>

#include <algorithm>
#include <cmath>
#include <thread>

using namespace yolk;

namespace {

/// Grows from the upper left corner to the lower right.
class Gradient : public ParameterMap {
public:
    void fill(const PixelGrid &grid, int y, std::span<float> values) const override
    {
        for (size_t x = 0; x < values.size(); ++x)
            values[x] = float(0.002 * grid.x(int(x)) + 0.003 * grid.y(y));
    }
};

/// Multiplies light.
class Brighter : public Adjustment {
public:
    explicit Brighter(Parameter stops) : stops_(std::move(stops)) {}
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const override
    {
        std::vector<float> scratch;
        for (int y = 0; y < in.height(); ++y) {
            const float *stops = stops_.row(grid, y, in.width(), scratch);
            for (int c = 0; c < 3; ++c)
                for (int x = 0; x < in.width(); ++x)
                    out.row(c, y)[x] = in.row(c, y)[x] * std::exp2(stops[x]);
        }
    }

private:
    Parameter stops_;
};

/// The mean of a square of 41 x 41 pixels at full size, with a share that varies.
class Softer : public Adjustment {
public:
    explicit Softer(Parameter share) : share_(std::move(share)) {}
    int context(double scale) const override { return std::max(1, int(std::lround(20 * scale))); }
    void apply(ImageView<const float> in, ImageView<float> out, const PixelGrid &grid) const override
    {
        const int reach = context(grid.scale());
        std::vector<float> scratch;
        for (int y = 0; y < out.height(); ++y) {
            const float *share = share_.row(grid, y, out.width(), scratch);
            for (int c = 0; c < 3; ++c)
                for (int x = 0; x < out.width(); ++x) {
                    float sum = 0.0f;
                    for (int v = 0; v <= 2 * reach; v += reach)
                        for (int u = 0; u <= 2 * reach; u += reach)
                            sum += in.row(c, y + v)[x + u];
                    const float own = in.row(c, y + reach)[x + reach];
                    out.row(c, y)[x] = own + share[x] * (sum / 9.0f - own);
                }
        }
    }

private:
    Parameter share_;
};

} // namespace

class TestDevelop : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    Sources sources_;
    Measured measured_;
    ThreadRunner runner_;

    /// With the test's own adjustments beside those of the list.
    Image<float> rendered(const Recipe &recipe, const Adjustments &scene, const Adjustments &display,
                          const RenderRequest &request)
    {
        RenderPlan plan(sources_, measured_, recipe);
        plan.onScene.insert(plan.onScene.end(), scene.begin(), scene.end());
        plan.onDisplay.insert(plan.onDisplay.end(), display.begin(), display.end());
        ExecContext ctx(runner_);
        return render(plan, recipe.output.space, request, ctx);
    }
    Recipe recipeOf(ToneMethod method) const
    {
        Recipe out;
        out.tone = automaticTone(measured_.tone);
        out.tone.method = method;
        return out;
    }

private Q_SLOTS:
    void initTestCase()
    {
        sources_.cache = std::make_shared<StageCache>(size_t(1) << 30);
        sources_.views = std::make_shared<StageCache>(size_t(1) << 28);
        for (const QString &path :
             test::writeBracket(dir_.path(), test::rampScene(301, 203, 0.002, 11).view(), {0, -2, 2}, 1.0))
            sources_.frames.push_back(loadFrame(path.toStdString()));
        ExecContext ctx(runner_);
        measured_ = analyse(sources_, {}, ctx);
    }
    void tilesViewsAndWholeHaveTheSameBits_data()
    {
        QTest::addColumn<int>("kind");
        QTest::addColumn<ToneMethod>("method");
        for (const auto &method : kToneMethods)
            for (const int kind : {0, 1, 2, 3})
                QTest::addRow("%s %d", std::string(method.key).c_str(), kind) << kind << method.value;
    }
    void tilesViewsAndWholeHaveTheSameBits()
    {
        QFETCH(int, kind);
        QFETCH(ToneMethod, method);
        const Parameter varied{0.0, std::make_shared<Gradient>()};
        const AdjustmentPtr pixel = std::make_shared<Brighter>(varied), wide = std::make_shared<Softer>(varied);
        const Adjustments scene = kind == 1 ? Adjustments{wide} : kind == 3 ? Adjustments{pixel} : Adjustments{};
        const Adjustments display = kind == 0   ? Adjustments{pixel}
                                    : kind == 2 ? Adjustments{wide}
                                    : kind == 3 ? Adjustments{pixel, wide, pixel}
                                                : Adjustments{};
        const Recipe recipe = recipeOf(method);
        const auto shown = [&](const RenderRequest &request) { return rendered(recipe, scene, display, request); };
        const Image<float> view = shown({1, {}, 301, 203}), file = shown({1, {}, 301, 203, true});
        QCOMPARE(test::firstDifference(view.view(), file.view(), 0.0, 0.0), QByteArray());
        for (const Rect &tile : {Rect{0, 0, 70, 50}, Rect{100, 90, 230, 160}, Rect{250, 150, 301, 203}}) {
            const RealRect region = realOf(tile);
            for (const bool exact : {false, true}) {
                const Image<float> part = shown({1, region, tile.width(), tile.height(), exact});
                QCOMPARE(test::firstDifference(part.view(), file.view().crop(tile), 0.0, 0.0), QByteArray());
            }
        }
        const Image<float> plain = rendered(recipe, {}, {}, {1, {}, 301, 203});
        QVERIFY(!test::firstDifference(plain.view(), file.view(), 0.01, 0.0).isEmpty()); // it did something
    }
    void aReadingIsThePixelOfTheFile()
    {
        for (const auto &method : kToneMethods) {
            Recipe recipe = recipeOf(method.value);
            settingsOf<Vibrance>(recipe.adjustments).vibrance = 60;
            ExecContext ctx(runner_);
            const Image<float> file = render(RenderPlan(sources_, measured_, recipe), {1, {}, 301, 203, true}, ctx);
            const std::vector<Point> places{{0.5, 0.5}, {77.2, 41.9}, {150, 100}, {300.5, 202.5}};
            const auto read = outputAt(sources_, measured_, recipe, 1, places, ctx);
            for (size_t i = 0; i < places.size(); ++i)
                for (int c = 0; c < 3; ++c)
                    QCOMPARE(float(read[i][size_t(c)]), file.row(c, int(places[i].y))[int(places[i].x)]);
        }
    }
    void aStopBeforeTheEndChangesNothing()
    {
        // The same kernels with and without a stop between: an adjustment that copies.
        const AdjustmentPtr nothing = std::make_shared<Brighter>(Parameter{0.0});
        for (const auto &method : kToneMethods) {
            const Recipe recipe = recipeOf(method.value);
            const Image<float> plain = rendered(recipe, {}, {}, {1, {}, 301, 203}),
                               stopped = rendered(recipe, {}, {nothing}, {1, {}, 301, 203});
            QCOMPARE(test::firstDifference(plain.view(), stopped.view(), 0.0, 0.0), QByteArray());
        }
    }
    void displayLightGoesBeyondWhite()
    {
        // What is brightened and darkened again comes back: nothing ends it on the way.
        const auto up = std::make_shared<Brighter>(Parameter{3.0}), down = std::make_shared<Brighter>(Parameter{-3.0});
        const Recipe recipe = recipeOf(ToneMethod::Local);
        const Image<float> plain = rendered(recipe, {}, {}, {1, {}, 301, 203}),
                           back = rendered(recipe, {}, {up, down}, {1, {}, 301, 203});
        QCOMPARE(test::firstDifference(plain.view(), back.view(), 0.0, 0.0), QByteArray()); // powers of two
    }
    void noiseIsThatOfTheMerge()
    {
        // Pixel by pixel as the merge keeps it, through the squares of the matrix to the scene; in any grid, beyond the
        // picture its edge.
        const RenderPlan plan(sources_, measured_, recipeOf(ToneMethod::Plain));
        ExecContext merging(runner_), asking(runner_);
        const int reduction = previewReduction(sources_);
        const MergedPtr merged = mergedOf(plan, reduction, merging);
        const auto noise = noiseFieldOf(plan, asking);
        QVERIFY(noise);
        const Image<uint16_t> &kept = merged->pixels.variance;
        for (const PixelGrid &grid : {PixelGrid{}, PixelGrid{0, 0, 1, 1, -9, -5},
                                      PixelGrid{40.25, 11.5, 2.7, 2.7, 3, 2}, PixelGrid{100, 50, 0.3, 0.3}})
            for (const int y : {0, 3, 40}) {
                constexpr int kWidth = 90;
                Image<float> variance(kWidth, 1, 3);
                float *const rows[3] = {variance.row(0, 0), variance.row(1, 0), variance.row(2, 0)};
                noise->fill(grid, y, kWidth, rows);
                for (int x = 0; x < kWidth; ++x) {
                    const int u = std::clamp(int(grid.x(x) / reduction), 0, kept.width() - 1),
                              v = std::clamp(int(grid.y(y) / reduction), 0, kept.height() - 1);
                    for (int c = 0; c < 3; ++c) {
                        double want = 0.0;
                        for (int k = 0; k < 3; ++k)
                            want += plan.white(c, k) * plan.white(c, k) * double(ofBrief(kept.row(k, v)[u]));
                        want *= double(reduction) * reduction;
                        QVERIFY2(std::abs(double(rows[c][x]) - want) <= 1e-5 * want,
                                 qPrintable(QStringLiteral("%1 for %2 at %3").arg(rows[c][x]).arg(want).arg(x)));
                    }
                }
            }
    }
    void neutralIsNothing()
    {
        QVERIFY(!Vibrance::make(Varied(VibranceSettings())));
        QVERIFY(Vibrance::make(Varied(VibranceSettings{1.0})));
        Varied<VibranceSettings> varied;
        varied.vary(&VibranceSettings::vibrance, std::make_shared<Gradient>());
        QVERIFY(Vibrance::make(varied));
        const Recipe recipe = recipeOf(ToneMethod::Global);
        QVERIFY(RenderPlan(sources_, measured_, recipe).onDisplay.empty());
    }
    void vibranceLiftsWeakColoursAndKeepsHueAndLightness()
    {
        const auto through = [&](const Oklab &lab, double amount) {
            Image<float> pixel(1, 1, 3);
            pixel.row(0, 0)[0] = float(lab.L);
            pixel.row(1, 0)[0] = float(lab.a);
            pixel.row(2, 0)[0] = float(lab.b);
            Vibrance::make(Varied(VibranceSettings{amount}))->apply(pixel.view(), pixel.view(), {});
            return Oklab{pixel.row(0, 0)[0], pixel.row(1, 0)[0], pixel.row(2, 0)[0]};
        };
        for (const double hue : {1.9, 4.0, 5.2}) // not those of skin
            for (const double chroma : {0.01, 0.0775, 0.2})
                for (const double amount : {-100.0, -40.0, 50.0, 100.0}) {
                    const Oklab in{0.6, chroma * std::cos(hue), chroma * std::sin(hue)}, out = through(in, amount);
                    const double gain = 1.0 + amount / 100.0 / (1.0 + std::pow(chroma / 0.0775, 2)); // by hand
                    QVERIFY(std::abs(chromaOf(out) - gain * chroma) < 2e-5);
                    QVERIFY(std::abs(out.L - 0.6) < 2e-5);
                    QVERIFY(std::abs(out.a * in.b - out.b * in.a) < 1e-5 * chroma);
                }
    }
    void oklabRowsAgreeWithSinglePixels()
    {
        const OklabSpace space(kRec2020);
        std::vector<float> r, g, b;
        for (int i = 0; i < 37; ++i) {
            r.push_back(float(0.02 * i));
            g.push_back(float(std::pow(0.9, i)));
            b.push_back(float(i % 5 ? 0.3 : -0.01)); // outside of the space too
        }
        std::vector<float> L(r.size()), A(r.size()), B(r.size());
        const float *const rgb[3] = {r.data(), g.data(), b.data()};
        float *const lab[3] = {L.data(), A.data(), B.data()};
        oklabOfRow(rgb, int(r.size()), space, lab);
        for (size_t i = 0; i < r.size(); ++i) {
            const Oklab wanted = space.fromRgb({r[i], g[i], b[i]});
            QVERIFY(std::abs(L[i] - wanted.L) < 2e-6 && std::abs(A[i] - wanted.a) < 4e-6 &&
                    std::abs(B[i] - wanted.b) < 4e-6);
        }
        std::vector<float> r2(r.size()), g2(r.size()), b2(r.size());
        float *const back[3] = {r2.data(), g2.data(), b2.data()};
        rgbOfRow(lab, int(r.size()), space, back);
        for (size_t i = 0; i < r.size(); ++i)
            QVERIFY(std::abs(r2[i] - r[i]) < 1e-5 && std::abs(g2[i] - g[i]) < 1e-5 && std::abs(b2[i] - b[i]) < 1e-5);
    }
};

QTEST_GUILESS_MAIN(TestDevelop)
#include "tst_develop.moc"
