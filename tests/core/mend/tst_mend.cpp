// Mending against truth that is known: smooth light, textures, things that go on behind a spot.
#include "mend/membrane.h"
#include "mend/mend.h"
#include "support/compare.h"
#include "support/drawn.h"

#include <QTest>

#include <algorithm>
#include <cmath>
#include <functional>
#include <limits>
#include <random>

using namespace yolk;

namespace {

using test::drawn;

/// Darker by a share round a place, as dust makes it.
Image<float> dusty(const Image<float> &clean, const Point &at, double radius, double depth)
{
    return drawn(clean.width(), clean.height(), [&](int c, int x, int y) {
        const double t = std::clamp(1.5 - 1.5 * std::hypot(x + 0.5 - at.x, y + 0.5 - at.y) / radius, 0.0, 1.0);
        return float(double(clean.row(c, y)[x]) * (1.0 - depth * t));
    });
}

struct Picture {
    explicit Picture(Image<float> of) : light(std::move(of)), clipped(light.width(), light.height(), 1) {}
    Image<float> light;
    Image<uint8_t> clipped;
    MendedLight view() const { return {light.view(), clipped.view()}; }
};

/// The picture with the patch over it.
Image<float> mendedPicture(const Picture &picture, const MendStroke &stroke)
{
    MendedLight out = picture.view();
    out.add(std::make_shared<MendPatch>(mended(picture.view(), stroke)));
    return out.light({0, 0, picture.light.width(), picture.light.height()});
}

/// By the best place that is found.
Image<float> mendedByItself(const Picture &picture, MendStroke stroke)
{
    const std::vector<Point> sources = mendSources(picture.view(), stroke, 4);
    if (sources.empty())
        return {};
    stroke.source = sources.front();
    return mendedPicture(picture, stroke);
}

/// Of shares of the truth, within a radius.
double psnrWithin(const Image<float> &got, const Image<float> &truth, const Point &at, double radius)
{
    double sum = 0.0, count = 0.0;
    for (int c = 0; c < 3; ++c)
        for (int y = 0; y < truth.height(); ++y)
            for (int x = 0; x < truth.width(); ++x)
                if (std::hypot(x + 0.5 - at.x, y + 0.5 - at.y) < radius) {
                    sum += std::pow(double(got.row(c, y)[x]) / double(truth.row(c, y)[x]) - 1.0, 2.0);
                    ++count;
                }
    return -10.0 * std::log10(sum / count + 1e-12);
}

/// Mean and deviation of log2 of green within a radius.
std::pair<double, double> stopsWithin(const Image<float> &of, const Point &at, double inner, double outer)
{
    double sum = 0.0, squares = 0.0, count = 0.0;
    for (int y = 0; y < of.height(); ++y)
        for (int x = 0; x < of.width(); ++x) {
            const double d = std::hypot(x + 0.5 - at.x, y + 0.5 - at.y);
            if (d < inner || d >= outer)
                continue;
            const double stop = std::log2(double(of.row(1, y)[x]));
            sum += stop;
            squares += stop * stop;
            ++count;
        }
    const double mean = sum / count;
    return {mean, std::sqrt(std::max(0.0, squares / count - mean * mean))};
}

Image<float> sky(int width, int height)
{
    return drawn(width, height, [=](int c, int x, int y) {
        return float(0.3 * std::exp2(1.5 * y / height + 0.4 * x / width) * (1.0 + 0.15 * c));
    });
}

/// Grain as large as `size` pixels, of half a stop.
Image<float> textured(int width, int height, double size, unsigned seed)
{
    std::mt19937 random(seed);
    std::normal_distribution<float> normal(0.0f, 0.35f);
    Image<float> coarse(int(width / size) + 3, int(height / size) + 3, 1);
    for (int y = 0; y < coarse.height(); ++y)
        for (int x = 0; x < coarse.width(); ++x)
            coarse.row(0, y)[x] = normal(random);
    return drawn(width, height, [&](int, int x, int y) {
        const double u = x / size, v = y / size;
        const int left = int(u), top = int(v);
        const double across = u - left, down = v - top;
        const float *first = coarse.row(0, top) + left, *second = coarse.row(0, top + 1) + left;
        const double stop = double(first[0]) * (1 - across) * (1 - down) + double(first[1]) * across * (1 - down) +
                            double(second[0]) * (1 - across) * down + double(second[1]) * across * down;
        return float(0.2 * std::exp2(stop));
    });
}

} // namespace

class TestMend : public QObject {
    Q_OBJECT

private Q_SLOTS:
    void membranesAreHarmonic_data()
    {
        QTest::addColumn<int>("width");
        QTest::addColumn<int>("height");
        QTest::newRow("1x1") << 1 << 1;
        QTest::newRow("flat") << 200 << 3;
        QTest::newRow("odd") << 97 << 61;
        QTest::newRow("large") << 400 << 300;
    }
    void membranesAreHarmonic()
    {
        // A plane and a saddle are harmonic: known on the rim, they come back.
        QFETCH(int, width);
        QFETCH(int, height);
        for (const bool saddle : {false, true}) {
            const auto value = [&](int x, int y) {
                const double u = (x + 0.5) / width, v = (y + 0.5) / height * height / width;
                return float(saddle ? u * u - v * v : 0.3 + u - 0.5 * v);
            };
            Image<float> values(width, height, 1);
            Image<uint8_t> known(width, height, 1);
            for (int y = 0; y < height; ++y)
                for (int x = 0; x < width; ++x) {
                    known.row(0, y)[x] = x == 0 || y == 0 || x == width - 1 || y == height - 1;
                    values.row(0, y)[x] = known.row(0, y)[x] ? value(x, y) : std::nanf("");
                }
            fillSmoothly(values.view(), known.view());
            for (int y = 0; y < height; ++y)
                for (int x = 0; x < width; ++x)
                    QVERIFY2(std::abs(values.row(0, y)[x] - value(x, y)) <= 0.01f, // of a range of about one
                             qPrintable(QString("%1 %2: %3").arg(x).arg(y).arg(values.row(0, y)[x] - value(x, y))));
        }
        Image<float> nothing(7, 5, 1);
        nothing.row(0, 2)[3] = 4.0f;
        fillSmoothly(nothing.view(), Image<uint8_t>(7, 5, 1).view());
        QCOMPARE(nothing.row(0, 2)[3], 0.0f);
    }
    void dustOnSmoothLightIsGone()
    {
        for (const double radius : {3.0, 8.0, 25.0}) {
            const Image<float> clean = sky(400, 300);
            const Point at{190.0, 140.0};
            const Picture picture(dusty(clean, at, radius, 0.3));
            const Image<float> got = mendedByItself(picture, {{at}, 1.4 * radius + 1.0});
            QVERIFY(psnrWithin(picture.light, clean, at, radius) < 25.0);
            const double psnr = psnrWithin(got, clean, at, radius);
            QVERIFY2(psnr >= 40.0, qPrintable(QString("%1: %2 dB").arg(radius).arg(psnr)));
        }
    }
    void texturesGoOn_data()
    {
        QTest::addColumn<double>("size");
        for (const double size : {1.0, 2.0, 4.0, 7.0})
            QTest::newRow(qPrintable(QString::number(size))) << size;
    }
    void texturesGoOn()
    {
        // In the mean of many places: as much contrast, and as much between neighbours, as round about.
        QFETCH(double, size);
        double inside = 0.0, outside = 0.0, steps = 0.0, usual = 0.0;
        for (unsigned seed = 1; seed <= 12; ++seed) {
            const Image<float> clean = textured(360, 300, size, seed);
            const Point at{180.0, 150.0};
            const Image<float> got = mendedByItself(Picture(dusty(clean, at, 16.0, 0.6)), {{at}, 20.0});
            inside += std::pow(stopsWithin(got, at, 0.0, 16.0).second, 2.0);
            for (const double x : {60.0, 120.0, 240.0, 300.0}) // pieces as large as the spot
                for (const double y : {60.0, 240.0})
                    outside += std::pow(stopsWithin(clean, {x, y}, 0.0, 16.0).second, 2.0) / 8.0;
            for (int y = 0; y < 300; ++y)
                for (int x = 0; x + 1 < 360; ++x) {
                    const double d = std::hypot(x - at.x, y - at.y);
                    const double step =
                        std::pow(std::log2(double(got.row(1, y)[x + 1]) / double(got.row(1, y)[x])), 2.0);
                    if (d < 21.0) // the seam is among them
                        steps += step / (M_PI * 21.0 * 21.0);
                    else if (d < 120.0)
                        usual += step / (M_PI * (120.0 * 120.0 - 21.0 * 21.0));
                }
        }
        // So many grains lie in the twelve spots: two deviations of a variance of as many numbers.
        const double chance = 2.0 * std::sqrt(2.0 / (12.0 * M_PI * 16.0 * 16.0 / (size * size)));
        QVERIFY2(std::abs(inside / outside - 1.0) < 0.1 + chance, qPrintable(QString::number(inside / outside)));
        QVERIFY2(std::abs(steps / usual - 1.0) < 0.1, qPrintable(QString::number(steps / usual)));
    }
    void woven_data() { texturesGoOn_data(); }
    void woven()
    {
        // Along a stroke: as much contrast as round about, and as much between neighbours.
        QFETCH(double, size);
        double inside = 0.0, outside = 0.0, steps = 0.0, usual = 0.0, count = 0.0, usualCount = 0.0;
        for (unsigned seed = 1; seed <= 6; ++seed) {
            const Image<float> clean = textured(360, 240, size, seed);
            std::vector<Point> line;
            for (int i = 0; i <= 20; ++i)
                line.push_back({80.0 + 10.0 * i, 120.0 + 12.0 * std::sin(0.4 * i)});
            const auto distance = [&](int x, int y) {
                double out = 1e9;
                for (const Point &p : line)
                    out = std::min(out, std::hypot(x + 0.5 - p.x, y + 0.5 - p.y));
                return out;
            };
            const Picture picture(drawn(
                360, 240, [&](int c, int x, int y) { return distance(x, y) < 9.0 ? 0.01f : clean.row(c, y)[x]; }));
            const MendStroke stroke{.points = line, .radius = 12.0, .way = MendWay::Woven};
            const Image<float> got = mendedPicture(picture, stroke);
            const auto stop = [](const Image<float> &of, int x, int y) { return std::log2(double(of.row(1, y)[x])); };
            double mean = 0.0, n = 0.0;
            for (int y = 0; y < 240; ++y)
                for (int x = 0; x + 1 < 360; ++x) {
                    const double d = distance(x, y), step = std::pow(stop(got, x + 1, y) - stop(got, x, y), 2.0);
                    if (d < 12.0) {
                        steps += step;
                        inside += std::pow(stop(got, x, y) - std::log2(0.2), 2.0);
                        mean += stop(got, x, y);
                        ++count, ++n;
                    } else {
                        usual += step;
                        outside += std::pow(stop(got, x, y) - std::log2(0.2), 2.0);
                        ++usualCount;
                    }
                }
            QVERIFY(std::abs(mean / n - std::log2(0.2)) < 0.2); // nothing of the dark thing is left
        }
        const double contrast = inside / count / (outside / usualCount), grain = steps / count / (usual / usualCount);
        const double chance = 2.0 * std::sqrt(2.0 / (count / (size * size)));
        QVERIFY2(std::abs(contrast - 1.0) < 0.1 + chance, qPrintable(QString::number(contrast)));
        QVERIFY2(std::abs(grain - 1.0) < 0.1, qPrintable(QString::number(grain)));
    }
    void weavesGoOnWithStructure()
    {
        // Stripes behind a stroke across them: pieces continue them, where a single shifted one need not.
        const auto stripes = [](int, int x, int y) { return int(0.2 * x + 0.1 * y) % 4 < 2 ? 0.1f : 0.4f; };
        const Image<float> clean = drawn(300, 200, stripes);
        std::vector<Point> line;
        for (int i = 0; i <= 16; ++i)
            line.push_back({70.0 + 10.0 * i, 100.0});
        const Picture picture(drawn(300, 200, [&](int c, int x, int y) {
            return std::abs(y - 100) < 8 && x > 62 && x < 238 ? 0.9f : stripes(c, x, y);
        }));
        MendStroke stroke{.points = line, .radius = 11.0, .way = MendWay::Woven};
        const Image<float> got = mendedPicture(picture, stroke);
        double off = 0.0, count = 0.0;
        for (int y = 90; y < 110; ++y)
            for (int x = 70; x < 230; ++x) {
                off += std::abs(std::log2(double(got.row(1, y)[x]) / double(clean.row(1, y)[x]))) > 0.5;
                ++count;
            }
        QVERIFY2(off / count < 0.03, qPrintable(QString::number(off / count)));
        // The same bits again; other weaves are others.
        QCOMPARE(test::firstDifference(mendedPicture(picture, stroke).view(), got.view(), 0.0, 0.0), QByteArray());
        const Picture grain(textured(200, 160, 3.0, 9));
        const MendStroke first{.points = {{100.0, 80.0}}, .radius = 14.0, .way = MendWay::Woven};
        MendStroke second = first;
        second.weave = 3;
        const Image<float> once = mendedPicture(grain, first);
        QVERIFY(!test::firstDifference(once.view(), mendedPicture(grain, second).view(), 0.0, 0.0).isEmpty());
        // Beyond its radius a stroke changes nothing; where there is nothing to take from light goes on smoothly.
        for (int y = 0; y < 160; ++y)
            for (int x = 0; x < 200; ++x)
                if (std::hypot(x + 0.5 - 100.0, y + 0.5 - 80.0) > 14.0)
                    QCOMPARE(once.row(1, y)[x], grain.light.row(1, y)[x]);
        const Picture small(dusty(sky(24, 18), {12.0, 9.0}, 5.0, 0.5));
        const Image<float> smooth =
            mendedPicture(small, {.points = {{12.0, 9.0}}, .radius = 7.0, .way = MendWay::Woven});
        QVERIFY(std::abs(smooth.row(1, 9)[12] / sky(24, 18).row(1, 9)[12] - 1.0f) < 0.1f);
        const MendPatch edge = mended(grain.view(), {.points = {{0.0, 0.0}}, .radius = 20.0, .way = MendWay::Woven});
        for (int y = 0; y < edge.area.height(); ++y)
            for (int x = 0; x < edge.area.width(); ++x)
                QVERIFY(std::isfinite(edge.light.row(1, y)[x]));
    }
    void linesGoOnBehindASpot()
    {
        // A slanted edge and a stripe: mended from farther along them.
        const Image<float> clean = drawn(400, 300, [](int, int x, int y) {
            const double across = 0.8 * x - 0.6 * (y - 60);
            return across > 110.0 && across < 124.0 ? 0.05f : across > 110.0 ? 0.5f : 0.2f;
        });
        const Point at{200.0, 120.0};
        const Picture picture(dusty(clean, at, 14.0, 0.7));
        const Image<float> got = mendedByItself(picture, {{at}, 18.0});
        const double psnr = psnrWithin(got, clean, at, 18.0), before = psnrWithin(picture.light, clean, at, 18.0);
        QVERIFY2(psnr > 20.0 && psnr > before + 9.0, qPrintable(QString("%1, before %2").arg(psnr).arg(before)));
    }
    void nothingElseIsBroughtAlong()
    {
        // Round the spot lie others: none of the places that are offered holds one.
        Image<float> light = sky(500, 400);
        const Point at{250.0, 200.0};
        std::vector<Point> others;
        for (int i = 0; i < 10; ++i)
            others.push_back({250.0 + 45.0 * std::cos(0.628 * i), 200.0 + 45.0 * std::sin(0.628 * i)});
        light = dusty(light, at, 10.0, 0.4);
        for (const Point &p : others)
            light = dusty(light, p, 9.0, 0.4);
        const Picture picture(std::move(light));
        const std::vector<Point> sources = mendSources(picture.view(), {{at}, 14.0}, 6);
        QVERIFY(sources.size() >= 3);
        for (size_t i = 0; i < 3; ++i)
            for (const Point &p : others)
                QVERIFY(std::hypot(at.x + sources[i].x - p.x, at.y + sources[i].y - p.y) > 14.0);
        for (const Point &s : sources) {
            QVERIFY(std::hypot(s.x, s.y) >= 28.0); // beside what is mended
            QVERIFY(at.x + s.x >= 14.0 && at.y + s.y >= 14.0 && at.x + s.x <= 486.0 && at.y + s.y <= 386.0);
        }
    }
    void waysFeatherAndStrength()
    {
        const Image<float> clean = drawn(200, 100, [](int, int x, int) { return x < 100 ? 0.1f : 0.4f; }); // two lights
        const Picture picture(dusty(clean, {50.0, 50.0}, 10.0, 0.5));
        MendStroke stroke{{{50.0, 50.0}}, 14.0, {90.0, 0.0}};
        const Image<float> fitted = mendedPicture(picture, stroke);
        QVERIFY(std::abs(fitted.row(1, 50)[50] - 0.1f) < 0.002f); // under the light of the place
        stroke.way = MendWay::Copy;
        QCOMPARE(mendedPicture(picture, stroke).row(1, 50)[50], 0.4f);
        stroke.strength = 0.5;
        QVERIFY(std::abs(mendedPicture(picture, stroke).row(1, 50)[50] - 0.5f * (0.4f + picture.light.row(1, 50)[50])) <
                1e-6f);
        stroke.strength = 1.0;
        const auto rim = [&](double feather) {
            stroke.feather = feather;
            const Image<float> got = mendedPicture(picture, stroke);
            return got.row(1, 50)[50 + 11] - 0.1f; // three pixels inside the rim
        };
        QVERIFY(rim(0.0) > 0.29f && rim(0.5) < 0.25f && rim(0.5) > 0.05f);
        // Beyond its radius a stroke changes nothing.
        stroke.feather = 0.3;
        const Image<float> got = mendedPicture(picture, stroke);
        for (int y = 0; y < 100; ++y)
            for (int x = 0; x < 200; ++x)
                if (std::hypot(x + 0.5 - 50.0, y + 0.5 - 50.0) > 14.0)
                    QCOMPARE(got.row(1, y)[x], picture.light.row(1, y)[x]);
    }
    void sourcesAreTurned()
    {
        // Stripes along y are mended from stripes along x, turned by a quarter.
        const Image<float> stripes =
            drawn(300, 120, [](int, int x, int y) { return ((x < 150 ? x : y) / 5) % 2 ? 0.2f : 0.4f; });
        const Picture picture(dusty(stripes, {60.0, 60.0}, 8.0, 0.9));
        MendStroke stroke{{{60.0, 60.0}}, 12.0, {160.0, 0.0}, M_PI / 2.0, MendWay::Copy};
        const Image<float> got = mendedPicture(picture, stroke);
        double along = 0.0, across = 0.0;
        for (int y = 54; y < 66; ++y)
            for (int x = 54; x < 66; ++x) {
                along += std::abs(got.row(1, y + 1)[x] - got.row(1, y)[x]);
                across += std::abs(got.row(1, y)[x + 1] - got.row(1, y)[x]);
            }
        QVERIFY(across > 5.0 * along);
    }
    void branchesGoFromSkies()
    {
        const Image<float> clean = sky(600, 400);
        std::vector<Point> line;
        for (int i = 0; i <= 40; ++i)
            line.push_back({120.0 + 8.0 * i, 200.0 + 30.0 * std::sin(0.15 * i)});
        const auto distance = [&](int x, int y) {
            double out = 1e9;
            for (const Point &p : line)
                out = std::min(out, std::hypot(x + 0.5 - p.x, y + 0.5 - p.y));
            return out;
        };
        const Picture picture(
            drawn(600, 400, [&](int c, int x, int y) { return distance(x, y) < 6.0 ? 0.02f : clean.row(c, y)[x]; }));
        const Image<float> got = mendedByItself(picture, {line, 12.0});
        for (int y = 0; y < 400; ++y)
            for (int x = 0; x < 600; ++x)
                QVERIFY(std::abs(double(got.row(1, y)[x]) / double(clean.row(1, y)[x]) - 1.0) < 0.03);
    }
    void bordersAndBadLight()
    {
        const Picture picture(sky(60, 40));
        // Beside the picture nothing is mended; on its edge what lies within.
        QVERIFY(mended(picture.view(), {{{-50.0, 10.0}}, 8.0, {70.0, 0.0}}).area.empty());
        const MendPatch corner = mended(picture.view(), {{{0.0, 0.0}}, 8.0, {30.0, 20.0}});
        QCOMPARE(corner.area, (Rect{0, 0, 9, 9}));
        for (int y = 0; y < 9; ++y)
            for (int x = 0; x < 9; ++x)
                QVERIFY(std::isfinite(corner.light.row(1, y)[x]) && corner.light.row(1, y)[x] > 0.2f);
        // From beyond the edge its last pixels come.
        QVERIFY(std::isfinite(mended(picture.view(), {{{30.0, 20.0}}, 8.0, {500.0, 0.0}}).light.row(1, 8)[8]));
        // Where a picture is too small there is no place to take from.
        QVERIFY(mendSources(Picture(sky(20, 20)).view(), {{{10.0, 10.0}}, 9.0}, 4).empty());
        QVERIFY(mendSources(Picture(sky(1, 1)).view(), {{{0.5, 0.5}}, 1.0}, 4).empty());
        // Negative and NaN light leaves the rest finite.
        Picture bad(sky(120, 90));
        bad.light.row(1, 40)[60] = std::numeric_limits<float>::quiet_NaN();
        bad.light.row(1, 42)[61] = -1.0f;
        const std::vector<Point> sources = mendSources(bad.view(), {{{60.0, 42.0}}, 8.0}, 4);
        QVERIFY(!sources.empty());
        const MendPatch patch = mended(bad.view(), {{{60.0, 42.0}}, 8.0, sources.front()});
        for (int y = 4; y < patch.area.height() - 4; ++y)
            for (int x = 4; x < patch.area.width() - 4; ++x)
                QVERIFY(std::isfinite(patch.light.row(1, y)[x]));
    }
    void laterOnesSeeEarlierOnes()
    {
        const Picture picture(sky(100, 80));
        MendedLight light = picture.view();
        const auto first = std::make_shared<MendPatch>(
            MendPatch{{10, 10, 20, 20}, Image<float>(10, 10, 3), Image<uint8_t>(10, 10, 1)});
        for (int y = 0; y < 10; ++y) {
            std::fill_n(first->light.row(1, y), 10, 7.0f);
            std::fill_n(first->clipped.row(0, y), 10, uint8_t(9));
        }
        light.add(first);
        MendStroke stroke{{{60.0, 40.0}}, 4.0, {-45.0, -25.0}};
        stroke.way = MendWay::Copy;
        const MendPatch second = mended(light, stroke);
        QCOMPARE(second.light.row(1, 4)[4], 7.0f);
        QCOMPARE(second.clipped.row(0, 4)[4], uint8_t(9));
        const MendPatches patches{first};
        QVERIFY(isMended(patches, 10, 0, 11) && !isMended(patches, 10, 0, 10) && !isMended(patches, 20, 0, 100));
        std::vector<float> row(8, 1.0f);
        layOver(patches, 1, 15, 16, 24, row.data());
        QCOMPARE(row, (std::vector<float>{7, 7, 7, 7, 1, 1, 1, 1}));
    }
};

QTEST_APPLESS_MAIN(TestMend)
#include "tst_mend.moc"
