// The Mend step in the real window, by mouse and by keys, on pixels.
#include "opened_window.h"

#include "drawing/mend_tool.h"
#include "steps/mend_panel.h"
#include "widgets/value_slider.h"

#include <QCheckBox>
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
        window_->canvas().fit();
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
};

QTEST_MAIN(TestMendStep)
#include "tst_mend_step.moc"
