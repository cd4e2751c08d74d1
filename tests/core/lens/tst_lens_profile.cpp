// What lens data say of distortion and vignetting, against the models that lensfun documents, and what becomes of it.
#include "geometry/picture_map.h"
#include "lens/lens_profile.h"
#include "lens/rim_light.h"

#include <QFile>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

constexpr int kWidth = 6000, kHeight = 4000;
constexpr double kA = 0.012, kB = -0.035, kC = 0.01; // of the "ptlens" model
constexpr double kDim1 = -0.42, kDim2 = 0.13, kDim3 = -0.05;

/// An invented lens in lensfun's own format.
constexpr const char *kLenses = R"(<lensdatabase version="1">
    <mount><name>Own</name></mount>
    <camera><maker>Simulated</maker><model>Camera One</model><mount>Own</mount><cropfactor>1</cropfactor></camera>
    <lens><maker>Simulated</maker><model>Lens 24mm</model><mount>Own</mount><cropfactor>1</cropfactor>
      <calibration>
        <distortion model="ptlens" focal="24" a="0.012" b="-0.035" c="0.01"/>
        <vignetting model="pa" focal="24" aperture="4" distance="1000" k1="-0.42" k2="0.13" k3="-0.05"/>
      </calibration></lens>
    <lens><maker>Simulated</maker><model>Plain 50mm</model><mount>Own</mount><cropfactor>1</cropfactor></lens>
    </lensdatabase>)";

} // namespace

class TestLensProfile : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    std::string file_;

private Q_SLOTS:
    void initTestCase()
    {
        QFile file(dir_.filePath(QStringLiteral("lenses.xml")));
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write(kLenses);
        file_ = file.fileName().toStdString();
    }
    void modelsAreFollowed() // formulas of lensfun's documentation, lfDistortionModel and lfVignettingModel
    {
        const LensNames names{"Camera One", "Lens 24mm", 24.0, kWidth, kHeight, 4.0};
        const LensProfilePtr lens = lensProfile(names, {}, file_);
        QVERIFY(lens);
        QCOMPARE(lens->name, std::string("Simulated Lens 24mm"));
        const double corner = std::hypot(kWidth, kHeight) / 2.0, unit = kHeight / 2.0; // 1 at half the shorter side
        const double middle = 1.0 - kA - kB - kC;
        for (double r = 0.05; r <= 1.0; r += 0.05) {
            const double h = r * corner / unit;
            const double ratio = (kA * h * h * h + kB * h * h + kC * h + middle) / middle;
            const double off = (lens->distortion.at(r) + 1.0 - ratio) * r * corner;
            QVERIFY2(std::abs(off) < 0.05, qPrintable(QString::number(off))); // pixels; at most 0.5 at the corners
            const double q = r * r;                                           // of vignetting 1 is the corner
            const double light = 1.0 + kDim1 * q + kDim2 * q * q + kDim3 * q * q * q;
            const double error = lens->vignetting.at(r) + std::log2(light);
            QVERIFY2(std::abs(error) < 0.002, qPrintable(QString::number(error))); // EV
        }
        QCOMPARE(lens->distortion.at(0.0), 0.0);
    }
    void straightLinesComeStraight() // through the map: what the lens bent lies within half a pixel of its line
    {
        const LensProfilePtr lens = lensProfile({"Camera One", "Lens 24mm", 24.0, kWidth, kHeight, 4.0}, {}, file_);
        const PictureMap map({}, kWidth, kHeight, Optics(24.0 / 36.0, lens->distortion));
        QVERIFY(!map.isIdentity());
        const double corner = std::hypot(kWidth, kHeight) / 2.0, unit = kHeight / 2.0, middle = 1.0 - kA - kB - kC;
        for (double x = -2900; x <= 2900; x += 290)
            for (double y = -1900; y <= 1900; y += 190) {
                const double h = std::hypot(x, y) / unit;
                const double ratio = (kA * h * h * h + kB * h * h + kC * h + middle) / middle;
                const Point seen = map.toReference({0.5 * kWidth + x, 0.5 * kHeight + y});
                QVERIFY(std::hypot(seen.x - 0.5 * kWidth - x * ratio, seen.y - 0.5 * kHeight - y * ratio) < 0.1);
                const Point back = map.toPicture(seen);
                QVERIFY(std::hypot(back.x - 0.5 * kWidth - x, back.y - 0.5 * kHeight - y) < 1e-6);
            }
        QVERIFY(corner > unit);
    }
    void whatIsNotListedIsNotThere()
    {
        QVERIFY(!lensProfile({"Camera One", "", 24.0, kWidth, kHeight}, {}, file_));
        QVERIFY(!lensProfile({"Camera One", "Pinhole", 24.0, kWidth, kHeight}, {}, file_));
        QVERIFY(!lensProfile({"Camera One", "Lens 24mm", 24.0, kWidth, kHeight}, {}, file_ + ".none"));
        const LensProfilePtr plain = lensProfile({"", "", 50.0, kWidth, kHeight}, "Simulated Plain 50mm", file_);
        QVERIFY(plain && plain->distortion.isZero() && plain->vignetting.isZero());
        const std::vector<std::string> names = listedLenses(file_);
        QCOMPARE(names, (std::vector<std::string>{"Simulated Lens 24mm", "Simulated Plain 50mm"}));
        QVERIFY(listedLenses().size() > 500); // those that come with the library
    }
    void lightComesBackToTheRim()
    {
        RadialCurve ev;
        ev.terms[2] = 0.5;
        ev.terms[4] = 0.25;
        const RimLight rim(ev, 300, 200);
        std::vector<float> r(300, 1.0f), g(300, 2.0f), b(300, 3.0f);
        float *const rgb[3] = {r.data(), g.data(), b.data()};
        rim.apply(rgb, 300, 0.5 / 300, 1.0 / 300, 0.5 / 200);
        for (int x = 0; x < 300; ++x) {
            const double q = (std::pow(x + 0.5 - 150.0, 2) + std::pow(99.5, 2)) / (150.0 * 150.0 + 100.0 * 100.0);
            const double gain = std::exp2(0.5 * q + 0.25 * q * q);
            QVERIFY(std::abs(r[size_t(x)] / gain - 1.0) < 1e-4);
            QVERIFY(std::abs(b[size_t(x)] / r[size_t(x)] - 3.0f) < 1e-5f); // hue stays
        }
        QVERIFY(std::abs(rim.at(0.0, 0.0) - std::exp2(0.75)) < 1e-4);
        QVERIFY(RimLight({}, 300, 200).isNone());
    }
};

QTEST_GUILESS_MAIN(TestLensProfile)
#include "tst_lens_profile.moc"
