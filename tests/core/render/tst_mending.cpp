// Mending as part of the picture: every view and file shows it, whatever the size, the reference or the merge.
#include "mend/mend.h"
#include "recipe/recipe_json.h"
#include "render/files/radiance_export.h"
#include "render/render.h"
#include "render/stages/mend_stage.h"
#include "support/compare.h"
#include "support/synthetic.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

class TestMending : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    Sources sources_;
    Measured measured_;
    Recipe recipe_;
    static constexpr int kWidth = 360, kHeight = 240;

    /// A smooth scene with a dark spot at (150, 100).
    static Image<float> scene()
    {
        Image<float> out(kWidth, kHeight, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < kHeight; ++y)
                for (int x = 0; x < kWidth; ++x) {
                    const bool spot = std::hypot(x + 0.5 - 150.0, y + 0.5 - 100.0) < 6.0;
                    out.row(c, y)[x] =
                        float(0.1 * std::exp2(2.0 * x / kWidth + y / double(kHeight)) * (spot ? 0.3 : 1.0));
                }
        return out;
    }
    MendSpot spot() const
    {
        MendSpot out;
        out.points = {{150.0, 100.0}};
        out.drawnOn = sources_.frames[0]->id;
        out.radius = 10.0;
        out.sourceX = 30.0;
        return out;
    }
    Recipe mendedBy(const MendSpot &spot) const
    {
        Recipe out = recipe_;
        out.mend.spots = std::vector<MendSpot>{spot};
        return out;
    }
    Image<float> shown(const Recipe &recipe, const RenderRequest &request = {}) const
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        return render(RenderPlan(sources_, measured_, recipe), request, ctx);
    }
    static double darkest(const Image<float> &of, double scale = 1.0)
    {
        float out = 1e9f;
        for (int y = int(90 * scale); y < int(110 * scale); ++y)
            for (int x = int(140 * scale); x < int(160 * scale); ++x)
                out = std::min(out, of.row(1, y)[x]);
        return double(out);
    }

    /// Mean light of what was the spot.
    static double middle(const Image<float> &of, double scale = 1.0)
    {
        double sum = 0.0, count = 0.0;
        for (int y = int(96 * scale); y < int(104 * scale); ++y)
            for (int x = int(146 * scale); x < int(154 * scale); ++x) {
                sum += double(of.row(1, y)[x]);
                ++count;
            }
        return sum / count;
    }

private Q_SLOTS:
    void initTestCase()
    {
        const QStringList paths = test::writeBracket(dir_.path(), scene().view(), {0, -2, 2}, 1.0);
        sources_ = {{}, std::make_shared<StageCache>(size_t(1) << 30)};
        for (const QString &p : paths)
            sources_.frames.push_back(loadFrame(p.toStdString()));
        ThreadRunner runner;
        ExecContext ctx(runner);
        measured_ = analyse(sources_, {}, ctx);
        recipe_.tone = automaticTone(measured_.tone);
    }
    void everyViewShowsIt()
    {
        const Image<float> before = shown(recipe_), after = shown(mendedBy(spot()));
        QVERIFY(darkest(after) > 1.8 * darkest(before));
        // Where nothing is mended nothing changes.
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                if (std::hypot(x + 0.5 - 150.0, y + 0.5 - 100.0) > 11.0)
                    QCOMPARE(after.row(1, y)[x], before.row(1, y)[x]);
        // A part, exactly as in the whole; smaller ones alike.
        const Image<float> part = shown(mendedBy(spot()), {1, {120, 80, 180, 120}});
        QCOMPARE(test::firstDifference(part.view(), after.view().crop({120, 80, 180, 120}), 0.0, 0.0), QByteArray());
        const Image<float> file = shown(mendedBy(spot()), {1, {}, 0, 0, true});
        QCOMPARE(test::firstDifference(file.view(), after.view(), 1e-6, 1e-5), QByteArray());
        const Image<float> small = shown(mendedBy(spot()), {2, {}, kWidth / 2, kHeight / 2});
        QVERIFY2(std::abs(middle(small, 0.5) / middle(after) - 1.0) < 0.03,
                 qPrintable(QString("%1 %2").arg(middle(small, 0.5)).arg(middle(after))));
        // Off, or with nowhere to take it from: as before, bit for bit.
        MendSpot off = spot();
        off.on = false;
        QCOMPARE(test::firstDifference(shown(mendedBy(off)).view(), before.view(), 0.0, 0.0), QByteArray());
        MendSpot none = spot();
        none.sourceX = 0.0;
        QCOMPARE(test::firstDifference(shown(mendedBy(none)).view(), before.view(), 0.0, 0.0), QByteArray());
    }
    void noiseReductionAndWhiteLieOnIt()
    {
        // What reads neighbours, and another white balance, come after it.
        Recipe recipe = mendedBy(spot());
        settingsOf<Sharpness>(recipe.adjustments).strength = 50;
        recipe.white.temperature += 800;
        QVERIFY(darkest(shown(recipe)) > 1.8 * darkest(shown(recipe_)));
        const Image<float> file = shown(recipe, {1, {}, 0, 0, true});
        QCOMPARE(test::firstDifference(file.view(), shown(recipe).view(), 1e-5, 1e-4), QByteArray());
    }
    void radianceHoldsIt()
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        const std::string path = dir_.filePath("mended.tif").toStdString();
        exportRadiance(sources_, mendedBy(spot()), measured_, path, ctx);
        Sources again{{loadFrame(path)}, std::make_shared<StageCache>(size_t(1) << 30)};
        const MergedPtr merged = mergedOf(RenderPlan(again, analyse(again, {}, ctx), {}), 1, ctx);
        const float *row = merged->pixels.radiance.row(1, 100);
        QVERIFY(row[150] > 0.8f * row[130] && row[150] < 1.25f * row[170]);
    }
    void otherReferencesKeepThePlace()
    {
        Recipe recipe = mendedBy(spot());
        recipe.frames.reference = sources_.frames[1]->id;
        Recipe plain = recipe_;
        plain.frames.reference = recipe.frames.reference;
        QVERIFY(darkest(shown(recipe)) > 1.8 * darkest(shown(plain)));
    }
    void placesAreFound()
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        MendSpot wanted = spot();
        wanted.sourceX = 0.0;
        for (const int reduction : {1, 2}) {
            const auto sources = mendSources(RenderPlan(sources_, measured_, mendedBy(wanted)), 0, reduction, 5, ctx);
            QVERIFY(sources.size() >= 2);
            MendSpot now = wanted;
            now.sourceX = sources[0].x;
            now.sourceY = sources[0].y;
            QVERIFY(std::hypot(now.sourceX, now.sourceY) >= 20.0);
            QVERIFY(darkest(shown(mendedBy(now))) > 1.8 * darkest(shown(recipe_)));
        }
        QVERIFY(mendSources(RenderPlan(sources_, measured_, mendedBy(wanted)), 7, 1, 5, ctx).empty());
        std::stop_source stop;
        stop.request_stop();
        ExecContext stopped(runner, stop.get_token());
        QVERIFY_THROWS_EXCEPTION(Cancelled,
                                 mendSources(RenderPlan(sources_, measured_, mendedBy(wanted)), 0, 1, 5, stopped));
    }
    void whatAnotherFrameShows()
    {
        // The darkest frame was taken when the spot was not there.
        const Image<float> clean = test::grainyScene(kWidth, kHeight, 0.05, 3.0);
        Image<float> spotted(clean.shape());
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < kHeight; ++y)
                for (int x = 0; x < kWidth; ++x)
                    spotted.row(c, y)[x] =
                        clean.row(c, y)[x] * (std::hypot(x + 0.5 - 150.0, y + 0.5 - 100.0) < 6.0 ? 0.2f : 1.0f);
        QTemporaryDir one, other;
        const QStringList bright = test::writeBracket(one.path(), spotted.view(), {0, 2}, 1.0),
                          dark = test::writeBracket(other.path(), clean.view(), {-2}, 1.0);
        Sources sources{{}, std::make_shared<StageCache>(size_t(1) << 30)};
        for (const QString &path : {bright[0], dark[0], bright[1]})
            sources.frames.push_back(loadFrame(path.toStdString()));
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Measured measured = analyse(sources, {}, ctx);
        const auto shownBy = [&](const Recipe &recipe) {
            return render(RenderPlan(sources, measured, recipe), {}, ctx);
        };
        Recipe plain = recipe_;
        plain.movement.mode = MovementMode::Off;
        const Image<float> before = shownBy(plain);
        MendSpot spot = this->spot();
        spot.drawnOn = sources.frames[0]->id;
        spot.way = MendWay::Frame;
        const auto mendedFrom = [&](const std::string &frame) {
            spot.frame = frame;
            Recipe out = plain;
            out.mend.spots = std::vector<MendSpot>{spot};
            return out;
        };
        QCOMPARE(test::firstDifference(shownBy(mendedFrom({})).view(), before.view(), 0.0, 0.0), QByteArray());
        const Recipe taken = mendedFrom(sources.frames[1]->id);
        const double gone = middle(shownBy(taken)) / middle(before);
        QVERIFY2(gone > 1.5, qPrintable(QString::number(gone))); // where nothing else of movement is treated
        QVERIFY(middle(shownBy(mendedFrom(sources.frames[0]->id))) < 1.1 * middle(before));
        // As if somebody had said so to the merge.
        Recipe said = plain;
        said.movement.mode = MovementMode::On;
        said.movement.sensitivity = 0.0;
        said.movement.regions.push_back(
            {HandTask::TakeFrom, sources.frames[1]->id, spot.drawnOn, spot.radius, spot.points});
        QCOMPARE(test::firstDifference(shownBy(taken).view(), shownBy(said).view(), 0.0, 0.0), QByteArray());
        // Settings in force are in force: once more they are the same.
        const Recipe once = inForce(taken, measured), twice = inForce(once, measured);
        QCOMPARE(twice, once);
        QCOMPARE(once.movement.regions.size(), size_t(1));
    }
    void dustIsFilledWhereNoFrameIsClean()
    {
        // In every frame the spot lies at the same pixel.
        Recipe dusty = recipe_;
        dusty.mend.dust = std::vector<DustSpot>{{150.0, 100.0, 8.0, true}};
        const Image<float> before = shown(recipe_), after = shown(dusty);
        QVERIFY(darkest(after) > 1.8 * darkest(before));
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                if (std::hypot(x + 0.5 - 150.0, y + 0.5 - 100.0) > 13.0)
                    QCOMPARE(after.row(1, y)[x], before.row(1, y)[x]);
        dusty.mend.dust = std::vector<DustSpot>{{150.0, 100.0, 8.0, false}};
        QCOMPARE(test::firstDifference(shown(dusty).view(), before.view(), 0.0, 0.0), QByteArray());
    }
    void lightUnderDustIsGivenBack()
    {
        // Of frames without dust: what comes back is too much by just that.
        constexpr double kDepth = 0.2, kRadius = 10.0, x0 = 150.0, y0 = 100.0;
        Recipe dusty = recipe_;
        dusty.mend.dust = std::vector<DustSpot>{{.x = x0, .y = y0, .radius = kRadius, .depth = kDepth}};
        const auto lightOf = [&](const Recipe &recipe) {
            ThreadRunner runner;
            ExecContext ctx(runner);
            return sceneOf(RenderPlan(sources_, measured_, recipe), {}, ctx);
        };
        const PicturePtr before = lightOf(recipe_), after = lightOf(dusty);
        double worst = 0.0;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x) {
                const double squared = (std::pow(x + 0.5 - x0, 2.0) + std::pow(y + 0.5 - y0, 2.0)) / kRadius / kRadius;
                const double wanted = squared < 1.0 ? 1.0 / (1.0 - kDepth * std::pow(1.0 - squared, 2.0)) : 1.0;
                for (int c = 0; c < 3; ++c)
                    worst = std::max(
                        worst, std::abs(double(after->row(c, y)[x]) / double(before->row(c, y)[x]) / wanted - 1.0));
            }
        QVERIFY2(worst < 0.01, qPrintable(QString::number(worst)));
        dusty.mend.dust = std::vector<DustSpot>{{.x = x0, .y = y0, .radius = kRadius, .on = false, .depth = kDepth}};
        QCOMPARE(test::firstDifference(lightOf(dusty)->view(), before->view(), 0.0, 0.0), QByteArray());
    }
    void settingsComeBackFromFiles()
    {
        MendSpot spot = this->spot();
        spot.points = {{1.5, 2.25}, {3.0, 4.0}};
        spot.turn = -30.0;
        spot.way = MendWay::Copy;
        spot.on = false;
        const Recipe recipe = mendedBy(spot);
        QCOMPARE(parseRecipe(recipeText(recipe)).recipe.mend.spots, recipe.mend.spots);
        Recipe others = recipe;
        spot.way = MendWay::Woven;
        spot.weave = 3.0;
        MendSpot taken = spot;
        taken.way = MendWay::Frame;
        taken.frame = sources_.frames[2]->id;
        others.mend.spots = std::vector<MendSpot>{spot, taken};
        others.mend.dust = std::vector<DustSpot>{{3.5, 7.25, 4.0, true, 0.125}, {100.0, 20.0, 9.0, false}};
        QCOMPARE(parseRecipe(recipeText(others)).recipe.mend, others.mend);
        QVERIFY_THROWS_EXCEPTION(
            ArgumentError,
            parseRecipe(R"({"format": "yolk-recipe", "version": 2, "mend": {"spots": [{"radius": 1e9}]}})"));
    }
};

QTEST_APPLESS_MAIN(TestMending)
#include "tst_mending.moc"
