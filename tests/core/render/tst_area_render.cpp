// Areas in the pipeline: what they add up to, that they cost nothing where they do nothing, and that every way of looking
// shows the same.
#include "colour/transfer.h"
#include "recipe/sections.h"
#include "render/render.h"
#include "render/views/area_view.h"
#include "render/views/develop.h"
#include "render/views/reading.h"
#include "support/compare.h"
#include "support/runners.h"
#include "support/synthetic.h"
#include "tone/tone_curve.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

Area areaOf(AreaShape shape, AreaAmounts amounts)
{
    Area out;
    out.shapes = {std::move(shape)};
    out.amounts = std::move(amounts);
    return out;
}

AreaShape gradient(double x0, double x1)
{
    return {.kind = ShapeKind::Gradient, .places = {{x0, 0}, {x1, 0}}};
}

AreaShape brush(bool keeps)
{
    std::vector<Stroke> strokes;
    for (int i = 0; i < 4; ++i)
        strokes.push_back({.points = {{40.0 + 30.0 * i, 20}, {90.0 + 20.0 * i, 170}}, .radius = 15.0 + 5.0 * i});
    return {.kind = ShapeKind::Brush, .keepsToEdges = keeps, .strokes = strokes};
}

const AreaAmounts kMany{{"tone.exposure", 0.8},      {"tone.contrast", 30.0},       {"tone.shadows", 40.0},
                        {"tone.highlights", -30.0},  {"tone.local_contrast", 25.0}, {"tone.local_darks", 20.0},
                        {"tone.fine_detail", 30.0},  {"colour.saturation", 40.0},   {"colour.vibrance", 20.0},
                        {"white.temperature", 20.0}, {"white.tint", 5.0},           {"hue.turn", 15.0}};

} // namespace

class TestAreaRender : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    Sources sources_;
    Measured measured_;
    Recipe recipe_;

    Image<float> rendered(const Recipe &recipe, const RenderRequest &request = {}) const
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        return render(RenderPlan(sources_, measured_, recipe), request, ctx);
    }
    Recipe with(std::vector<Area> areas, ToneMethod method = ToneMethod::Local) const
    {
        Recipe out = recipe_;
        out.tone.method = method;
        out.areas.areas = std::move(areas);
        return out;
    }
    /// The largest difference of codes, 255 to the whole range, over all but the margin.
    static double codesApart(const Image<float> &a, const Image<float> &b)
    {
        double out = 0.0;
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < a.height(); ++y)
                for (int x = 0; x < a.width(); ++x)
                    out = std::max(
                        out, 255.0 * std::abs(encodeSrgb(double(a.row(c, y)[x])) - encodeSrgb(double(b.row(c, y)[x]))));
        return out;
    }

private Q_SLOTS:
    void initTestCase()
    {
        sources_.cache = std::make_shared<StageCache>(size_t(1) << 30);
        Image<float> scene = test::rampScene(301, 203, 0.002, 11);
        for (int y = 60; y < 140; ++y) // a window with sharp edges
            for (int x = 100; x < 160; ++x)
                for (int c = 0; c < 3; ++c)
                    scene.row(c, y)[x] *= c == 0 ? 10.0f : 8.0f;
        for (const QString &path : test::writeBracket(dir_.path(), scene.view(), {0, -2, 2}, 1.0))
            sources_.frames.push_back(loadFrame(path.toStdString()));
        ThreadRunner runner;
        ExecContext ctx(runner);
        measured_ = analyse(sources_, {}, ctx);
        recipe_.tone = automaticTone(measured_.tone);
    }

    void whatDoesNothingChangesNoBit_data()
    {
        QTest::addColumn<int>("method");
        for (const auto &m : kToneMethods)
            QTest::newRow(std::string(m.key).c_str()) << int(m.value);
    }
    void whatDoesNothingChangesNoBit()
    {
        QFETCH(int, method);
        const Image<float> plain = rendered(with({}, ToneMethod(method)));
        Area weak = areaOf(gradient(50, 200), kMany), off = weak, empty = weak, none = weak;
        weak.strength = 0.0;
        off.on = false;
        empty.shapes.clear();
        none.amounts = {{"tone.exposure", 0.0}, {"a.later.one", 5.0}};
        const Image<float> got = rendered(with({weak, off, empty, none}, ToneMethod(method)));
        if (none.amounts.size() == 2) // what is not known does nothing either, but for the way it goes
            QCOMPARE(test::firstDifference(rendered(with({weak, off, empty}, ToneMethod(method))).view(), plain.view(),
                                           0.0, 0.0),
                     QByteArray());
        QCOMPARE(test::firstDifference(got.view(), plain.view(), 0.0, 0.0), QByteArray());
    }

    void outsideOfAnAreaNoBitChanges()
    {
        // Settings that act by themselves leave pixels alone where the mask is 0.
        const Image<float> plain = rendered(with({}));
        const Image<float> got = rendered(with({areaOf(gradient(80, 140), {{"tone.exposure", 1.0}})}));
        QCOMPARE(
            test::firstDifference(got.view().crop({141, 0, 301, 203}), plain.view().crop({141, 0, 301, 203}), 0.0, 0.0),
            QByteArray());
        QVERIFY(codesApart(got, plain) > 20.0);
    }

    void allOfThePictureIsTheSettingItself_data()
    {
        QTest::addColumn<int>("method");
        QTest::addColumn<QByteArray>("path");
        QTest::addColumn<double>("amount");
        for (const auto &m : kToneMethods)
            for (const auto &[path, amount] :
                 {std::pair("tone.contrast", 25.0), std::pair("tone.shadows", 40.0), std::pair("tone.whites", -60.0),
                  std::pair("tone.fine_detail", 35.0), std::pair("tone.local_contrast", -20.0),
                  std::pair("tone.local_lights", 30.0), std::pair("tone.exposure", 0.7),
                  std::pair("colour.saturation", 30.0), std::pair("colour.vibrance", -30.0),
                  std::pair("tints.darks", 40.0)})
                if (m.value != ToneMethod::Blend ||
                    (QByteArray(path) != "tone.exposure" && QByteArray(path) != "tone.contrast"))
                    QTest::newRow((std::string(m.key) + " " + path).c_str())
                        << int(m.value) << QByteArray(path) << amount;
    }
    void allOfThePictureIsTheSettingItself()
    {
        QFETCH(int, method);
        QFETCH(QByteArray, path);
        QFETCH(double, amount);
        Recipe global = with({}, ToneMethod(method));
        forEachSection([&](const auto &section) {
            forEachField(*section.fields, [&](const auto &field) {
                if constexpr (IsReal<std::remove_cvref_t<decltype(field)>>)
                    if (pathOf(section, field) == path.toStdString())
                        section.of(global).*field.member += amount;
            });
        });
        const Image<float> want = rendered(global);
        const Image<float> got = rendered(with({areaOf({}, {{path.toStdString(), amount}})}, ToneMethod(method)));
        const double apart = codesApart(got, want);
        const bool isRepaired = ToneMethod(method) == ToneMethod::Local; // its base curve is kept rising as a whole
        QVERIFY2(apart <= (isRepaired ? 20.0 : 1.5), qPrintable(QString::number(apart)));
        QVERIFY(codesApart(want, rendered(with({}, ToneMethod(method)))) > 3.0);
    }

    void twoHalvesAreTheWhole()
    {
        const Image<float> whole = rendered(with({areaOf({}, kMany)}));
        const Image<float> halves =
            rendered(with({areaOf(gradient(60, 240), kMany), areaOf(gradient(240, 60), kMany)}));
        QVERIFY2(codesApart(halves, whole) < 0.1, qPrintable(QString::number(codesApart(halves, whole))));
        Area both = areaOf(gradient(60, 240), kMany);
        both.outside = both.amounts;
        QVERIFY2(codesApart(rendered(with({both})), whole) < 0.1,
                 qPrintable(QString::number(codesApart(rendered(with({both})), whole))));
    }

    void everyWayOfLookingShowsTheSame()
    {
        std::vector<Area> areas{
            areaOf(brush(true), kMany), areaOf(gradient(200, 100), {{"tone.exposure", -1.0}}),
            areaOf({.kind = ShapeKind::Stops, .low = -2.0, .high = 1.0}, {{"tone.middle", 30.0}}),
            areaOf({.kind = ShapeKind::Hue}, {{"colour.saturation", -40.0}})};
        const auto partOff = [&](const std::vector<Area> &of) {
            const Recipe recipe = with(of);
            const Image<float> whole = rendered(recipe), part = rendered(recipe, {1, {40, 30, 140, 100}});
            return test::firstDifference(part.view(), whole.view().crop({40, 30, 140, 100}), 0.0, 0.0);
        };
        for (const bool keeps : {false, true})
            for (const auto &[path, amount] : kMany) {
                const QByteArray diff = partOff({areaOf(brush(keeps), {{path, amount}})});
                QVERIFY2(diff.isEmpty(), qPrintable(QString::fromStdString(path) + QString::fromUtf8(diff)));
            }
        for (const Area &area : areas)
            QCOMPARE(partOff({area}), QByteArray());
        QCOMPARE(partOff(areas), QByteArray());
        const Recipe recipe = with(areas);
        const Image<float> whole = rendered(recipe);
        RenderRequest exact;
        exact.exact = true;
        QCOMPARE(test::firstDifference(rendered(recipe, exact).view(), whole.view(), 0.0, 0.0), QByteArray());
        ThreadRunner runner;
        ExecContext ctx(runner);
        const auto read =
            outputAt(sources_, measured_, recipe, 1, std::vector<Point>{{120.5, 90.5}, {30.5, 150.5}}, ctx);
        for (size_t c = 0; c < 3; ++c) {
            QCOMPARE(float(read[0][c]), whole.row(int(c), 90)[120]);
            QCOMPARE(float(read[1][c]), whole.row(int(c), 150)[30]);
        }
    }

    void masksAreSeenAsTheyAct()
    {
        const Recipe recipe = with({areaOf(gradient(80, 140), {}), areaOf(brush(false), {})});
        ThreadRunner runner;
        ExecContext ctx(runner);
        const RenderPlan plan(sources_, measured_, recipe);
        const Image<float> mask = areaMask(plan, 0, {}, ctx);
        QCOMPARE(mask.shape(), (Shape{301, 203, 1}));
        QCOMPARE(mask.row(0, 7)[20], 1.0f);
        QCOMPARE(mask.row(0, 7)[200], 0.0f);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, areaMask(plan, 2, {}, ctx));
        double sum = 0.0, all = 0.0;
        for (const float share : areaHistogram(plan, 0, ctx).shares)
            sum += double(share);
        for (int y = 0; y < mask.height(); ++y)
            for (int x = 0; x < mask.width(); ++x)
                all += double(mask.row(0, y)[x]) / (301.0 * 203.0);
        QVERIFY(std::abs(sum - all) < 0.01);
        // Turned and cropped pictures keep it where it was.
        Recipe turned = recipe;
        turned.geometry.turn = QuarterTurn::Half;
        const Image<float> there = areaMask(RenderPlan(sources_, measured_, turned), 0, {}, ctx);
        QVERIFY(std::abs(there.row(0, 203 - 8)[300 - 110] - mask.row(0, 7)[110]) < 0.02f);
    }

    void gradientsDoNotBand()
    {
        // A steep change of light over the whole width: codes rise by steps that no eye parts, at 8 bit by one at a time.
        Recipe recipe = with({areaOf(gradient(0, 301), {{"tone.exposure", 4.0}})}, ToneMethod::Plain);
        Image<float> flat(301, 4, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 4; ++y)
                std::fill_n(flat.row(c, y), 301, 0.02f);
        const RenderPlan plan(sources_, measured_, recipe);
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Developer developer(plan, OutputSpace::Srgb, ctx);
        Image<float> out(301, 4, 3);
        developer(flat.view(), {0, 0, 1, 1}, out.view());
        for (int x = 1; x < 301; ++x) {
            const double step = encodeSrgb(double(out.row(1, 1)[x - 1])) - encodeSrgb(double(out.row(1, 1)[x]));
            QVERIFY(step >= -1e-6 && step < 3.0 / 255.0);
        }
    }

    void manyAreasLoadAndRender()
    {
        std::vector<Area> areas;
        for (int i = 0; i < 200; ++i)
            areas.push_back(areaOf(
                {.kind = ShapeKind::Oval, .places = {{1.5 * i, i * 1.0}, {1.5 * i + 20, i * 1.0}, {1.5 * i, i + 15.0}}},
                {{"tone.exposure", i % 2 ? 0.3 : -0.3}, {"tone.shadows", 10.0}}));
        const Image<float> got = rendered(with(areas));
        QVERIFY(codesApart(got, rendered(with({}))) > 2.0);
    }
};

QTEST_MAIN(TestAreaRender)
#include "tst_area_render.moc"
