#include "frames/grouping.h"
#include "support/demo_data.h"

#include <QTest>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>

using namespace yolk;

namespace {

/// Frames of sets as a photographer takes them, with the sets they belong to.
struct Folder {
    std::vector<FrameFacts> frames;
    std::vector<int> sets;
};

FrameFacts factsAt(double time, double seconds, int number)
{
    FrameFacts f;
    f.name = "img_" + std::to_string(number) + ".dng";
    f.time = std::floor(time); // files know whole seconds
    f.seconds = seconds;
    f.fNumber = 8.0;
    f.exposure = seconds;
    f.width = 6000;
    f.height = 4000;
    f.camera = "simulated";
    return f;
}

/// Ten sets of three to seven frames, one size and step each, in a camera's order 0, -, +, --, ++. Frames follow each
/// other within a second and their exposure, as in a burst or by a steady hand; before the next set the photographer
/// takes 2 to 90 seconds. Some keep to one pattern, some change it; a shutter's limit makes last frames alike.
Folder randomFolder(unsigned seed)
{
    std::mt19937 random(seed);
    const auto between = [&](double low, double high) {
        return std::uniform_real_distribution<double>(low, high)(random);
    };
    Folder out;
    double time = 1000.0;
    int number = 95; // so that names grow from two digits to three
    int count = 5;
    double step = 2.0;
    for (int set = 0; set < 10; ++set) {
        if (set == 0 || between(0, 1) < 0.5) {
            count = int(between(3, 7.999));
            step = std::array{1.0, 2.0, 3.0}[size_t(between(0, 2.999))];
        }
        const double middle = std::exp2(std::round(between(-8, 1)));
        for (int i = 0; i < count; ++i) {
            const int rank = (i + 1) / 2 * (i % 2 == 1 ? -1 : 1);
            const double seconds = std::max(std::exp2(-13), middle * std::exp2(step * rank));
            out.frames.push_back(factsAt(time, seconds, number++));
            out.sets.push_back(set);
            time += seconds + between(0.1, 1.0);
        }
        time += between(2.0, 90.0);
    }
    return out;
}

} // namespace

class TestGrouping : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void shuffledFoldersAreSplitWithoutAnError_data()
    {
        QTest::addColumn<int>("seed");
        for (int seed = 1; seed <= 20; ++seed)
            QTest::addRow("folder %d", seed) << seed;
    }
    void shuffledFoldersAreSplitWithoutAnError()
    {
        QFETCH(int, seed);
        const Folder folder = randomFolder(unsigned(seed));
        std::vector<size_t> order(folder.frames.size());
        std::iota(order.begin(), order.end(), size_t(0));
        std::mt19937 random(unsigned(seed) + 100);
        std::ranges::shuffle(order, random);
        std::vector<FrameFacts> shuffled;
        for (size_t i : order)
            shuffled.push_back(folder.frames[i]);
        const auto groups = groupFrames(shuffled);
        QString got;
        for (const auto &group : groups) {
            got += QString::number(group.size()) + ' ';
            for (size_t i : group) // no set holds frames of two
                QCOMPARE(folder.sets[order[i]], folder.sets[order[group[0]]]);
            QVERIFY(std::ranges::is_sorted(group, {}, [&](size_t i) { return order[i]; })); // in the order of taking
        }
        QVERIFY2(groups.size() == 10, qPrintable(got));
    }
    void aSeriesThatRunsIntoTheShutterStaysWhole()
    {
        // 1/4000 s twice: the seventh repeats (common practice, no published source).
        std::vector<FrameFacts> frames;
        for (double ev : {0.0, -2.0, 2.0, -4.0, 4.0, -6.0, -6.0})
            frames.push_back(factsAt(100, std::exp2(ev - 6), int(frames.size())));
        QCOMPARE(groupFrames(frames).size(), size_t(1));
    }
    void aSlipOfTheApertureKeepsTheSet()
    {
        std::vector<FrameFacts> frames;
        for (double ev : {-4.0, -2.0, 0.0, 2.0, 4.0})
            frames.push_back(factsAt(100, std::exp2(ev - 6), int(frames.size())));
        frames[2].fNumber = 5.6; // and with it twice the light
        frames[2].exposure = *frames[2].exposure * 2.0;
        QCOMPARE(groupFrames(frames).size(), size_t(1));
        for (size_t i = 0; i < 5; ++i) { // a second set at another aperture is a set of its own
            FrameFacts f = factsAt(101, std::exp2(2.0 * double(i) - 9.5), int(frames.size()));
            f.fNumber = 11.0;
            frames.push_back(f);
        }
        const auto groups = groupFrames(frames);
        QCOMPARE(groups.size(), size_t(2));
        QCOMPARE(groups[1], (std::vector<size_t>{5, 6, 7, 8, 9}));
    }
    void burstsWithoutAPauseAreSplitByTheirPattern()
    {
        std::vector<FrameFacts> frames;
        for (int set = 0; set < 4; ++set)
            for (double ev : {0.0, -2.0, 2.0})
                frames.push_back(factsAt(100 + set, std::exp2(ev - 8), int(frames.size())));
        const auto groups = groupFrames(frames);
        QCOMPARE(groups.size(), size_t(4));
        QCOMPARE(groups[2], (std::vector<size_t>{6, 7, 8}));
    }
    void otherSizesAndCamerasNeverMix()
    {
        std::vector<FrameFacts> frames;
        for (double ev : {0.0, -2.0, 2.0, 0.0, -2.0, 2.0})
            frames.push_back(factsAt(100, std::exp2(ev - 8), int(frames.size())));
        for (size_t i = 3; i < 6; ++i)
            frames[i].width = 3000;
        frames[1].camera = "another";
        const auto groups = groupFrames(frames);
        for (const auto &group : groups)
            for (size_t i : group) {
                QCOMPARE(frames[i].width, frames[group[0]].width);
                QCOMPARE(frames[i].camera, frames[group[0]].camera);
            }
    }
    void withoutTimesNamesGiveTheOrder()
    {
        std::vector<FrameFacts> frames;
        for (int number : {10, 9, 11, 8, 12, 7}) { // 7 8 9 | 10 11 12, as numbers, not as text
            const double evs[] = {0.0, -2.0, 2.0};
            FrameFacts f = factsAt(0, std::exp2(evs[(number - 7) % 3] - 8), number);
            f.time.reset();
            frames.push_back(f);
        }
        const auto groups = groupFrames(frames);
        QCOMPARE(groups.size(), size_t(2));
        QCOMPARE(groups[0], (std::vector<size_t>{5, 3, 1}));
        QCOMPARE(groups[1], (std::vector<size_t>{0, 2, 4}));
    }
    void fewFramesAndNoneWork()
    {
        QVERIFY(groupFrames({}).empty());
        QCOMPARE(groupFrames(std::array{factsAt(1, 1, 1)}).size(), size_t(1));
        // Nothing is known: one set, up to its largest size.
        const std::vector<FrameFacts> bare(16);
        const auto groups = groupFrames(bare);
        size_t most = 0, all = 0;
        for (const auto &group : groups) {
            most = std::max(most, group.size());
            all += group.size();
        }
        QVERIFY(most <= 15);
        QCOMPARE(all, size_t(16));
    }
    void datesAreRead()
    {
        // One day, one hour, one minute and 1.5 seconds apart.
        const auto a = secondsOfDate("2026:04:30 23:59:59"), b = secondsOfDate("2026:05:02 01:01:00.5");
        QVERIFY(a && b);
        QCOMPARE(*b - *a, 86400.0 + 3661.5 - 3600.0 + 3600.0);
        for (const char *bad : {"", "yesterday", "0000:00:00 00:00:00", "2026:13:01 00:00:00", "2026:05:01"})
            QVERIFY(!secondsOfDate(bad));
    }
    void demoFramesFallIntoTheirSets()
    {
        std::vector<FrameFacts> frames;
        std::vector<QString> sets;
        for (const char *set : {"henhouse-tripod", "henhouse-single", "henhouse-handheld"})
            for (const QString &path : test::demoPaths(set)) {
                frames.push_back(factsOf(path.toStdString()));
                sets.push_back(set);
            }
        const auto groups = groupFrames(frames);
        QCOMPARE(groups.size(), size_t(3));
        for (const auto &group : groups)
            for (size_t i : group)
                QCOMPARE(sets[i], sets[group[0]]);
    }
};

QTEST_GUILESS_MAIN(TestGrouping)
#include "tst_grouping.moc"
