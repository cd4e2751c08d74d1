#include "render/stages/light_code.h"
#include "support/runners.h"

#include <QTest>

#include <cmath>
#include <limits>

using namespace yolk;

namespace {

constexpr Vector3 kWeights{0.25, 0.65, 0.10};
constexpr double kKnee = 0.3;

struct Coded {
    Image<float> pixels;
    Coded(std::initializer_list<std::array<float, 3>> light) : pixels(int(light.size()), 1, 3)
    {
        int x = 0;
        for (const auto &rgb : light) {
            for (int c = 0; c < 3; ++c)
                pixels.row(c, 0)[x] = rgb[size_t(c)];
            ++x;
        }
        float *const rows[] = {pixels.row(0, 0), pixels.row(1, 0), pixels.row(2, 0)};
        LightCode(kWeights, kKnee).code(rows, 3, x, rows);
    }
    double luminance(int x) const
    {
        double sum = 0.0;
        for (int c = 0; c < 3; ++c)
            sum += kWeights[size_t(c)] * double(pixels.row(c, 0)[x]);
        return sum;
    }
    void decode()
    {
        SerialRunner serial;
        ExecContext ctx(serial);
        LightCode(kWeights, kKnee).decode(pixels.view(), ctx);
    }
};

} // namespace

class TestLightCode : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void isTheLogarithmAndBack()
    {
        for (int stop = -24; stop <= 16; ++stop)
            for (float part : {1.0f, 1.37f}) {
                const float light = std::ldexp(part, stop);
                Coded coded{{light, 0.5f * light, 2.0f * light}};
                const double luminance = double(light) * (0.25 + 0.5 * 0.65 + 0.2);
                const double wanted = kKnee * std::log1p(luminance / kKnee); // the standard library's
                QVERIFY2(std::abs(coded.luminance(0) / wanted - 1.0) < 1e-5, qPrintable(QString::number(stop)));
                coded.decode();
                for (int c = 0; c < 3; ++c) {
                    const double back = double(coded.pixels.row(c, 0)[0]), was = double(light) * (c == 1   ? 0.5
                                                                                                  : c == 2 ? 2.0
                                                                                                           : 1.0);
                    QVERIFY2(std::abs(back / was - 1.0) < 3e-5, qPrintable(QStringLiteral("%1 %2").arg(stop).arg(c)));
                }
            }
    }
    void darknessAndNaNPass()
    {
        const float nan = std::numeric_limits<float>::quiet_NaN();
        Coded coded{{-0.5f, 0.0f, 0.0f}, {0.0f, 0.0f, 0.0f}, {nan, 1.0f, 1.0f}, {-0.1f, 1.0f, 0.0f}};
        QCOMPARE(coded.pixels.row(0, 0)[0], -0.5f);
        QCOMPARE(coded.pixels.row(1, 0)[1], 0.0f);
        QVERIFY(std::isnan(coded.pixels.row(0, 0)[2]));
        coded.decode();
        QCOMPARE(coded.pixels.row(0, 0)[0], -0.5f);
        QVERIFY(std::abs(coded.pixels.row(0, 0)[3] + 0.1f) < 1e-5f &&
                std::abs(coded.pixels.row(1, 0)[3] - 1.0f) < 1e-4f);
    }
    void furtherPlanesAreScaledAlike()
    {
        float planes[4][2] = {{0.2f, 8.0f}, {0.4f, 8.0f}, {0.1f, 8.0f}, {3.0f, 4.0f}};
        float *const rows[] = {planes[0], planes[1], planes[2], planes[3]};
        LightCode(kWeights, kKnee).code(rows, 4, 2, rows);
        QVERIFY(std::abs(planes[3][0] / 3.0f - planes[0][0] / 0.2f) < 1e-6f);
        QVERIFY(std::abs(planes[3][1] / 4.0f - planes[2][1] / 8.0f) < 1e-6f);
    }
};

QTEST_GUILESS_MAIN(TestLightCode)
#include "tst_light_code.moc"
