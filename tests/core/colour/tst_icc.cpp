// Our reading and writing of profiles against Little CMS's own transforms.
#include "base/errors.h"
#include "colour/icc.h"
#include "colour/transfer.h"

#include <lcms2.h>
#include <QtEndian>
#include <QTest>

#include <cmath>
#include <cstring>

using namespace yolk;

namespace {

std::vector<std::byte> saved(cmsHPROFILE profile)
{
    cmsUInt32Number size = 0;
    cmsSaveProfileToMem(profile, nullptr, &size);
    std::vector<std::byte> out(size);
    cmsSaveProfileToMem(profile, out.data(), &size);
    cmsCloseProfile(profile);
    return out;
}

} // namespace

class TestIcc : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void readsSrgbAsAssumed()
    {
        const CodeValues read = codeValuesOf(saved(cmsCreate_sRGBProfile()));
        QVERIFY(!read.assumed && assumedSrgb().assumed);
        for (size_t i = 0; i < read.curves[0].size(); i += 97)
            QVERIFY(std::abs(read.curves[0][i] - assumedSrgb().curves[0][i]) < 1e-4f); // the profile has 16-bit numbers
        for (size_t i = 0; i < 9; ++i)
            QVERIFY(std::abs(read.toRec2020.m[i] - assumedSrgb().toRec2020.m[i]) < 1e-3);
    }
    void writtenProfilesMeanWhatWeMean_data()
    {
        QTest::addColumn<OutputSpace>("space");
        QTest::newRow("srgb") << OutputSpace::Srgb;
        QTest::newRow("p3") << OutputSpace::DisplayP3;
        QTest::newRow("rec2020") << OutputSpace::Rec2020;
    }
    void writtenProfilesMeanWhatWeMean()
    {
        QFETCH(OutputSpace, space);
        const std::vector<std::byte> bytes = iccProfile(space);
        const cmsHPROFILE ours = cmsOpenProfileFromMem(bytes.data(), cmsUInt32Number(bytes.size()));
        QVERIFY(ours);
        const cmsHPROFILE lab = cmsCreateLab4Profile(nullptr);
        const cmsHTRANSFORM transform = cmsCreateTransform(ours, TYPE_RGB_DBL, lab, TYPE_Lab_DBL,
                                                           INTENT_RELATIVE_COLORIMETRIC, cmsFLAGS_NOOPTIMIZE);
        QVERIFY(transform);
        for (const Vector3 &code :
             {Vector3{1, 1, 1}, Vector3{0.5, 0.5, 0.5}, Vector3{0.9, 0.2, 0.1}, Vector3{0.1, 0.6, 0.3}}) {
            cmsCIELab got{};
            cmsDoTransform(transform, code.data(), &got, 1);
            // By our own formulas: decode, to XYZ under D65, adapt to D50, to Lab.
            const Vector3 linear{decodeSrgb(code[0]), decodeSrgb(code[1]), decodeSrgb(code[2])};
            const Vector3 xyz = bradford(kD65, kD50) * (rgbToXyz(primariesOf(space)) * linear);
            const cmsCIEXYZ d50{0.9642, 1.0, 0.8249}, colour{xyz[0], xyz[1], xyz[2]};
            cmsCIELab want{};
            cmsXYZ2Lab(&d50, &want, &colour);
            QVERIFY2(cmsDeltaE(&got, &want) < 0.3,
                     qPrintable(QString::number(cmsDeltaE(&got, &want)))); // rounding in the profile
        }
        cmsDeleteTransform(transform);
        cmsCloseProfile(lab);
        cmsCloseProfile(ours);
        QCOMPARE(qFromBigEndian<quint16>(bytes.data() + 24), quint16(2026)); // not the time of day
        const CodeValues back = codeValuesOf(bytes);
        const Matrix3 want = rgbToRgb(primariesOf(space), kRec2020);
        for (size_t i = 0; i < 9; ++i)
            QVERIFY(std::abs(back.toRec2020.m[i] - want.m[i]) < 1e-3);
    }
    void greyProfile()
    {
        cmsToneCurve *curve = cmsBuildGamma(nullptr, 2.0);
        const CodeValues read = codeValuesOf(saved(cmsCreateGrayProfile(cmsD50_xyY(), curve)));
        cmsFreeToneCurve(curve);
        QCOMPARE(read.toRec2020, Matrix3{});
        QVERIFY(std::abs(read.curves[1][2048] - 0.25f) < 1e-3f);
    }
    void refusesWhatIsNoMatrixProfile()
    {
        const std::vector<std::byte> noise(500, std::byte{7});
        QVERIFY_THROWS_EXCEPTION(ArgumentError, codeValuesOf(noise));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, codeValuesOf(saved(cmsCreateLab4Profile(nullptr))));
        std::vector<std::byte> cut = saved(cmsCreate_sRGBProfile());
        cut.resize(300);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, codeValuesOf(cut));
    }
    void linearProfile()
    {
        const CodeValues read = codeValuesOf(linearIccProfile(kRec2020, "linear"));
        QVERIFY(std::abs(read.curves[0][1024] - 1024.0f / 4095.0f) < 1e-5f);
    }
};

QTEST_GUILESS_MAIN(TestIcc)
#include "tst_icc.moc"
