#include "image/resample.h"
#include "support/compare.h"
#include "support/runners.h"
#include "support/synthetic.h"

#include <QTest>

#include <cmath>
#include <limits>

using namespace yolk;

namespace {

/// z = a + bx x + by y at pixel centres: any filter with symmetric taps gives it back away from the edges.
Image<float> plane(int width, int height, double bx, double by)
{
    Image<float> out(width, height, 1);
    for (int y = 0; y < height; ++y)
        for (int x = 0; x < width; ++x)
            out.row(0, y)[x] = float(3.0 + bx * (x + 0.5) + by * (y + 0.5));
    return out;
}

} // namespace

class TestResample : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void imagesAreZeroedAndAligned()
    {
        Image<float> image(33, 5, 3);
        for (int p = 0; p < 3; ++p)
            for (int y = 0; y < 5; ++y) {
                QCOMPARE(reinterpret_cast<uintptr_t>(image.row(p, y)) % 64, uintptr_t(0));
                for (int x = 0; x < 33; ++x)
                    QCOMPARE(image.row(p, y)[x], 0.0f);
            }
        image.row(2, 4)[32] = 7.0f;
        Image<float> other = std::move(image);
        QCOMPARE(other.row(2, 4)[32], 7.0f);
        QVERIFY(image.shape().empty());
        QCOMPARE(other.view().crop({32, 4, 33, 5}).row(2, 0)[0], 7.0f);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, Image<float>(-1, 2, 3));
    }
    void sameSizeIsTheSame()
    {
        const Image<float> in = test::rampScene(65, 67, 0.1, 5);
        SerialRunner serial;
        ExecContext ctx(serial);
        const Image<float> out = resample(in.view(), {0, 0, 65, 67}, 65, 67, ctx);
        const QByteArray diff = test::firstDifference(out.view(), in.view(), 0.0, 0.0);
        QVERIFY2(diff.isEmpty(), diff);
    }
    void planesStayPlanes_data()
    {
        QTest::addColumn<int>("width");
        QTest::addColumn<int>("height");
        QTest::newRow("half") << 60 << 70;
        QTest::newRow("odd") << 37 << 91;
        QTest::newRow("seventh") << 17 << 20;
        QTest::newRow("larger") << 300 << 200;
    }
    void planesStayPlanes()
    {
        QFETCH(int, width);
        QFETCH(int, height);
        const Image<float> in = plane(120, 140, 0.25, -0.5);
        SerialRunner serial;
        ExecContext ctx(serial);
        const Image<float> out = resample(in.view(), {0, 0, 120, 140}, width, height, ctx);
        for (int y = 1; y < height - 1; ++y)
            for (int x = 1; x < width - 1; ++x) {
                const double sx = (x + 0.5) * 120.0 / width, sy = (y + 0.5) * 140.0 / height;
                const double reach = std::max({1.0, 120.0 / width, 140.0 / height});
                if (sx < reach + 0.5 || sy < reach + 0.5 || sx > 119.5 - reach || sy > 139.5 - reach)
                    continue; // the filter meets the edge
                const double want = 3.0 + 0.25 * sx - 0.5 * sy;
                // The taps of a triangle are not exactly symmetric about a centre that lies between samples.
                QVERIFY2(std::abs(out.row(0, y)[x] - want) <= 0.13,
                         qPrintable(QString::number(out.row(0, y)[x] - want)));
            }
    }
    void meanIsKept()
    {
        const Image<float> in = test::rampScene(256, 128, 0.01, 8);
        SerialRunner serial;
        ExecContext ctx(serial);
        const Image<float> out = resample(in.view(), {0, 0, 256, 128}, 64, 32, ctx);
        const auto mean = [](const Image<float> &i) {
            double sum = 0.0;
            for (int y = 0; y < i.height(); ++y)
                for (int x = 0; x < i.width(); ++x)
                    sum += double(i.row(1, y)[x]);
            return sum / double(i.shape().pixels());
        };
        QVERIFY(std::abs(mean(out) / mean(in) - 1.0) <= 0.02); // the edges weigh a little differently
    }
    void sameBitsForAnyRunner()
    {
        const Image<float> in = test::rampScene(130, 300, 0.01, 8);
        SerialRunner serial;
        test::ShuffledRunner shuffled(7);
        ThreadRunner threads;
        ExecContext ctx(serial);
        const Image<float> want = resample(in.view(), {3.5, 2, 120, 290}, 77, 211, ctx);
        for (Runner *runner : std::initializer_list<Runner *>{&shuffled, &threads}) {
            ExecContext other(*runner);
            const Image<float> got = resample(in.view(), {3.5, 2, 120, 290}, 77, 211, other);
            QCOMPARE(test::firstDifference(got.view(), want.view(), 0.0, 0.0), QByteArray());
        }
    }
    void edgesAndBadInput()
    {
        SerialRunner serial;
        ExecContext ctx(serial);
        const Image<float> one = test::flat(1, 1, 2, 3, 4);
        const Image<float> out = resample(one.view(), {0, 0, 1, 1}, 5, 3, ctx);
        QCOMPARE(out.row(2, 2)[4], 4.0f);
        Image<float> hole = test::flat(16, 16, 1, 1, 1);
        hole.row(0, 8)[8] = std::numeric_limits<float>::quiet_NaN();
        const Image<float> small = resample(hole.view(), {0, 0, 16, 16}, 4, 4, ctx);
        QVERIFY(std::isnan(small.row(0, 2)[2]) && small.row(0, 0)[0] == 1.0f && small.row(1, 2)[2] == 1.0f);
        QVERIFY_THROWS_EXCEPTION(ArgumentError, resample(one.view(), {0, 0, 0, 1}, 5, 3, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, resample(one.view(), {0, 0, 1, 1}, 0, 3, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, resample(Image<float>().view(), {0, 0, 1, 1}, 1, 3, ctx));
    }
};

QTEST_GUILESS_MAIN(TestResample)
#include "tst_resample.moc"
