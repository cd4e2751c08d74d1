// Curves and exposures from corresponding places: truth from formulas, without any file.
#include "base/errors.h"
#include "frames/exposure_ratio.h"
#include "frames/response.h"
#include "io/linear_codes.h"

#include <QTest>

#include <cmath>
#include <random>

using namespace yolk;

namespace {

constexpr PlaceGrid kGrid{960, 640, 6, 1};

/// Places of any light over ten stops, as frames of the given exposures show them under y = curve(z), with some noise;
/// `moved` of the places show something else in the last frame.
std::vector<std::vector<PlaceLight>> seen(const std::vector<double> &evs,
                                          const std::function<double(double, int)> &curve, double noise,
                                          double moved = 0.0, double black = 0.0)
{
    std::mt19937 random(3);
    std::uniform_real_distribution<double> any(-9.0, 1.0), share(0.0, 1.0);
    std::normal_distribution<double> normal;
    std::vector<std::vector<PlaceLight>> out(evs.size(), std::vector<PlaceLight>(kGrid.count()));
    for (size_t i = 0; i < kGrid.count(); ++i) {
        const double light = std::exp2(any(random)), other = std::exp2(any(random));
        const bool moves = share(random) < moved;
        const std::array<double, 3> colour{0.8, 1.0, 0.6};
        for (size_t f = 0; f < evs.size(); ++f)
            for (int c = 0; c < 3; ++c) {
                const double z = (moves && f + 1 == evs.size() ? other : light) * std::exp2(evs[f]) *
                                 colour[size_t(c)] * (1.0 + noise * normal(random));
                PlaceLight &p = out[f][i];
                p.shown = true;
                p.mean[size_t(c)] = float(curve(std::min(z, 1.0), c) + black);
                p.spread[size_t(c)] = 0.01f * p.mean[size_t(c)];
                p.most[size_t(c)] = 1.005f * p.mean[size_t(c)];
            }
    }
    return out;
}

Response fitted(const std::vector<std::vector<PlaceLight>> &frames, const std::vector<double> &stated)
{
    const std::vector<double> lowest(frames.size(), 0.004);
    std::vector<std::optional<double>> exposures(stated.begin(), stated.end());
    ThreadRunner runner;
    ExecContext ctx(runner);
    const auto pairs = lightPairs(frames, kGrid, lowest, 1e-4, ctx);
    return fitResponse(pairs, exposures, 0.04, ctx);
}

double shoulder(double z, int)
{
    return z * 2.0 / (1.0 + z);
}

} // namespace

class TestResponse : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void straightCurvesAreLeftAlone_data()
    {
        QTest::addColumn<double>("noise");
        QTest::addColumn<double>("moved");
        QTest::newRow("clean") << 0.001 << 0.0;
        QTest::newRow("noisy") << 0.05 << 0.0;
        QTest::newRow("a third moved") << 0.02 << 0.33;
    }
    void straightCurvesAreLeftAlone()
    {
        QFETCH(double, noise);
        QFETCH(double, moved);
        const std::vector<double> evs{-2, 0, 2};
        const Response r = fitted(seen(
                                      evs, [](double z, int) { return z; }, noise, moved),
                                  evs);
        QCOMPARE(r.verdict, ResponseVerdict::ProfileAgrees);
        QVERIFY(!isTaken(r, ResponseChoice::Automatic) && !isTaken(r, ResponseChoice::AsProfile));
        QCOMPARE(isTaken(r, ResponseChoice::Fitted), r.fitted);
    }
    void shouldersAreFoundThoughThingsMoved()
    {
        const std::vector<double> evs{-2, 0, 2};
        const Response r = fitted(seen(evs, shoulder, 0.02, 0.3), evs);
        QCOMPARE(r.verdict, ResponseVerdict::Found);
        QVERIFY(!r.byChannel && r.disagreementAfter < 0.6 * r.disagreementBefore);
        double sum = 0.0;
        for (int i = 1; i < 200; ++i) {
            const double y = i / 200.0;
            sum += std::pow(r.lightOf(y) - y / (2.0 - y), 2) / 199; // y = 2 z / (1 + z), solved
        }
        qInfo("RMS %.4f of full scale", std::sqrt(sum));
        QVERIFY(std::sqrt(sum) <= 0.015);
    }
    void channelsOfTheirOwnAreFound()
    {
        const std::vector<double> evs{-2, 0, 2};
        const auto own = [](double z, int c) {
            const double s = 0.4 + 0.8 * c;
            return z * (1.0 + s) / (1.0 + s * z);
        };
        const Response r = fitted(seen(evs, own, 0.01), evs);
        QVERIFY(isTaken(r, ResponseChoice::Automatic) && r.byChannel);
        for (int c = 0; c < 3; ++c)
            for (double z : {0.1, 0.3, 0.7})
                QVERIFY2(std::abs(r.lightOf(own(z, c), c) - z) < 0.03,
                         qPrintable(QString("%1 %2: %3").arg(c).arg(z).arg(r.lightOf(own(z, c), c))));
    }
    void stepsKeepBlackLevelsApart()
    {
        // Black lies 8 of 16383 too high: by ratios of dark places alone that is 0.08 EV and more.
        const auto frames = seen(
            {-3, 0}, [](double z, int) { return z; }, 0.01, 0.2, 8.0 / 16383);
        const auto step = stepBetween(frames[0], frames[1], kGrid, 1e-4, 8.0 / 16383);
        QVERIFY(step.has_value());
        qInfo("%.4f EV, said to be within %.4f", step->all.ev, step->all.standardError);
        QVERIFY(std::abs(step->all.ev - 3.0) < 0.01);
        QVERIFY(std::abs(step->all.ev - 3.0) < 4.0 * step->all.standardError + 0.003);
        const auto ignored = stepBetween(frames[0], frames[1], kGrid, 1e-4, 0.0);
        const auto offsets = offsetsBetween(frames[0], frames[1], kGrid, 1e-4);
        QVERIFY(offsets.has_value());
        for (double offset : *offsets) // 8 of 16383, less 8 times as much
            QVERIFY2(std::abs(offset + 7.0 * 8.0 / 16383) < 1e-3, qPrintable(QString::number(offset)));
        QVERIFY(std::abs(ignored->all.ev - 3.0) > std::abs(step->all.ev - 3.0));
    }
    void whiteBalancesAreStepsOfChannels()
    {
        auto frames = seen(
            {-2, 0}, [](double z, int) { return z; }, 0.01);
        for (PlaceLight &p : frames[0])
            p.mean[0] *= 0.9f;
        const auto step = stepBetween(frames[0], frames[1], kGrid, 1e-4, 0.0);
        QVERIFY(std::abs(step->channels[0].ev - (2.0 - std::log2(0.9))) < 0.01);
        QVERIFY(std::abs(step->channels[1].ev - 2.0) < 0.01 && std::abs(step->channels[2].ev - 2.0) < 0.01);
    }
    void tooLittleSaysNothing()
    {
        SerialRunner runner;
        ExecContext ctx(runner);
        const std::vector<std::vector<PlaceLight>> hidden(2, std::vector<PlaceLight>(kGrid.count()));
        QVERIFY(!stepBetween(hidden[0], hidden[1], kGrid, 1e-4, 0.0));
        QVERIFY(lightPairs(hidden, kGrid, std::array{0.01, 0.01}, 1e-4, ctx).empty());
        QVERIFY_THROWS_EXCEPTION(ArgumentError, lightPairs(hidden, kGrid, std::array{0.01}, 1e-4, ctx));
        QVERIFY_THROWS_EXCEPTION(ArgumentError, stepBetween(hidden[0], {}, kGrid, 1e-4, 0.0));
    }
    void placesFollowTheirMap()
    {
        Image<uint16_t> codes(60, 40, 3);
        for (int c = 0; c < 3; ++c)
            for (int y = 0; y < 40; ++y)
                for (int x = 0; x < 60; ++x)
                    codes.row(c, y)[x] = codeOfLinear(0.01 * x);
        const PlaceGrid grid{60, 40, 6, 1};
        const auto still = lightAtPlaces(codes.view(), grid, [](double x, double y) { return std::array{x, y}; });
        QCOMPARE(still.size(), size_t(60));
        QVERIFY(std::abs(still[1].mean[1] - 0.085f) < 1e-4f); // by hand: pixels 6 to 11
        QVERIFY(std::abs(still[1].spread[1] - 0.05f) < 1e-4f);
        const auto moved = lightAtPlaces(codes.view(), grid, [](double x, double y) { return std::array{x + 3.0, y}; });
        QVERIFY(std::abs(moved[1].mean[1] - 0.115f) < 1e-4f);
        QVERIFY(!moved[9].shown && still[9].shown); // beyond the edge
        QVERIFY_THROWS_EXCEPTION(ArgumentError, lightAtPlaces(Image<uint16_t>(9, 9, 1).view(), grid, {}));
    }
};

QTEST_GUILESS_MAIN(TestResponse)
#include "tst_response.moc"
