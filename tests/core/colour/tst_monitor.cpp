// Code values for monitors against Little CMS used directly, in floats and without any of its shortcuts.
#include "base/errors.h"
#include "colour/monitor.h"

#include <QTest>

#include <lcms2.h>

#include <cmath>

using namespace yolk;

namespace {

std::vector<std::byte> bytesOf(cmsHPROFILE profile)
{
    cmsUInt32Number size = 0;
    cmsSaveProfileToMem(profile, nullptr, &size);
    std::vector<std::byte> out(size);
    cmsSaveProfileToMem(profile, out.data(), &size);
    cmsCloseProfile(profile);
    return out;
}

/// A monitor as it might be measured: primaries between sRGB and P3, a white of its own, another curve in each channel.
std::vector<std::byte> curvedMonitor()
{
    const cmsCIExyY white{0.309, 0.321, 1.0};
    const cmsCIExyYTRIPLE primaries{{0.655, 0.325, 1.0}, {0.29, 0.635, 1.0}, {0.151, 0.062, 1.0}};
    constexpr double kGains[3] = {2.15, 2.25, 2.32};
    cmsToneCurve *curves[3];
    for (int c = 0; c < 3; ++c) {
        std::array<float, 256> table;
        for (size_t i = 0; i < table.size(); ++i) {
            const double t = double(i) / 255.0;
            table[i] = float(std::pow(t, kGains[c]) * 0.97 + 0.03 * t + 0.004 * std::sin(6.3 * t)); // it ripples
        }
        curves[c] = cmsBuildTabulatedToneCurveFloat(nullptr, 256, table.data());
    }
    cmsHPROFILE profile = cmsCreateRGBProfile(&white, &primaries, curves);
    cmsFreeToneCurveTriple(curves);
    return bytesOf(profile);
}

} // namespace

class TestMonitor : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void agreesWithTheLibraryInFloats_data()
    {
        QTest::addColumn<int>("from");
        QTest::addColumn<int>("monitor"); // 0 sRGB, 1 Rec. 2020, 2 curved
        for (int from = 0; from < 3; ++from)
            for (int monitor = 0; monitor < 3; ++monitor)
                QTest::addRow("space %d on monitor %d", from, monitor) << from << monitor;
    }
    void agreesWithTheLibraryInFloats()
    {
        QFETCH(int, from);
        QFETCH(int, monitor);
        const std::vector<std::byte> to = monitor == 0   ? iccProfile(OutputSpace::Srgb)
                                          : monitor == 1 ? iccProfile(OutputSpace::Rec2020)
                                                         : curvedMonitor();
        std::vector<uint16_t> chart;
        constexpr int kSteps = 16; // also between the nodes of any table
        for (int r = 0; r <= kSteps; ++r)
            for (int g = 0; g <= kSteps; ++g)
                for (int b = 0; b <= kSteps; ++b)
                    for (int v : {r, g, b})
                        chart.push_back(uint16_t(65535 * v / kSteps));
        std::vector<uint8_t> got(chart.size());
        MonitorTransform(OutputSpace(from), to).convert(chart, got);

        const std::vector<std::byte> source = iccProfile(OutputSpace(from));
        cmsHPROFILE in = cmsOpenProfileFromMem(source.data(), cmsUInt32Number(source.size()));
        cmsHPROFILE out = cmsOpenProfileFromMem(to.data(), cmsUInt32Number(to.size()));
        cmsHTRANSFORM direct = cmsCreateTransform(in, TYPE_RGB_DBL, out, TYPE_RGB_DBL, INTENT_RELATIVE_COLORIMETRIC,
                                                  cmsFLAGS_NOOPTIMIZE | cmsFLAGS_NOCACHE);
        QVERIFY(direct);
        double worst = 0.0;
        for (size_t i = 0; i < chart.size(); i += 3) {
            const double rgb[3] = {chart[i] / 65535.0, chart[i + 1] / 65535.0, chart[i + 2] / 65535.0};
            double want[3];
            cmsDoTransform(direct, rgb, want, 1);
            for (size_t c = 0; c < 3; ++c)
                worst = std::max(worst, std::abs(255.0 * std::clamp(want[c], 0.0, 1.0) - got[i + c]));
        }
        cmsDeleteTransform(direct);
        cmsCloseProfile(in);
        cmsCloseProfile(out);
        QVERIFY2(worst <= 1.0, qPrintable(QStringLiteral("off by %1 of 255").arg(worst)));
        if (from == 2 && monitor == 0)
            QVERIFY(got != std::vector<uint8_t>(got.size(), 0)); // and it is a picture
    }
    void theSameSpaceChangesNothing()
    {
        std::vector<uint16_t> ramp;
        for (int i = 0; i < 256; ++i)
            for (int c = 0; c < 3; ++c)
                ramp.push_back(uint16_t(i * 257));
        std::vector<uint8_t> got(ramp.size());
        MonitorTransform(OutputSpace::Srgb, iccProfile(OutputSpace::Srgb)).convert(ramp, got);
        for (size_t i = 0; i < got.size(); ++i)
            QVERIFY(std::abs(int(got[i]) - int(i / 3)) <= 1); // through the connection space in 16 bits
    }
    void namesTheSpaceThatHoldsTheMonitor()
    {
        QCOMPARE(MonitorProfile(iccProfile(OutputSpace::Srgb)).space(), OutputSpace::Srgb);
        QCOMPARE(MonitorProfile(iccProfile(OutputSpace::DisplayP3)).space(), OutputSpace::DisplayP3);
        QCOMPARE(MonitorProfile(iccProfile(OutputSpace::Rec2020)).space(), OutputSpace::Rec2020);
        QCOMPARE(MonitorProfile(curvedMonitor()).space(), OutputSpace::DisplayP3); // its red lies outside sRGB
        QCOMPARE(MonitorProfile(iccProfile(OutputSpace::Srgb)).name(), std::string("sRGB"));
    }
    void withoutAProfileTheMonitorTakesSrgb()
    {
        const MonitorProfile none;
        QVERIFY(!none.from(OutputSpace::Srgb));
        const MonitorTransform *wide = none.from(OutputSpace::DisplayP3);
        QVERIFY(wide && wide == none.from(OutputSpace::DisplayP3));
        const std::array<uint16_t, 3> green{0, 65535, 0}; // more than sRGB holds: cut, not folded
        std::array<uint8_t, 3> got{};
        wide->convert(green, got);
        QVERIFY(got[1] == 255 && got[0] < 10);
    }
    void refusesWhatIsNoMonitor()
    {
        const std::vector<std::byte> noise(500, std::byte(7));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, MonitorProfile{noise});
        QVERIFY_THROWS_EXCEPTION(ArgumentError, MonitorProfile(bytesOf(cmsCreateLab4Profile(nullptr))));
        std::vector<std::byte> cut = curvedMonitor();
        cut.resize(cut.size() / 3);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, MonitorProfile{cut});
    }
};

QTEST_APPLESS_MAIN(TestMonitor)
#include "tst_monitor.moc"
