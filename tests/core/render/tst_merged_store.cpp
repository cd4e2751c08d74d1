// Merges on the disk: what comes back is what was written, or nothing.
#include "base/errors.h"
#include "render/render.h"
#include "render/stages/merged_store.h"
#include "support/compare.h"
#include "support/runners.h"
#include "support/still_scenes.h"
#include "support/synthetic.h"

#include <QDir>
#include <QFile>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;

namespace {

constexpr size_t kPlenty = size_t(1) << 30;

/// A small one with something in every field.
MergedSet example(int seed = 1)
{
    MergedSet out;
    out.pixels.radiance = Image<float>(37, 19, 3);
    out.pixels.variance = Image<uint16_t>(37, 19, 3);
    out.pixels.shares = Image<uint8_t>(37, 19, 2);
    out.pixels.clipped = Image<uint8_t>(37, 19, 1);
    for (int plane = 0; plane < 3; ++plane)
        for (int y = 0; y < 19; ++y)
            for (int x = 0; x < 37; ++x) {
                out.pixels.radiance.row(plane, y)[x] = float(seed + plane + 3 * x + 200 * y) / 7.0f;
                out.pixels.variance.row(plane, y)[x] = uint16_t(x * y + plane);
                if (plane < 2)
                    out.pixels.shares.row(plane, y)[x] = uint8_t(x + y + plane);
            }
    out.pixels.clipped.row(0, 3)[5] = 7;
    out.reduction = 1;
    out.fullWidth = 37;
    out.fullHeight = 19;
    out.frameIds = {"one", "two"};
    out.clippedShare = 0.25;
    out.agreement = {{0.5, 0.01, 1.0}, {0.5, -0.01, 1.1}};
    out.alignment.resize(2);
    out.alignment[1] = {true, {{{1, 0, 3.5, 0, 1, -2, 0, 0, 1}}, MotionModel::Rigid, 0.1, 0.9, 0.95, 0.8, 33}};
    out.believed = {1.0, 0.875};
    out.movement.keeper = 1;
    out.movement.places = {{{1, 2, 9, 8}, 40.0, 1, {0.5, 1.0}, 0.75, true, false}};
    out.movement.cell = 2;
    out.movement.cells = Image<uint16_t>(19, 10, 1);
    out.movement.cells.row(0, 4)[4] = 1;
    out.movement.standing = Image<uint16_t>(19, 10, 1);
    out.movement.grids.resize(2);
    out.movement.grids[1] = Image<int8_t>(19, 10, 1);
    out.movement.grids[1].row(0, 4)[4] = -127;
    out.seconds = 1.5;
    return out;
}

template <class T> bool same(const Image<T> &a, const Image<T> &b)
{
    if (a.shape() != b.shape())
        return false;
    for (int plane = 0; plane < a.planes(); ++plane)
        for (int y = 0; y < a.height(); ++y)
            if (!std::equal(a.row(plane, y), a.row(plane, y) + a.width(), b.row(plane, y)))
                return false;
    return true;
}

} // namespace

class TestMergedStore : public QObject {
    Q_OBJECT
    std::unique_ptr<QTemporaryDir> dir_;
    SerialRunner runner_;
    const Hash128 key_{1, 2};

    std::string folder() const { return dir_->filePath(QStringLiteral("merges")).toStdString(); }
    QStringList files() const { return QDir(QString::fromStdString(folder())).entryList(QDir::Files | QDir::Hidden); }
    QString only() const { return QDir(QString::fromStdString(folder())).filePath(files().value(0)); }

private Q_SLOTS:
    void init() { dir_ = std::make_unique<QTemporaryDir>(); }

    void everythingComesBack()
    {
        ExecContext ctx(runner_);
        const MergedStore store(folder(), kPlenty);
        const MergedSet was = example();
        QVERIFY(!store.holds(key_) && !store.find(key_, ctx));
        store.keep(key_, was, ctx);
        QVERIFY(store.holds(key_));
        QCOMPARE(files().size(), 1); // nothing beside it
        const auto is = store.find(key_, ctx);
        QVERIFY(is);
        QVERIFY(same(is->pixels.radiance, was.pixels.radiance) && same(is->pixels.variance, was.pixels.variance));
        QVERIFY(same(is->pixels.shares, was.pixels.shares) && same(is->pixels.clipped, was.pixels.clipped));
        QVERIFY(is->reduction == 1 && is->fullWidth == 37 && is->fullHeight == 19 && is->frameIds == was.frameIds);
        QVERIFY(is->clippedShare == 0.25 && is->believed == was.believed && is->alignment == was.alignment);
        QCOMPARE(is->agreement.size(), 2);
        QCOMPARE(is->agreement[1].differenceEv, -0.01);
        QVERIFY(is->movement.keeper == 1 && is->movement.places == was.movement.places && is->movement.cell == 2);
        QVERIFY(same(is->movement.cells, was.movement.cells) && same(is->movement.standing, was.movement.standing));
        QVERIFY(is->movement.grids.size() == 2 && same(is->movement.grids[1], was.movement.grids[1]));
        QCOMPARE(is->seconds, 1.5);
    }
    void whatIsDamagedIsNotTaken()
    {
        ExecContext ctx(runner_);
        const MergedStore store(folder(), kPlenty);
        store.keep(key_, example(), ctx);
        QFile file(only());
        QVERIFY(file.open(QIODevice::ReadOnly));
        const QByteArray good = file.readAll();
        file.close();
        const auto taken = [&](const QByteArray &bytes) {
            QFile out(only());
            return out.open(QIODevice::WriteOnly) && out.write(bytes) == bytes.size() && out.flush() &&
                   store.find(key_, ctx).has_value();
        };
        QVERIFY(taken(good));
        for (qsizetype at = 0; at < good.size(); at += 61) {
            QByteArray wrong = good;
            wrong[at] = char(wrong[at] ^ 0x10);
            QVERIFY2(!taken(wrong), qPrintable(QString::number(at)));
            QVERIFY(!taken(good.first(at)));
        }
        QVERIFY(!taken(good + good) && !taken(good + 'x'));
        QVERIFY(taken(good));
    }
    void anotherNameIsAnotherMerge()
    {
        ExecContext ctx(runner_);
        const MergedStore store(folder(), kPlenty);
        store.keep(key_, example(), ctx);
        const Hash128 other{1, 3};
        QVERIFY(QFile::rename(only(), QString::fromStdString(folder() + "/" + other.hex() + ".merge")));
        QVERIFY(!store.find(key_, ctx) && !store.find(other, ctx));
    }
    void theOldestGoesFirst()
    {
        ExecContext ctx(runner_);
        const size_t one = example().bytes();
        const MergedStore store(folder(), 2 * one); // files are smaller: their rows are not padded
        for (uint64_t i = 0; i < 2; ++i)
            store.keep({0, i}, example(int(i)), ctx);
        QFile file(QString::fromStdString(folder() + "/" + Hash128{0, 0}.hex() + ".merge"));
        QVERIFY(file.open(QIODevice::ReadWrite) &&
                file.setFileTime(QDateTime::currentDateTime().addDays(-2), QFileDevice::FileModificationTime));
        file.close();
        QFile newer(QString::fromStdString(folder() + "/" + Hash128{0, 1}.hex() + ".merge"));
        QVERIFY(newer.open(QIODevice::ReadWrite) &&
                newer.setFileTime(QDateTime::currentDateTime().addDays(-1), QFileDevice::FileModificationTime));
        newer.close();
        QVERIFY(store.find({0, 0}, ctx)); // used now
        store.keep({0, 2}, example(2), ctx);
        QVERIFY(store.holds({0, 0}) && !store.holds({0, 1}) && store.holds({0, 2}));
        QVERIFY(store.bytes() <= 2 * one);
        MergedStore(folder(), one / 2).keep({0, 3}, example(3), ctx); // larger than all of it
        QVERIFY(!store.holds({0, 3}) && store.holds({0, 2}));
        store.clear();
        QVERIFY(files().isEmpty() && store.bytes() == 0);
    }
    void aStopLeavesNothing()
    {
        std::stop_source stop;
        stop.request_stop();
        ExecContext stopped(runner_, stop.get_token()), ctx(runner_);
        const MergedStore store(folder(), kPlenty);
        MergedSet large = example();
        large.pixels.radiance = Image<float>(2000, 1000, 3);
        QVERIFY_THROWS_EXCEPTION(Cancelled, store.keep(key_, large, stopped));
        QVERIFY(files().isEmpty());
        store.keep(key_, large, ctx);
        QVERIFY_THROWS_EXCEPTION(Cancelled, store.find(key_, stopped));
    }
    void aFolderThatCannotBeIsSaid()
    {
        ExecContext ctx(runner_);
        QFile inTheWay(dir_->filePath(QStringLiteral("merges")));
        QVERIFY(inTheWay.open(QIODevice::WriteOnly));
        const MergedStore store(folder(), kPlenty);
        QVERIFY_THROWS_EXCEPTION(OutputError, store.keep(key_, example(), ctx));
        QVERIFY(!store.find(key_, ctx) && store.bytes() == 0);
    }
    void aSetIsShownFromItAlone() // the same bits, and nothing is decoded for them
    {
        ExecContext ctx(runner_);
        const QStringList paths =
            test::writeBracket(dir_->path(), test::rampScene(301, 203, 0.002, 11).view(), {0, -2, 2}, 1.0);
        Sources sources{{}, std::make_shared<StageCache>(kPlenty)};
        sources.store = std::make_shared<const MergedStore>(folder(), kPlenty);
        for (const QString &path : paths)
            sources.frames.push_back(loadFrame(path.toStdString()));
        const Measured measured = analyse(sources, {}, ctx);
        Recipe recipe;
        recipe.tone = automaticTone(measured.tone);
        const Image<float> first = render(RenderPlan(sources, measured, recipe), {}, ctx);
        keepMerged(RenderPlan(sources, measured, recipe), ctx);
        QVERIFY(!files().isEmpty());
        for (const QString &path : paths)
            QVERIFY(QFile::remove(path));
        sources.cache = std::make_shared<StageCache>(kPlenty);
        const Image<float> again = render(RenderPlan(sources, measured, recipe), {}, ctx);
        QCOMPARE(test::firstDifference(again.view(), first.view(), 0.0, 0.0), QByteArray());
    }
};

QTEST_GUILESS_MAIN(TestMergedStore)
#include "tst_merged_store.moc"
