// The Mend step in the real window, by mouse and by keys, on pixels.
#include "opened_window.h"
#include "simulated_camera.h"
#include "support/synthetic.h"

#include "drawing/mend_tool.h"
#include "steps/mend_panel.h"
#include "widgets/value_slider.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDir>
#include <QListWidget>
#include <QPushButton>
#include <QTest>

using namespace yolk;
using namespace yolk::app;

class TestMendStep : public QObject {
    Q_OBJECT
    std::unique_ptr<test::OpenedWindow> window_;

    MainWindow &window() const { return **window_; }
    Document &document() const { return window_->document(); }
    Mends &mends() const { return *document().mends(); }
    MendPanel &panel() const { return *window().mendPanel(); }
    Canvas &canvas() const { return window_->canvas(); }
    QImage picture() const
    {
        settle();
        return window_->picture();
    }
    void settle() const
    {
        for (int i = 0; i < 2000 && mends().isLooking(); ++i)
            QTest::qWait(10);
        QVERIFY(!mends().isLooking());
        window_->settle();
    }
    /// Widget places of a share of the picture.
    QPoint at(double x, double y) const
    {
        const QRectF area(document().pictureArea());
        return canvas().widgetAt({area.left() + x * area.width(), area.top() + y * area.height()}).toPoint();
    }
    void drag(const QList<QPoint> &way, Qt::KeyboardModifiers keys = {}) const
    {
        QTest::mousePress(&canvas(), Qt::LeftButton, keys, way.front());
        for (const QPoint &p : way)
            QTest::mouseMove(&canvas(), p);
        QTest::mouseRelease(&canvas(), Qt::LeftButton, keys, way.back());
        settle();
    }
    static QRect changedIn(const QImage &a, const QImage &b)
    {
        QRect out;
        for (int y = 0; y < a.height(); ++y)
            for (int x = 0; x < a.width(); ++x)
                if (std::abs(qGreen(a.pixel(x, y)) - qGreen(b.pixel(x, y))) > 4)
                    out |= QRect(x, y, 1, 1);
        return out;
    }

private Q_SLOTS:
    void initTestCase()
    {
        window_ = std::make_unique<test::OpenedWindow>(QStringLiteral("henhouse-tripod"));
        window().goTo(Step::Mend);
    }
    void cleanupTestCase() { window_.reset(); }
    void init()
    {
        document().startAgain(Step::Mend);
        mends().choose(-1);
        mends().change([](MendSpot &s) { s.way = MendWay::Seamless; }, {});
        window_->canvas().fit();
        settle();
        QTest::qWait(200); // the pointer rests somewhere
        mends().tryAlong({});
        settle();
    }
    void aClickMendsASpot()
    {
        QCOMPARE(canvas().tool(), static_cast<CanvasTool *>(panel().tool()));
        const QImage before = picture();
        mends().change([](MendSpot &s) { s.radius = 24.0; }, {});
        QTest::mouseClick(&canvas(), Qt::LeftButton, {}, at(0.3, 0.7));
        settle();
        QCOMPARE(int(mends().all().size()), 1);
        const MendSpot spot = *mends().chosen();
        QVERIFY(std::hypot(spot.sourceX, spot.sourceY) >= 48.0);
        const QImage after = picture();
        const QRect changed = changedIn(before, after);
        QVERIFY(!changed.isEmpty());
        const double zoom = canvas().zoom();
        QVERIFY2(changed.width() <= 2 * 24 * zoom + 3 && changed.height() <= 2 * 24 * zoom + 3,
                 qPrintable(QString("%1 x %2").arg(changed.width()).arg(changed.height())));
        // One step of undo, with the place that was found.
        document().undo();
        QVERIFY(mends().all().empty());
        QCOMPARE(picture(), before);
        document().redo();
        QCOMPARE(*mends().all().begin(), spot);
        QCOMPARE(picture(), after);
    }
    void theSourceIsSteppedAndDragged()
    {
        mends().change([](MendSpot &s) { s.radius = 16.0; }, {});
        QTest::mouseClick(&canvas(), Qt::LeftButton, {}, at(0.5, 0.6));
        settle();
        const MendSpot first = *mends().chosen();
        QTest::mouseClick(panel().nextSource(), Qt::LeftButton);
        settle();
        const MendSpot second = *mends().chosen();
        QVERIFY(second.sourceX != first.sourceX || second.sourceY != first.sourceY);
        QTest::keyClick(&window(), Qt::Key_J);
        settle();
        QVERIFY(*mends().chosen() != second);
        // Its ring is dragged.
        const QImage before = picture();
        const QPointF source = panel().tool()->handles().back();
        const QPoint from = canvas().widgetAt(source).toPoint();
        drag({from, from + QPoint(10, -6), from + QPoint(30, -20)});
        const QPointF now = panel().tool()->handles().back();
        QVERIFY(std::abs(now.x() - source.x() - 30.0 / canvas().zoom()) < 2.0 / canvas().zoom());
        QVERIFY(picture() != before);
        document().undo();
        QCOMPARE(picture(), before);
        // The spot itself is dragged, and takes the source along.
        const QPoint middle = canvas().widgetAt(panel().tool()->handles()[0]).toPoint();
        const MendSpot held = *mends().chosen();
        drag({middle, middle + QPoint(5, 0), middle + QPoint(25, 0)});
        QCOMPARE(mends().chosen()->sourceX, held.sourceX);
        QVERIFY(mends().chosen()->points[0].x > held.points[0].x + 15.0 / canvas().zoom());
    }
    void strokesAreDrawn()
    {
        const QImage before = picture();
        mends().change([](MendSpot &s) { s.radius = 8.0; }, {});
        drag({at(0.2, 0.3), at(0.24, 0.32), at(0.28, 0.31), at(0.33, 0.33)});
        QCOMPARE(int(mends().all().size()), 1);
        QVERIFY(mends().chosen()->points.size() >= 3);
        QVERIFY(changedIn(before, picture()).width() > 0);
        QCOMPARE(panel().list()->item(0)->text(), QStringLiteral("Stroke 1"));
        // A press inside a ring takes it; with Ctrl another spot is made there.
        QTest::mouseClick(&canvas(), Qt::LeftButton, {}, at(0.28, 0.31));
        QCOMPARE(int(mends().all().size()), 1);
        QTest::mouseClick(&canvas(), Qt::LeftButton, Qt::ControlModifier, at(0.28, 0.31));
        settle();
        QCOMPARE(int(mends().all().size()), 2);
    }
    void keysAlone()
    {
        canvas().setFocus();
        // Tab reaches the next spot, an arrow moves it, Enter mends.
        QTest::keyClick(&canvas(), Qt::Key_Tab);
        const QPointF before = panel().tool()->handles().back();
        QTest::keyClick(&canvas(), Qt::Key_Right);
        QVERIFY(panel().tool()->handles().back().x() > before.x());
        QTest::keyClick(&canvas(), Qt::Key_Return);
        settle();
        QCOMPARE(int(mends().all().size()), 1);
        QVERIFY(acts(*mends().chosen()));
        QTest::keyClick(&window(), Qt::Key_Backspace);
        settle();
        QVERIFY(mends().all().empty());
    }
    void theListAndTheControls()
    {
        const QImage before = picture();
        QVERIFY(!panel().list()->isVisible());
        QVERIFY(!panel().controls().control(QStringLiteral("turn"))->isVisible());
        for (const double x : {0.25, 0.5, 0.75})
            QTest::mouseClick(&canvas(), Qt::LeftButton, {}, at(x, 0.75)), settle();
        QCOMPARE(panel().list()->count(), 3);
        QVERIFY(panel().controls().control(QStringLiteral("turn"))->isVisible());
        panel().list()->setCurrentRow(0);
        QCOMPARE(mends().chosenIndex(), 0);
        auto *strength = qobject_cast<ValueSlider *>(panel().controls().control(QStringLiteral("strength")));
        const QImage all = picture();
        strength->edit()->setText(QStringLiteral("0"));
        strength->edit()->setModified(true);
        Q_EMIT strength->edit()->editingFinished();
        QCOMPARE(mends().all()[0].strength, 0.0);
        QCOMPARE(mends().all()[1].strength, 100.0);
        QVERIFY(picture() != all);
        document().undo();
        QCOMPARE(picture(), all);
        // A tick switches one, Delete removes it, and what is left acts alone.
        for (int i = 0; i < 3; ++i)
            panel().list()->item(i)->setCheckState(Qt::Unchecked);
        QCOMPARE(picture(), before);
        panel().list()->setFocus();
        QTest::keyClick(panel().list(), Qt::Key_Delete);
        settle();
        QCOMPARE(panel().list()->count(), 2);
    }
    void whereThePointerRestsItIsTried()
    {
        const QImage before = picture();
        mends().change([](MendSpot &s) { s.radius = 20.0; }, {});
        const int states = int(document().history().states().size());
        QTest::mouseMove(&canvas(), at(0.4, 0.7));
        QTRY_VERIFY(mends().isTrying());
        window_->settle();
        const QImage tried = picture();
        QVERIFY(!changedIn(before, tried).isEmpty());
        QVERIFY(mends().all().empty());
        QCOMPARE(int(document().history().states().size()), states);
        // A click takes just that.
        QTest::mouseClick(&canvas(), Qt::LeftButton, {}, at(0.4, 0.7));
        settle();
        QCOMPARE(int(mends().all().size()), 1);
        QVERIFY(!mends().isTrying());
        QCOMPARE(picture(), tried);
        // A stroke too, while it is held; Escape lets it go.
        QTest::mousePress(&canvas(), Qt::LeftButton, {}, at(0.6, 0.3));
        for (const double x : {0.62, 0.64, 0.66})
            QTest::mouseMove(&canvas(), at(x, 0.3));
        QTRY_VERIFY(mends().isTrying());
        window_->settle();
        QVERIFY(picture() != tried);
        QTest::keyClick(&canvas(), Qt::Key_Escape);
        window_->settle();
        QTest::mouseRelease(&canvas(), Qt::LeftButton, {}, at(0.66, 0.3));
        settle();
        QVERIFY(!mends().isTrying());
        QCOMPARE(int(mends().all().size()), 1);
    }
    void strokesAreWovenAnew()
    {
        mends().change([](MendSpot &s) { s.radius = 10.0; }, {});
        drag({at(0.3, 0.5), at(0.33, 0.5), at(0.36, 0.52), at(0.4, 0.52)});
        QVERIFY(mends().chosen()->way == MendWay::Woven);
        QCOMPARE(panel().nextSource()->text(), QStringLiteral("Weave anew"));
        const QImage first = picture();
        QTest::keyClick(&window(), Qt::Key_J);
        settle();
        QCOMPARE(mends().chosen()->weave, 1.0);
        QVERIFY(picture() != first);
        document().undo();
        QCOMPARE(picture(), first);
        // Another way is looked for at once, and the next stroke is of that way; spots are not.
        mends().change([](MendSpot &s) { s.way = MendWay::Seamless; }, {});
        settle();
        QVERIFY(mends().chosen()->sourceX != 0.0 || mends().chosen()->sourceY != 0.0);
        drag({at(0.3, 0.8), at(0.33, 0.8), at(0.36, 0.8)});
        QVERIFY(mends().chosen()->way == MendWay::Seamless);
    }
    void anotherFrameShowsThePlace()
    {
        mends().change([](MendSpot &s) { s.radius = 24.0; }, {});
        QTest::mouseClick(&canvas(), Qt::LeftButton, {}, at(0.5, 0.5));
        settle();
        mends().change([](MendSpot &s) { s.way = MendWay::Frame; }, QStringLiteral("how"));
        settle();
        QVERIFY(panel().frame()->isVisible());
        QVERIFY(!panel().controls().control(QStringLiteral("feather"))->isVisible());
        const std::string first = mends().chosen()->frame;
        QVERIFY(!first.empty());
        QCOMPARE(panel().frame()->count(), int(document().bracket().used().size()));
        const QImage shown = picture();
        QTest::keyClick(&window(), Qt::Key_J);
        settle();
        QVERIFY(mends().chosen()->frame != first);
        QVERIFY(picture() != shown);
        document().undo();
        QCOMPARE(mends().chosen()->frame, first);
        QCOMPARE(picture(), shown);
    }
    void aKeyShowsThePictureUnmended()
    {
        const QImage before = picture();
        mends().change([](MendSpot &s) { s.radius = 24.0; }, {});
        QTest::mouseClick(&canvas(), Qt::LeftButton, {}, at(0.3, 0.7));
        settle();
        const QImage mended = picture();
        QVERIFY(mended != before);
        QTest::keyPress(&window(), Qt::Key_O);
        const QImage held = picture();
        QTest::keyRelease(&window(), Qt::Key_O);
        QVERIFY(held != mended);
        QVERIFY(changedIn(held, before).isEmpty());
        QCOMPARE(picture(), mended);
    }
    void faintMarksAreSeen()
    {
        const QImage before = picture();
        panel().faint()->click();
        QVERIFY(document().inspection() && document().inspection()->mode == InspectMode::Faint);
        const QImage seen = picture();
        for (int y = 0; y < seen.height(); y += 7)
            for (int x = 0; x < seen.width(); x += 7)
                QCOMPARE(qRed(seen.pixel(x, y)), qBlue(seen.pixel(x, y)));
        QTest::keyClick(&window(), Qt::Key_U);
        QVERIFY(!document().inspection());
        QVERIFY(!panel().faint()->isChecked());
        QCOMPARE(picture(), before);
    }
    void theyStayWhereTheyAre()
    {
        mends().change([](MendSpot &s) { s.radius = 20.0; }, {});
        QTest::mouseClick(&canvas(), Qt::LeftButton, {}, at(0.3, 0.7));
        settle();
        const MendSpot spot = *mends().chosen();
        const QPointF before = panel().tool()->handles()[0];
        // Another reference, a turn: the ring lies on the same thing.
        document().setReference((document().bracket().reference + 1) % document().bracket().frames.size());
        settle();
        const QPointF now = panel().tool()->handles()[0];
        QVERIFY(std::hypot(now.x() - before.x(), now.y() - before.y()) < 3.0);
        Recipe turned = document().recipe();
        turned.geometry.angle = 3.0;
        document().setRecipe(turned, QStringLiteral("turn"));
        settle();
        QVERIFY(panel().tool()->handles()[0] != now);
        QCOMPARE(*mends().chosen(), spot);
        const QImage with = picture();
        document().startAgain(Step::Mend);
        QVERIFY(!changedIn(with, picture()).isEmpty());
        document().undo();
        document().undo();
        document().undo();
    }
    void dustIsFoundAndTaken()
    {
        // Held by hand: the scene moves over the sensor, its dust does not.
        constexpr int kWidth = 900, kHeight = 600, kRoom = 40;
        const Image<float> scene = test::grainyScene(kWidth + 2 * kRoom, kHeight + 2 * kRoom, 0.05, 2.0);
        demo::Lens lens;
        lens.softness = 2.0;
        lens.dustSpots = 4;
        lens.dustSeed = 3;
        lens.dustRadius = 9.0;
        lens.dustDepth = 0.3;
        QTemporaryDir folder;
        QStringList paths;
        const std::array<std::pair<QPoint, double>, 3> frames{
            std::pair(QPoint(0, 0), 0.0), std::pair(QPoint(31, -22), -2.0), std::pair(QPoint(-27, 30), 2.0)};
        for (size_t i = 0; i < frames.size(); ++i) {
            const QPoint from = QPoint(kRoom, kRoom) + frames[i].first;
            const Image<float> seen =
                demo::throughLens(scene.view().crop({from.x(), from.y(), from.x() + kWidth, from.y() + kHeight}), lens);
            const QString own = folder.filePath(QString::number(i));
            QDir().mkpath(own);
            const QString path = folder.filePath(QStringLiteral("frame%1.tif").arg(i));
            QFile::rename(test::writeBracket(own, seen.view(), {frames[i].second}, 0.6, demo::FrameFile::Tiff).front(),
                          path);
            paths << path;
        }
        const std::vector<demo::Speck> specks = demo::specksOf(lens, kWidth, kHeight);
        document().open(paths);
        settle();
        QCOMPARE(int(document().bracket().used().size()), 3);
        Dust &dust = *document().dust();
        const auto looked = [&] {
            QTest::mouseClick(panel().findDust(), Qt::LeftButton);
            for (int i = 0; i < 6000 && dust.isLooking(); ++i)
                QTest::qWait(10);
            return !dust.isLooking();
        };
        const QImage before = picture();
        QVERIFY(looked());
        for (const demo::Speck &speck : specks)
            QVERIFY2(std::ranges::any_of(dust.proposed(),
                                         [&](const DustSpot &spot) {
                                             return std::hypot(spot.x - speck.x, spot.y - speck.y) < 0.5 * speck.radius;
                                         }),
                     qPrintable(QString("%1 %2").arg(speck.x).arg(speck.y)));
        QCOMPARE(dust.proposed().size(), specks.size());
        const int proposed = int(specks.size());
        QCOMPARE(panel().dustList()->count(), proposed);
        // A click on a ring takes it.
        const DustSpot first = dust.proposed().front();
        QTest::mouseClick(&canvas(), Qt::LeftButton, {},
                          canvas().widgetAt(document().toPicture({first.x, first.y})).toPoint());
        settle();
        QCOMPARE(int(dust.taken().size()), 1);
        QVERIFY(mends().all().empty());
        QTest::mouseClick(panel().takeAllDust(), Qt::LeftButton);
        settle();
        QCOMPARE(int(dust.taken().size()), proposed);
        QVERIFY(dust.proposed().empty());
        // Under all of them other frames are merged: the light is that of the scene without dust.
        lens.dustSpots = 0;
        const Image<float> clean =
            demo::throughLens(scene.view().crop({kRoom, kRoom, kRoom + kWidth, kRoom + kHeight}), lens);
        const bool isReference =
            document().bracket().frames[document().bracket().reference].frame->name == "frame0.tif";
        QVERIFY(isReference);
        const Image<float> &merged = document().merged()->pixels.radiance;
        const auto lightOver = [&](const Point &at, double inner, double outer) { // of the truth, means
            double got = 0.0, want = 0.0;
            for (int y = int(at.y - outer); y <= int(at.y + outer); ++y)
                for (int x = int(at.x - outer); x <= int(at.x + outer); ++x) {
                    const double d = std::hypot(x + 0.5 - at.x, y + 0.5 - at.y);
                    if (x < 0 || y < 0 || x >= kWidth || y >= kHeight || d < inner || d >= outer)
                        continue;
                    got += double(merged.row(1, y)[x]);
                    want += double(clean.row(1, y)[x]);
                }
            return got / want;
        };
        for (const demo::Speck &speck : specks) {
            const Point at{speck.x, speck.y};
            if (at.x < kRoom || at.y < kRoom || at.x > kWidth - kRoom || at.y > kHeight - kRoom)
                continue; // one frame or none stands there
            // Before it lacked a sixth.
            const double under =
                lightOver(at, 0.0, 0.7 * speck.radius) / lightOver(at, 1.5 * speck.radius, 2.5 * speck.radius);
            QVERIFY2(std::abs(under - 1.0) < 0.05, qPrintable(QString::number(under)));
        }
        // The tick switches one, Delete removes it; undo brings all back.
        panel().dustList()->item(0)->setCheckState(Qt::Unchecked);
        QVERIFY(!dust.taken()[0].on);
        panel().dustList()->setCurrentRow(0);
        panel().dustList()->setFocus();
        QTest::keyClick(panel().dustList(), Qt::Key_Delete);
        QCOMPARE(int(dust.taken().size()), proposed - 1);
        for (int i = 0; i < 4; ++i)
            document().undo();
        settle();
        QVERIFY(dust.taken().empty());
        QCOMPARE(picture(), before);
        for (int i = 0; i < 2; ++i)
            document().redo();
        settle();
        QCOMPARE(int(dust.taken().size()), proposed);
        // Another set of the same camera and day gets it proposed, in another window and after another start too.
        Document other;
        other.open(paths.mid(1));
        QTRY_VERIFY_WITH_TIMEOUT(other.isOpen(), 60000);
        QCOMPARE(int(other.dust()->proposed().size()), proposed);
        QVERIFY(other.dust()->isFromOtherSet() && other.dust()->taken().empty());
        QVERIFY(std::ranges::all_of(other.dust()->proposed(), [](const DustSpot &spot) { return spot.depth > 0.0; }));
        other.open({test::demoPaths("henhouse-tripod").front()}); // of another camera, size or day
        QTRY_VERIFY_WITH_TIMEOUT(other.isOpen() && other.bracket().frames.size() == 1, 60000);
        QVERIFY(other.dust()->proposed().empty());
    }
};

QTEST_MAIN(TestMendStep)
#include "tst_mend_step.moc"
