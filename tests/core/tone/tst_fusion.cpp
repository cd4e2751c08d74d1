#include "base/errors.h"
#include "base/robust.h"
#include "colour/transfer.h"
#include "image/mat_p.h"
#include "support/compare.h"
#include "support/fsitm.h"
#include "support/runners.h"
#include "support/synthetic.h"
#include "support/tmqi.h"
#include "support/tone_measures.h"
#include "tone/fusion.h"
#include "tone/tone_curve.h"

#include <opencv2/photo.hpp>

#include <QTest>

#include <algorithm>
#include <array>
#include <cmath>
#include <random>

using namespace yolk;

namespace {

Image<float> fused(const std::vector<Image<float>> &pictures, const FusionWeights &weights = {})
{
    std::vector<ImageView<const float>> views;
    for (const Image<float> &p : pictures)
        views.push_back(p.view());
    SerialRunner serial;
    ExecContext ctx(serial);
    return fuseExposures(views, weights, ctx);
}

/// 8-bit pictures of one textured, coloured scene at several exposures, in code values. Nowhere are all of them grey:
/// there nothing but rounding would decide which has the higher saturation.
std::vector<Image<float>> exposures(int width, int height, const std::vector<double> &stops)
{
    std::mt19937 random(21);
    std::normal_distribution<double> grain(0.0, 0.4);
    Image<float> ev(width, height, 3);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x) {
            const double own = grain(random);
            for (int c = 0; c < 3; ++c)
                ev.row(c, y)[x] = float(6.0 * x / width - 3.0 + 0.2 * std::sin(y / 7.0) + own + 0.6 * c);
        }
    std::vector<Image<float>> out;
    for (double stop : stops) {
        Image<float> picture(width, height, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < height; ++y)
                for (int x = 0; x < width; ++x) {
                    const double code = encodeSrgb(std::min(1.0, luminanceOfEv(ev.row(c, y)[x] + stop)));
                    picture.row(c, y)[x] = float(std::lround(255.0 * code)) / 255.0f;
                }
        out.push_back(std::move(picture));
    }
    return out;
}

} // namespace

class TestFusion : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void evenPicturesByHand()
    {
        // Even pictures have neither contrast nor, when grey, saturation: with both weights off well-exposedness alone
        // counts. By hand from section 3.1: w(v) = exp(-(v - 0.5)^2 / (2 * 0.2^2)) for each of three channels.
        std::vector<Image<float>> two;
        two.push_back(test::flat(32, 16, 0.3f, 0.3f, 0.3f));
        two.push_back(test::flat(32, 16, 0.8f, 0.8f, 0.8f));
        const double a = std::exp(-3 * 0.04 / 0.08), b = std::exp(-3 * 0.09 / 0.08); // 0.223130, 0.034218
        const double want = (a * 0.3 + b * 0.8) / (a + b);                           // 0.366480
        QVERIFY(std::abs(want - 0.366480) < 1e-5);
        const Image<float> got = fused(two, {.contrast = 0, .saturation = 0});
        QVERIFY2(std::abs(double(got.row(0, 5)[5]) - want) < 1e-5, qPrintable(QString::number(got.row(0, 5)[5])));
        // With all three on nothing has any weight: all pictures count alike.
        QVERIFY(std::abs(double(fused(two).row(1, 7)[9]) - 0.55) < 1e-5);
    }
    void asOpenCv()
    {
        // Section 3.2 as OpenCV 4.6 implements it, MergeMertens, on the same 8-bit pictures.
        const std::vector<Image<float>> pictures = exposures(120, 88, {-2.0, 0.0, 2.0});
        std::vector<cv::Mat> bytes;
        for (const Image<float> &p : pictures) {
            cv::Mat planes[3] = {matOf(p, 0), matOf(p, 1), matOf(p, 2)}, rgb;
            cv::merge(planes, 3, rgb);
            cv::Mat eight;
            rgb.convertTo(eight, CV_8U, 255.0);
            bytes.push_back(eight);
        }
        cv::Mat theirs;
        cv::createMergeMertens(1.0f, 1.0f, 1.0f)->process(bytes, theirs);
        const Image<float> ours = fused(pictures);
        double worst = 0.0;
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < ours.height(); ++y)
                for (int x = 0; x < ours.width(); ++x)
                    worst = std::max(worst, std::abs(double(ours.row(c, y)[x] - theirs.at<cv::Vec3f>(y, x)[c])));
        QVERIFY2(worst < 1e-4, qPrintable(QString::number(worst))); // both in float, sums in another order
        QCOMPARE(test::firstDifference(pictures[0].view(), exposures(120, 88, {-2.0})[0].view(), 0, 0),
                 QByteArray()); // inputs are left alone
    }
    void exposuresSpanTheRange()
    {
        ToneStart start{-8.0, -3.0, 3.0, 4.0};
        start.exposure = 1.0;
        ToneSettings s{.method = ToneMethod::Blend, .exposure = 1.0};
        for (double range : {0.0, 50.0, 100.0}) {
            s.range = range;
            const std::vector<double> all = blendedExposures(s, start);
            // The darkest shows the brightest light at 0.8 of white, whatever the range.
            QVERIFY(std::abs(luminanceOfEv(start.peakEv + all.front()) - 0.8) < 1e-9);
            // By hand: at 9 the darkest light is a stop over grey, at 3 five stops under it, which is a stop over 2.
            QVERIFY(std::abs(all.back() - (3.0 + range / 100.0 * 6.0)) < 1e-9);
            for (size_t i = 1; i < all.size(); ++i)
                QVERIFY(all[i] > all[i - 1] && all[i] - all[i - 1] <= 2.0 + 1e-9);
        }
    }
    void picturesShowTheBlend()
    {
        // The grid stands for the blend of the small picture itself: where it is looked up, that blend must come out.
        constexpr int kWidth = 180, kHeight = 120, kPixels = kWidth * kHeight; // not made smaller
        const Image<float> scene = test::rampScene(kWidth, kHeight, 0.002, 10);
        const ToneStart start = toneStartOf(scene.view());
        ToneSettings settings = automaticTone(start);
        settings.method = ToneMethod::Blend;
        settings.contrast = settings.localContrast = settings.fineDetail = 0.0;
        const Image<float> shown = test::codedPlane(test::toned(scene.view(), settings, start).view());
        std::vector<Image<float>> pictures;
        for (double stop : blendedExposures(settings, start)) {
            Image<float> picture(kWidth, kHeight, 3);
            for (int c = 0; c < 3; ++c)
                for (int y = 0; y < kHeight; ++y)
                    for (int x = 0; x < kWidth; ++x)
                        picture.row(c, y)[x] =
                            float(encodeSrgb(std::clamp(double(scene.row(c, y)[x]) * std::exp2(stop), 0.0, 1.0)));
            pictures.push_back(std::move(picture));
        }
        const Image<float> blend = fused(pictures);
        // One curve, which rises, leads from that blend to what is shown: where the blend is alike, so is the picture.
        const auto coded = [&](int x, int y) {
            double light = 0.0;
            for (int c = 0; c < 3; ++c)
                light +=
                    double(kLuminance2020[size_t(c)]) * decodeSrgb(std::clamp(double(blend.row(c, y)[x]), 0.0, 1.0));
            return 255.0 * encodeSrgb(light);
        };
        std::array<std::vector<float>, 256> shownAt;
        for (int y = 0; y < kHeight; ++y)
            for (int x = 0; x < kWidth; ++x)
                shownAt[size_t(std::lround(coded(x, y)))].push_back(shown.row(0, y)[x]);
        int far = 0;
        double sum = 0.0, before = -1.0;
        for (std::vector<float> &codes : shownAt) {
            constexpr size_t kFewest = 20; // for a middle
            if (codes.empty())
                continue;
            const double middle = double(medianOf(std::vector<float>(codes)));
            for (const float code : codes) {
                const double off = std::abs(double(code) - middle);
                far += off > 6.0;
                sum += off;
            }
            if (codes.size() < kFewest)
                continue;
            QVERIFY2(middle > before - 3.0, qPrintable(QStringLiteral("%1 after %2").arg(middle).arg(before)));
            before = std::max(before, middle);
        }
        QVERIFY2(far < 0.04 * kPixels && sum / kPixels < 1.0, // cells of 3 pixels and half a stop
                 qPrintable(QStringLiteral("%1 far, mean %2").arg(far).arg(sum / kPixels)));
    }
    void roomsAreAsLightAsByTheOneCurve()
    {
        // A room of ten stops, most of it dark or most of it light: blended exposures alone have it as light either way.
        for (const double exposure : {-1.0, 0.0, 1.0}) {
            constexpr int kWidth = 180, kHeight = 120;
            const Image<float> scene = test::rampScene(kWidth, kHeight, 0.002, 10);
            const ToneStart start = toneStartOf(scene.view());
            ToneSettings settings = automaticTone(start);
            settings.exposure += exposure;
            const auto codes = [&](ToneMethod method) {
                settings.method = method;
                const Image<float> shown = test::codedPlane(test::toned(scene.view(), settings, start).view());
                std::vector<float> out;
                for (int y = 0; y < kHeight; ++y)
                    out.insert(out.end(), shown.row(0, y), shown.row(0, y) + kWidth);
                std::ranges::sort(out);
                return out;
            };
            const std::vector<float> blend = codes(ToneMethod::Blend), global = codes(ToneMethod::Global);
            const auto room = [](const std::vector<float> &sorted) {
                const size_t from = sorted.size() / 10, to = sorted.size() * 7 / 10;
                double sum = 0.0;
                for (size_t i = from; i < to; ++i)
                    sum += double(sorted[i]);
                return sum / double(to - from);
            };
            QVERIFY2(std::abs(room(blend) - room(global)) < 6.0,
                     qPrintable(QStringLiteral("%1 and %2").arg(room(blend)).arg(room(global))));
            const size_t dark = blend.size() / 100;
            QVERIFY2(blend[dark] < global[dark] + 6.0f,
                     qPrintable(QStringLiteral("%1 and %2").arg(double(blend[dark])).arg(double(global[dark]))));
            const size_t bright = blend.size() * 19 / 20;
            if (exposure < 0.0) // else the lightest exposures end at white before they are bent
                QVERIFY2(
                    blend[bright] < global[bright] + 10.0f,
                    qPrintable(QStringLiteral("%1 and %2").arg(double(blend[bright])).arg(double(global[bright]))));
        }
    }
    void toeAndShoulderAreNoneOfABlend()
    {
        // What is kept of a blend is found again by range, exposure and contrast alone.
        const Image<float> scene = test::rampScene(180, 120, 0.002, 10);
        const ToneStart start = toneStartOf(scene.view());
        ToneSettings settings = automaticTone(start);
        settings.method = ToneMethod::Blend;
        const Image<float> before = test::toned(scene.view(), settings, start);
        settings.toe = 90.0;
        settings.shoulder = 10.0;
        QCOMPARE(test::firstDifference(test::toned(scene.view(), settings, start).view(), before.view(), 0, 0),
                 QByteArray());
    }
    void anyRunnerAndBadInput()
    {
        const Image<float> scene = test::grainyScene(97, 70, 0.001, 12);
        const ToneStart start = toneStartOf(scene.view());
        ToneSettings settings = automaticTone(start);
        settings.method = ToneMethod::Blend;
        SerialRunner serial;
        test::ShuffledRunner shuffled(3);
        ThreadRunner threads;
        const auto values = [&](Runner &runner) {
            ExecContext ctx(runner);
            LightGrid grid = blendGrid(blendScene(scene.view()).view(), settings, start, ctx);
            return std::vector<float>(grid.at(0, 0, 0), grid.at(0, 0, 0) + grid.bytes() / sizeof(float));
        };
        const std::vector<float> want = values(serial);
        QCOMPARE(values(shuffled), want);
        QCOMPARE(values(threads), want);
        QVERIFY(std::ranges::all_of(want, [](float v) { return std::isfinite(v); }));
        ExecContext ctx(serial);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, fuseExposures({}, {}, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, blendGrid(Image<float>(4, 4, 1).view(), settings, start, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, blendScene(Image<float>(4, 4, 1).view()));
        std::vector<Image<float>> unlike;
        unlike.push_back(test::flat(8, 8, 1, 1, 1));
        unlike.push_back(test::flat(8, 9, 1, 1, 1));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, fused(unlike));
        Image<float> odd = test::flat(1, 1, 0, 0, 0); // one black pixel is a scene as well
        const ToneStart black = toneStartOf(odd.view());
        QVERIFY(std::isfinite(test::toned(odd.view(), settings, black).row(0, 0)[0]));
    }
    void toneQualityHasItsProperties()
    {
        const Image<float> scene = test::rampScene(256, 192, 0.01, 8);
        const Image<float> light = test::luminancePlane(scene.view());
        const ToneStart start = toneStartOf(scene.view());
        const auto of = [&](const ToneSettings &s) {
            return test::toneQuality(light.view(), test::codedPlane(test::toned(scene.view(), s, start).view()).view());
        };
        const ToneSettings good = automaticTone(start);
        ToneSettings dark = good;
        dark.exposure -= 5.0;
        ToneSettings flat = good;
        flat.contrast = -100;
        flat.localContrast = -100;
        flat.fineDetail = -100;
        QVERIFY(of(good).quality > 0.0 && of(good).quality <= 1.0);
        QVERIFY(of(good).naturalness > of(dark).naturalness); // far too dark is not natural
        QVERIFY(of(good).structure > of(flat).structure);     // what is flattened has lost its structure
        const Image<float> even = test::flat(256, 192, 100, 100, 100);
        QVERIFY(test::toneQuality(light.view(), test::luminancePlane(even.view()).view()).structure <
                of(flat).structure);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, test::toneQuality(Image<float>(64, 64, 1).view(), light.view()));
    }
    void featureSimilarityHasItsProperties()
    {
        Image<float> scene(160, 120, 3), turned(160, 120, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 120; ++y)
                for (int x = 0; x < 160; ++x) {
                    const double stops = std::sin(x / 5.0 + c) + std::cos(y / 7.0 + x / 11.0) + 4.0 * (x > 80);
                    scene.row(c, y)[x] = float(std::exp2(stops));
                    turned.row(c, y)[x] = float(100.0 - 10.0 * stops);
                }
        Image<float> squeezed(scene.shape()); // any monotone curve keeps most of the pattern of log light
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 120; ++y)
                for (int x = 0; x < 160; ++x)
                    squeezed.row(c, y)[x] = 100.0f + 10.0f * std::log2(scene.row(c, y)[x]);
        QVERIFY(test::featureSimilarity(scene.view(), squeezed.view()) > 0.9);
        QVERIFY(test::featureSimilarity(scene.view(), turned.view()) < 0.2);
        QVERIFY_THROWS_EXCEPTION(ArgumentError,
                                 test::featureSimilarity(scene.view(), Image<float>(160, 120, 1).view()));
    }
};

QTEST_GUILESS_MAIN(TestFusion)
#include "tst_fusion.moc"
