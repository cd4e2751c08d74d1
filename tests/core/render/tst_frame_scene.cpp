// Single frames in place of the merge, and single pixels of the picture.
#include "base/errors.h"
#include "colour/transfer.h"
#include "render/files/output.h"
#include "render/render.h"
#include "render/set/stage_cache.h"
#include "render/views/frame_scene.h"
#include "render/views/reading.h"
#include "support/compare.h"
#include "support/synthetic.h"
#include "tone/tone_curve.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

class TestFrameScene : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    Sources sources_;
    Measured measured_;
    Recipe recipe_;
    ThreadRunner runner_;
    ExecContext ctx_{runner_};

    Image<float> through(size_t frame, FrameBrightness brightness, const RenderRequest &request = {1, {}, 301, 203})
    {
        return lookThrough(RenderPlan(sources_, measured_, recipe_), frame, brightness, recipe_.output.space, request,
                           ctx_);
    }
    /// The mean code of a row of pixels in green.
    static double meanCode(const Image<float> &display, int x0, int x1)
    {
        double sum = 0.0;
        for (int y = 80; y < 120; ++y)
            for (int x = x0; x < x1; ++x)
                sum += 255.0 * encodeSrgb(double(display.row(1, y)[x]));
        return sum / (40.0 * (x1 - x0));
    }

private Q_SLOTS:
    void initTestCase()
    {
        const QStringList paths =
            test::writeBracket(dir_.path(), test::rampScene(301, 203, 0.01, 8).view(), {-2, 0, 2}, 1.0);
        sources_.cache = std::make_shared<StageCache>(size_t(1) << 30);
        for (const QString &p : paths)
            sources_.frames.push_back(loadFrame(p.toStdString()));
        measured_ = analyse(sources_, {}, ctx_);
        recipe_.tone = automaticTone(measured_.tone);
    }
    void framesHaveThePicturesBrightness()
    {
        const Image<float> picture = render(RenderPlan(sources_, measured_, recipe_), {1, {}, 301, 203}, ctx_);
        // Where each frame holds the light well: the ramp spans 8 stops from 0.01, a frame of +2 EV clips at 1/4.
        const std::array<std::pair<int, int>, 3> held{std::pair(150, 280), std::pair(90, 220), std::pair(30, 150)};
        for (size_t i = 0; i < 3; ++i) {
            const double got = meanCode(through(i, FrameBrightness::LikePicture), held[i].first, held[i].second);
            const double want = meanCode(picture, held[i].first, held[i].second);
            QVERIFY2(std::abs(got - want) < 1.5, // 8-bit JPEG
                     qPrintable(QStringLiteral("frame %1: %2, picture %3").arg(i + 1).arg(got).arg(want)));
        }
    }
    void whatAFrameClipsIsFlatAndNeutral()
    {
        const Recipe kept = recipe_;
        recipe_.tone.method = ToneMethod::Global; // the local one shows the same light a little otherwise elsewhere
        const Image<float> bright = through(2, FrameBrightness::LikePicture);
        recipe_ = kept;
        const float first = bright.row(0, 100)[270];
        for (int x = 270; x < 300; ++x)
            for (int c = 0; c < 3; ++c)
                QVERIFY(std::abs(bright.row(c, 100)[x] - first) < 0.01f);
    }
    void asTakenIsTheFileItself()
    {
        for (size_t i = 0; i < 3; ++i) {
            const Image<float> got = through(i, FrameBrightness::AsTaken),
                               want = lookAtFrame(sources_, i, recipe_, measured_, {1, {}, 301, 203}, ctx_);
            // The same by another way: linear codes of 16 bits; black noise is cut there and here.
            const QByteArray diff = test::firstDifference(got.view(), want.view(), 0.004, 0.01);
            QVERIFY2(diff.isEmpty() || i == 0, diff);
            QVERIFY(std::abs(meanCode(got, 60, 200) - meanCode(want, 60, 200)) < 1.0);
        }
        QVERIFY(meanCode(through(2, FrameBrightness::AsTaken), 60, 200) >
                meanCode(through(0, FrameBrightness::AsTaken), 60, 200) + 60.0); // four stops apart
    }
    void partsAreThoseOfTheWhole()
    {
        const Image<float> whole = through(1, FrameBrightness::LikePicture),
                           part = through(1, FrameBrightness::LikePicture, {1, {40, 30, 140, 100}, 100, 70});
        QCOMPARE(test::firstDifference(part.view(), whole.view().crop({40, 30, 140, 100}), 0.0, 1e-5), QByteArray());
    }
    void badRequestsAreSaid()
    {
        QVERIFY_THROWS_EXCEPTION(ArgumentError, through(3, FrameBrightness::LikePicture));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, through(0, FrameBrightness::AsTaken, {1, {5, 5, 5, 9}, 4, 4}));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, through(0, FrameBrightness::AsTaken, {1, {5, 5, 9, 9}, 0, 4}));
    }
    void readingsAreThePixelsOfThePicture()
    {
        const Image<float> picture = render(RenderPlan(sources_, measured_, recipe_), {1, {}, 301, 203}, ctx_);
        const std::vector<Point> places{{0.5, 0.5}, {150.2, 99.9}, {300.9, 202.9}, {-5.0, 400.0}};
        const std::vector<Vector3> got = outputAt(sources_, measured_, recipe_, 1, places, ctx_);
        const int at[4][2] = {{0, 0}, {150, 99}, {300, 202}, {0, 202}}; // outside: the nearest
        for (size_t i = 0; i < places.size(); ++i)
            for (size_t c = 0; c < 3; ++c)
                QVERIFY(std::abs(got[i][c] - double(picture.row(int(c), at[i][1])[at[i][0]])) < 1e-6);
        QVERIFY(outputAt(sources_, measured_, recipe_, 1, {}, ctx_).empty());
    }
};

QTEST_APPLESS_MAIN(TestFrameScene)
#include "tst_frame_scene.moc"
