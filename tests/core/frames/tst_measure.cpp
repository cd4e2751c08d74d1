// What is measured on frames, against the simulated camera that took them.
#include "base/errors.h"
#include "frames/exposure_ratio.h"
#include "frames/measure.h"
#include "frames/noise_estimate.h"
#include "io/radiance_file.h"
#include "support/demo_data.h"
#include "support/runners.h"
#include "support/synthetic.h"

#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

MeasuredSet measured(const std::vector<FramePtr> &frames)
{
    ThreadRunner runner;
    ExecContext ctx(runner);
    return measureFrames(frames, {.decode = test::decodeAtOnce, .sensor = test::lookAtOnce}, ctx);
}

bool isFound(const Response &response)
{
    return isTaken(response, ResponseChoice::Automatic);
}

/// As if the file said nothing of its exposure.
FramePtr withoutExposure(const FramePtr &frame)
{
    auto out = std::make_shared<Frame>(*frame);
    out->metadata.exposureSeconds.reset();
    out->metadata.shutterApex.reset();
    out->metadata.fNumber.reset();
    return out;
}

/// log2 of exposures against the first frame's.
std::vector<double> evs(const MeasuredSet &set)
{
    std::vector<double> out;
    for (const MeasuredFrame &f : set.frames)
        out.push_back(std::log2(f.exposure / set.frames[0].exposure));
    return out;
}

double worst(const std::vector<double> &got, const std::vector<double> &want)
{
    double out = 0.0;
    for (size_t i = 0; i < got.size(); ++i)
        out = std::max(out, std::abs(got[i] - want[i]));
    return out;
}

/// The light that a file's sRGB-decoded value y stands for under a camera shoulder s: y = z (1 + s) / (1 + s z),
/// solved.
double lightUnderShoulder(double y, double s)
{
    return y / (1.0 + s - s * y);
}

} // namespace

class TestMeasure : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    Image<float> scene_; // a part of the henhouse: door, dark boards, straw

    QString path(const QString &name) const { return dir_.filePath(name); }

    /// Frames of the scene that clip at 2^-ev; marked with `marked` EV where that is given.
    std::vector<FramePtr> developed(const char *name, const std::vector<double> &real,
                                    const std::vector<double> &marked, double shoulder)
    {
        std::vector<FramePtr> out;
        for (size_t i = 0; i < real.size(); ++i) {
            demo::Shot shot = test::shotAt(marked[i], 1.0, 40 + i);
            shot.clipsAt = std::exp2(-real[i]);
            const QString file = path(QString("%1_%2.jpg").arg(name).arg(i));
            demo::writeFrame(file.toStdString(), demo::expose(scene_.view(), shot).view(), shot, demo::FrameFile::Jpeg,
                             shoulder);
            out.push_back(loadFrame(file.toStdString()));
        }
        return out;
    }
    std::vector<FramePtr> raw(const char *name, const std::vector<double> &real, int iso)
    {
        std::vector<FramePtr> out;
        for (size_t i = 0; i < real.size(); ++i) {
            demo::Shot shot = test::shotAt(std::round(real[i]), 1.0, 60 + i);
            shot.clipsAt = std::exp2(-real[i]);
            shot.iso = iso;
            const QString file = path(QString("%1_%2.dng").arg(name).arg(i));
            demo::writeDng(file.toStdString(), demo::exposeMosaic(scene_.view(), shot).view(), shot);
            out.push_back(loadFrame(file.toStdString()));
        }
        return out;
    }

private Q_SLOTS:
    void initTestCase()
    {
        const RadianceFile truth = readExr(test::demoTruth("still").toStdString());
        scene_ = demo::throughLens(truth.rgb.view().crop({300, 100, 1300, 900}), {.softness = 0.6});
    }

    // ---- exposures
    void rawWithoutMetadataIsFoundWithinAHundredth()
    {
        const std::vector<double> real{0.0, -3.87, -1.93, 2.06};
        std::vector<FramePtr> frames = raw("bare", real, 100);
        for (FramePtr &f : frames)
            f = withoutExposure(f);
        const MeasuredSet set = measured(frames);
        const double error = worst(evs(set), real);
        qInfo("worst error %.4f EV", error);
        QVERIFY2(error <= 0.01, qPrintable(QString::number(error)));
        for (const MeasuredFrame &f : set.frames) {
            QCOMPARE(f.source, ExposureSource::Estimated);
            QVERIFY(!f.stated);
        }
    }
    void jpegIsRefinedWithinThreeHundredths_data()
    {
        QTest::addColumn<double>("shoulder");
        QTest::newRow("plain sRGB") << 0.0;
        QTest::newRow("soft shoulder") << 0.25;
        QTest::newRow("strong shoulder") << 2.0;
    }
    void jpegIsRefinedWithinThreeHundredths()
    {
        // A shutter that is off its marks by up to 0.15 EV, as cheap ones are.
        QFETCH(double, shoulder);
        const std::vector<double> marked{0, -4, -2, 2, 4}, off{0.0, 0.06, -0.12, 0.15, -0.07};
        std::vector<double> real;
        for (size_t i = 0; i < marked.size(); ++i)
            real.push_back(marked[i] + off[i]);
        const MeasuredSet set = measured(developed("marked", real, marked, shoulder));
        const double error = worst(evs(set), real);
        qInfo("worst error %.4f EV, disagreement %.4f to %.4f", error, set.response.disagreementBefore,
              set.response.disagreementAfter);
        QVERIFY2(error <= 0.03, qPrintable(QString::number(error)));
        QCOMPARE(set.frames[3].source, ExposureSource::Refined);
        QCOMPARE(isFound(set.response), shoulder > 0.0);
    }
    void jpegWithoutMetadataIsFoundWithinAThird_data()
    {
        QTest::addColumn<double>("shoulder");
        QTest::newRow("plain sRGB") << 0.0;
        QTest::newRow("soft shoulder") << 0.25;
        QTest::newRow("strong shoulder") << 2.0;
    }
    void jpegWithoutMetadataIsFoundWithinAThird()
    {
        QFETCH(double, shoulder);
        const std::vector<double> real{0.0, -3.9, -2.1, 2.0, 3.8};
        std::vector<FramePtr> frames = developed("unmarked", real, real, shoulder);
        for (FramePtr &f : frames)
            f = withoutExposure(f);
        const MeasuredSet set = measured(frames);
        const std::vector<double> got = evs(set);
        for (size_t i = 0; i < got.size(); ++i) {
            const double error = std::abs(got[i] - real[i]);
            const double said = set.frames[i].uncertainty + set.frames[0].uncertainty;
            qInfo("error %.3f EV, said %.3f", error, said);
            QVERIFY2(error <= 0.3, qPrintable(QString::number(error)));
            QVERIFY2(error <= said + 0.01, qPrintable(QString::number(said)));
        }
    }
    void exactStepsStayWhereThePictureAgrees()
    {
        const std::vector<double> marked{0, -2, 2};
        const MeasuredSet set = measured(developed("exact", marked, marked, 0.0));
        QVERIFY(worst(evs(set), marked) < 1e-12);
        for (const MeasuredFrame &f : set.frames)
            QCOMPARE(f.source, ExposureSource::Stated);
    }
    void rawMetadataThatThePictureContradictsAreCorrectedAndSaid()
    {
        // The middle frame's file says 2 EV, its picture 3.
        const MeasuredSet set = measured(raw("liar", {-2, 0, 3, 4}, 100));
        MeasuredSet lied = set;
        std::vector<FramePtr> frames = raw("liar", {-2, 0, 3, 4}, 100);
        auto liar = std::make_shared<Frame>(*frames[2]);
        liar->metadata.exposureSeconds = *liar->metadata.exposureSeconds / 2.0;
        liar->metadata.shutterApex.reset();
        frames[2] = liar;
        lied = measured(frames);
        QVERIFY(std::abs(lied.frames[2].pictureSays - 1.0) < 0.02);
        QCOMPARE(lied.frames[2].source, ExposureSource::Corrected);
        QVERIFY(std::abs(std::log2(lied.frames[2].exposure / set.frames[2].exposure)) < 0.02);
        for (size_t i : {0u, 1u, 3u}) // and the others are not pulled
            QVERIFY(std::abs(std::log2(lied.frames[i].exposure / set.frames[i].exposure)) < 1e-3);
    }
    void aLyingFrameDoesNotBendTheCurve()
    {
        // One file of five says 1 EV too much; the curve and the other exposures stay what they are.
        const std::vector<double> real{0, -4, -2, 2, 4};
        const MeasuredSet set = measured(developed("bent", real, {0, -4, -1, 2, 4}, 0.5));
        QVERIFY(std::abs(set.frames[2].pictureSays + 1.0) < 0.05);
        const std::vector<double> got = evs(set);
        for (size_t i : {1u, 3u, 4u})
            QVERIFY2(std::abs(got[i] - real[i]) <= 0.03, qPrintable(QString::number(got[i])));
    }
    void nothingInCommonIsAssumedEqual()
    {
        std::vector<FramePtr> frames = raw("apart", {-9, 7}, 100);
        for (FramePtr &f : frames)
            f = withoutExposure(f);
        const MeasuredSet set = measured(frames);
        QCOMPARE(set.frames[1].source, ExposureSource::Assumed);
        QCOMPARE(set.frames[0].exposure, set.frames[1].exposure);
    }
    void stepsAreReconciled()
    {
        using Link = ExposureLink;
        // By hand: without anything measured, stated values stay; a sure step decides between unsure statements.
        const std::array<std::optional<double>, 2> stated{0.0, 1.0};
        const auto kept = reconciledExposures(stated, {}, 0.04).ev;
        QVERIFY(std::abs(kept[0]) < 1e-6 && std::abs(kept[1] - 1.0) < 1e-6);
        const auto sure = reconciledExposures(stated, std::array{Link({0, 1, {1.2, 1e-4}})}, 0.04).ev;
        QVERIFY(std::abs(sure[1] - sure[0] - 1.2) < 1e-5);
        QVERIFY(std::abs(sure[0] + sure[1] - 1.0) < 1e-9); // the mean of what is stated stays
        // Equal errors: each step takes half of what contradicts.
        const auto even = reconciledExposures(stated, std::array{Link({0, 1, {1.3, 0.04 * std::sqrt(2.0)}})}, 0.04).ev;
        QVERIFY(std::abs(even[1] - even[0] - 1.15) < 1e-9);
        const auto chained = reconciledExposures(std::array<std::optional<double>, 3>{},
                                                 std::array{Link({0, 1, {2.0, 0.01}}), Link({1, 2, {1.5, 0.01}})}, 0.04)
                                 .ev;
        QVERIFY(std::abs(chained[0]) < 1e-9 && std::abs(chained[2] - 3.5) < 1e-6);
        // Three steps that contradict each other share it by their errors; each frame says how sure it is.
        const auto round = reconciledExposures(
            std::array<std::optional<double>, 3>{},
            std::array{Link({0, 1, {1.0, 0.01}}), Link({1, 2, {1.0, 0.01}}), Link({0, 2, {2.3, 0.01}})}, 0.04);
        QVERIFY(std::abs(round.ev[1] - 1.1) < 1e-6 && std::abs(round.ev[2] - 2.2) < 1e-6);
        QVERIFY(std::abs(round.error[2] - 0.01 * std::sqrt(2.0 / 3.0)) <
                1e-4); // by hand: 2 steps beside 1, in parallel
        QVERIFY_THROWS_EXCEPTION(ArgumentError,
                                 reconciledExposures(stated, std::array{Link({0, 2, {1.0, 0.01}})}, 0.04));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, reconciledExposures({}, {}, 0.04));
    }

    // ---- response
    void responseOfTheTripodSetIsFoundWithinOnePercent()
    {
        std::vector<FramePtr> frames;
        for (const QString &p : test::demoPaths("henhouse-tripod"))
            frames.push_back(loadFrame(p.toStdString()));
        const Response response = measured(frames).response;
        QVERIFY(isFound(response));
        double sum = 0.0, before = 0.0;
        for (int i = 0; i <= 1000; ++i) {
            const double y = i / 1000.0, truth = lightUnderShoulder(y, 0.25);
            sum += std::pow(response.lightOf(y) - truth, 2) / 1001;
            before += std::pow(y - truth, 2) / 1001;
        }
        qInfo("RMS %.4f of full scale, %.4f by the profile alone", std::sqrt(sum), std::sqrt(before));
        QVERIFY2(std::sqrt(sum) <= 0.01, qPrintable(QString::number(std::sqrt(sum))));
        QVERIFY(std::sqrt(before) > 0.03); // there was something to find
    }
    void strongShouldersAreFoundToo()
    {
        for (double shoulder : {1.0, 4.0}) {
            const std::vector<double> marked{0, -4, -2, 2, 4};
            const Response response = measured(developed("strong", marked, marked, shoulder)).response;
            QVERIFY(isFound(response));
            double sum = 0.0;
            for (int i = 0; i <= 1000; ++i)
                sum += std::pow(response.lightOf(i / 1000.0) - lightUnderShoulder(i / 1000.0, shoulder), 2) / 1001;
            qInfo("shoulder %.0f: RMS %.4f of full scale", shoulder, std::sqrt(sum));
            QVERIFY2(std::sqrt(sum) <= 0.01, qPrintable(QString::number(std::sqrt(sum))));
        }
    }
    void responseRisesAndKeepsItsEnds()
    {
        Response bent;
        for (int i = 0; i + 1 < Response::kKnots; ++i)
            bent.bend[1][size_t(i)] = -0.3 * (1.0 - double(i) / (Response::kKnots - 1));
        bent.fitted = true;
        QCOMPARE(bent.lightOf(0.0), 0.0);
        QCOMPARE(bent.lightOf(1.0), 1.0);
        QVERIFY(std::abs(bent.lightOf(-0.01) - -0.01 * std::exp2(-0.3)) < 1e-12);
        QCOMPARE(bent.lightOf(0.5, 0), 0.5); // a curve is a channel's
        const std::vector<uint16_t> table = codeTables(&bent, 1.0, {1, 1, 1}).of[1];
        QVERIFY(std::ranges::is_sorted(table));
        QCOMPARE(table[65535], uint16_t(65535));
        QCOMPARE(table[kPedestal], uint16_t(kPedestal));
        for (double y : {0.1, 0.5, 0.9}) // a code is 1 / 64511 of clipping; two roundings
            QVERIFY(std::abs(double(linearOfCode(table[codeOfLinear(y)])) - bent.lightOf(y)) < 1.1 / 64511);
    }
    void badFitsAreRefused()
    {
        SerialRunner runner;
        ExecContext ctx(runner);
        const std::array<std::optional<double>, 2> stated{0.0, 2.0};
        const Response nothing = fitResponse({}, stated, 0.05, ctx);
        QVERIFY(!nothing.fitted);
        QCOMPARE(nothing.verdict, ResponseVerdict::NothingToCompare);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, fitResponse({}, stated, 0.0, ctx));
        const std::vector<LightPair> wrong(1, LightPair{.dark = 0, .bright = 2});
        QVERIFY_THROWS_EXCEPTION(ArgumentError, fitResponse(wrong, stated, 0.05, ctx));
        const Image<uint16_t> a(8, 8, 3), b(8, 9, 3);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, exposureStep(a.view(), b.view()));
    }

    // ---- noise
    void noiseOfRawFramesIsFoundWithinATenth_data()
    {
        QTest::addColumn<int>("iso");
        QTest::newRow("ISO 100") << 100;
        QTest::newRow("ISO 400") << 400;
        QTest::newRow("ISO 1600") << 1600;
    }
    void noiseOfRawFramesIsFoundWithinATenth()
    {
        QFETCH(int, iso);
        const MeasuredSet set = measured(raw("noisy", {0, -4, -2, 2}, iso));
        const double steps = iso / 100.0, gain = steps / demo::kFullWell;
        const double quantised = std::exp2(-2 * demo::kSensorBits) / 12.0; // of 2^14 values, near enough to 16383 - 512
        const double read = std::pow(demo::kReadNoise * steps / demo::kFullWell, 2) + quantised;
        for (const MeasuredFrame &f : set.frames) {
            qInfo("gain %.3f of true, read noise %.3f", f.noise.gain / gain, std::sqrt(f.noise.readVariance / read));
            QVERIFY(f.noiseSource != NoiseSource::Assumed);
            QVERIFY2(std::abs(f.noise.gain / gain - 1.0) <= 0.1, qPrintable(QString::number(f.noise.gain / gain)));
            if (f.noiseSource == NoiseSource::FromPicture)
                QVERIFY(std::abs(std::sqrt(f.noise.readVariance / read) - 1.0) <= 0.1);
        }
        QCOMPARE(set.frames[0].noise, set.frames[3].noise); // one camera at one ISO
    }
    void brightFramesAloneSayThatReadNoiseIsAssumed()
    {
        // Nothing in it is dark enough for read noise to be 30 % of the variance.
        Image<float> bright = test::flat(640, 480, 0.2f, 0.3f, 0.2f);
        for (int y = 0; y < 480; ++y)
            for (int x = 0; x < 640; ++x)
                for (int c = 0; c < 3; ++c)
                    bright.row(c, y)[x] *= float(1.0 + 1.5 * (x / 64) / 10.0);
        demo::Shot shot;
        shot.seed = 5;
        demo::writeDng(path("bright.dng").toStdString(), demo::exposeMosaic(bright.view(), shot).view(), shot);
        const FramePtr frame = loadFrame(path("bright.dng").toStdString());
        const MeasuredFrame f = measured({frame}).frames[0];
        QCOMPARE(f.noiseSource, NoiseSource::GainOnly);
        QCOMPARE(f.noise.readVariance, frame->assumedNoise.readVariance);
        QVERIFY(std::abs(f.noise.gain * demo::kFullWell - 1.0) <= 0.1);
    }
    void developedFramesKeepTheAssumedNoise()
    {
        const auto frames = developed("assumed", {0, -2}, {0, -2}, 0.0);
        const MeasuredSet set = measured(frames);
        QCOMPARE(set.frames[0].noiseSource, NoiseSource::Assumed);
        QCOMPARE(set.frames[0].noise, frames[0]->assumedNoise);
    }
    void noNoiseWithoutSmoothPlaces()
    {
        QVERIFY(!estimateNoise({}));
        QVERIFY(!estimateNoise(std::vector<NoiseBlock>(500, NoiseBlock{0.2f, 1e-5f}))); // one brightness tells no line
        ThreadRunner runner;
        ExecContext ctx(runner);
        QVERIFY(noiseBlocks(Image<uint16_t>(4, 4, 3).view(), {1, 1, 1}, ctx).empty());
        QVERIFY_THROWS_EXCEPTION(ArgumentError, noiseBlocks(Image<uint16_t>(40, 40, 1).view(), {1, 1, 1}, ctx));
    }
    void sameNumbersForAnyRunner()
    {
        const auto frames = raw("runners", {0, -2}, 100);
        const auto with = [&](Runner &runner) {
            ExecContext ctx(runner);
            return measureFrames(frames, {.decode = test::decodeAtOnce, .sensor = test::lookAtOnce}, ctx);
        };
        SerialRunner serial;
        ThreadRunner threads;
        const MeasuredSet a = with(serial), b = with(threads);
        QCOMPARE(a.frames, b.frames);
        QCOMPARE(a.light, b.light);
    }
};

QTEST_GUILESS_MAIN(TestMeasure)
#include "tst_measure.moc"
