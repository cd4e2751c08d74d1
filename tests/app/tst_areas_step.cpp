// The areas step in the real window: shapes are added, drawn, painted by mouse, pen and keys, and everything can be undone.
#include "opened_window.h"

#include "document/areas.h"
#include "lightscale/light_scale.h"
#include "steps/area_settings_group.h"
#include "steps/area_shape_group.h"
#include "steps/areas_panel.h"
#include "steps/step_path.h"
#include "widgets/value_slider.h"

#include <QCheckBox>
#include <QClipboard>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPointingDevice>
#include <QPushButton>
#include <QTabletEvent>

using namespace yolk;
using namespace yolk::app;

class TestAreasStep : public QObject {
    Q_OBJECT
    std::unique_ptr<test::OpenedWindow> window_;

    MainWindow &window() const { return **window_; }
    Document &document() const { return window_->document(); }
    Areas &areas() const { return *document().areas(); }
    AreasPanel &panel() const { return *window().areasPanel(); }
    Canvas &canvas() const { return window_->canvas(); }
    QImage picture() const { return window_->picture(); }
    QPoint at(const QPointF &place) const { return canvas().widgetAt(place).toPoint(); }
    const AreaShape &shape() const { return areas().chosen()->shapes[size_t(areas().chosenShape())]; }

    void add(ShapeKind kind) const { QTest::mouseClick(panel().addButton(kind), Qt::LeftButton); }
    void ask(const QString &name) const // of the menu of settings
    {
        Q_EMIT panel().settings()->menu()->aboutToShow();
        for (QAction *group : panel().settings()->menu()->actions())
            for (QAction *action : group->menu()->actions())
                if (action->text() == name)
                    return action->trigger();
        QFAIL(qPrintable(name));
    }
    void type(ValueSlider *slider, const QString &text) const
    {
        QVERIFY(slider);
        slider->edit()->setFocus();
        slider->edit()->selectAll();
        QTest::keyClicks(slider->edit(), text);
        QTest::keyClick(slider->edit(), Qt::Key_Return);
        window_->settle();
    }
    void drag(const QList<QPointF> &way, Qt::KeyboardModifiers modifiers = {}) const // places of the plane
    {
        QTest::mousePress(&canvas(), Qt::LeftButton, modifiers, at(way.front()));
        for (const QPointF &p : way)
            QTest::mouseMove(&canvas(), at(p));
        QTest::mouseRelease(&canvas(), Qt::LeftButton, modifiers, at(way.back()));
        window_->settle();
    }
    /// Mean code of a part of the picture on the canvas, places of the plane.
    double lightAt(const QPointF &place) const
    {
        const QImage shown = picture();
        const ViewPicture &view = canvas().picture();
        const double zoom = shown.width() / view.region.width();
        const QPointF p = (place - view.region.topLeft()) * zoom;
        double sum = 0.0;
        constexpr int kHalf = 6;
        for (int y = -kHalf; y <= kHalf; ++y)
            for (int x = -kHalf; x <= kHalf; ++x)
                sum += qGray(shown.pixel(int(p.x()) + x, int(p.y()) + y));
        return sum / ((2 * kHalf + 1) * (2 * kHalf + 1));
    }

private Q_SLOTS:
    void initTestCase() { window_ = std::make_unique<test::OpenedWindow>(QStringLiteral("henhouse-tripod")); }
    void init() // each starts with the picture as it was opened
    {
        window().goTo(Step::Areas);
        areas().setLook(AreaLook::Picture);
        areas().setAll({}, QStringLiteral("start"));
        document().setGeometry({}, QStringLiteral("start"));
        window_->settle();
    }
    void cleanupTestCase() { window_.reset(); }

    void aNewAreaIsNeutralAndItsSettingsAreTyped()
    {
        const QImage before = picture();
        add(ShapeKind::Whole);
        window_->settle();
        QCOMPARE(areas().all().size(), size_t(1));
        QCOMPARE(areas().nameOf(0), QStringLiteral("Whole 1"));
        QCOMPARE(picture(), before);
        QVERIFY(!panel().settings()->amount(QStringLiteral("tone.exposure")));
        ask(QStringLiteral("Exposure"));
        type(panel().settings()->amount(QStringLiteral("tone.exposure")), QStringLiteral("1"));
        QCOMPARE(areas().chosen()->amounts.at("tone.exposure"), 1.0);
        QVERIFY(picture() != before);
        type(panel().settings()->strength(), QStringLiteral("0"));
        QCOMPARE(picture(), before);
        document().undo();
        document().undo();
        window_->settle();
        QCOMPARE(picture(), before);
        document().undo();
        QVERIFY(areas().all().empty());
        QVERIFY(!panel().list()->isVisible());
    }
    void everyLocalSettingChangesThePicture()
    {
        add(ShapeKind::Whole);
        const QImage before = picture();
        QStringList names;
        Q_EMIT panel().settings()->menu()->aboutToShow();
        for (QAction *group : panel().settings()->menu()->actions())
            for (QAction *action : group->menu()->actions())
                names << action->text();
        for (const char *name : {"Exposure", "Contrast", "Whites", "Shadows", "Local contrast", "Fine detail",
                                 "Temperature", "Tint", "Saturation", "Vibrance", "Turn hue", "Warm and cool apart"})
            QVERIFY2(names.contains(QLatin1String(name)), name);
        for (const char *path :
             {"tone.exposure", "tone.contrast", "tone.whites", "tone.shadows", "tone.local_contrast",
              "tone.local_darks", "tone.fine_detail", "white.temperature", "white.tint", "colour.saturation",
              "colour.vibrance", "colour.warm_cool", "hue.turn", "tints.lights"}) {
            Area area = *areas().chosen();
            area.amounts = {{path, 40.0}};
            areas().set(0, area, QStringLiteral("try"));
            window_->settle();
            QVERIFY2(picture() != before, path);
        }
    }
    void aGradientIsDraggedByItsEggs()
    {
        add(ShapeKind::Gradient);
        QCOMPARE(canvas().tool(), static_cast<CanvasTool *>(panel().handles()));
        const QList<QPointF> handles = panel().handles()->handles();
        QCOMPARE(handles.size(), 3);
        Area area = *areas().chosen();
        area.amounts["tone.exposure"] = -2.0;
        areas().set(0, area, QStringLiteral("darken"));
        window_->settle();
        const QPointF above(300, 60), below(300, 1000);
        const double dark = lightAt(above), bright = lightAt(below);
        document().undo();
        window_->settle();
        QVERIFY(dark < lightAt(above) - 5.0);
        QVERIFY(std::abs(bright - lightAt(below)) < 0.5);
        document().redo();
        const Point was = shape().places[0];
        drag({handles[0], handles[0] + QPointF(80, 40)});
        QVERIFY(std::abs(shape().places[0].x - was.x - 80.0) < 2.5 &&
                std::abs(shape().places[0].y - was.y - 40.0) < 2.5);
        // The middle moves both; Escape puts back; arrow keys go by tens of screen pixels.
        const PointList kept = shape().places;
        const QPointF middle = panel().handles()->handles()[2];
        QTest::mousePress(&canvas(), Qt::LeftButton, {}, at(middle));
        QTest::mouseMove(&canvas(), at(middle + QPointF(100, 0)));
        QVERIFY(shape().places != kept);
        canvas().giveUp();
        QTest::mouseRelease(&canvas(), Qt::LeftButton, {}, at(middle));
        QCOMPARE(shape().places, kept);
        canvas().setFocus();
        canvas().chooseHandle(1);
        QTest::keyClick(&canvas(), Qt::Key_Down);
        QVERIFY(shape().places[1].y > kept[1].y && shape().places[0] == kept[0]);
        QTest::keyClick(&canvas(), Qt::Key_Tab);
        QCOMPARE(canvas().chosenHandle(), 2);
    }
    void anOvalKeepsItsRadiiUpright()
    {
        add(ShapeKind::Oval);
        const QList<QPointF> handles = panel().handles()->handles();
        drag({handles[1], handles[1] + QPointF(0, 200)});
        const PointList &p = shape().places;
        const double dot = (p[1].x - p[0].x) * (p[2].x - p[0].x) + (p[1].y - p[0].y) * (p[2].y - p[0].y);
        QVERIFY(std::abs(dot) < 30.0);
        drag({panel().handles()->handles()[0], handles[0] - QPointF(100, 0)});
        QVERIFY(std::abs(shape().places[0].x - handles[0].x() + 100.0) < 2.5);
    }
    void strokesArePaintedErasedAndUndone()
    {
        add(ShapeKind::Brush);
        QCOMPARE(canvas().tool(), static_cast<CanvasTool *>(panel().brush()));
        Area area = *areas().chosen();
        area.amounts["tone.exposure"] = 2.0;
        areas().set(0, area, QStringLiteral("lighten"));
        window_->settle();
        const QPointF from(250, 850), to(600, 850);
        const double before = lightAt({420, 850});
        drag({from, (from + to) / 2.0, to});
        QCOMPARE(shape().strokes.size(), size_t(1));
        QVERIFY(lightAt({420, 850}) > before + 5.0);
        drag({from, to}, Qt::ControlModifier);
        QCOMPARE(shape().strokes.size(), size_t(2));
        QVERIFY(shape().strokes[1].erases);
        QVERIFY(std::abs(lightAt({420, 850}) - before) < 3.0);
        document().undo(); // a stroke is a step
        QCOMPARE(shape().strokes.size(), size_t(1));
        // Straight on from the end of the last stroke.
        document().redo();
        drag({QPointF(600, 400)}, Qt::ShiftModifier);
        QCOMPARE(shape().strokes.size(), size_t(3));
        QCOMPARE(shape().strokes[2].points.size(), size_t(2));
        document().undo();
        document().undo();
        document().undo();
        QCOMPARE(shape().strokes.size(), size_t(0));
        window_->settle();
        QVERIFY(std::abs(lightAt({420, 850}) - before) < 0.5);
    }
    void aPenPressesHarderOrLess()
    {
        add(ShapeKind::Brush);
        const QPointingDevice pen(QStringLiteral("pen"), 7, QInputDevice::DeviceType::Stylus,
                                  QPointingDevice::PointerType::Pen,
                                  QInputDevice::Capability::Position | QInputDevice::Capability::Pressure, 1, 1);
        const auto send = [&](QEvent::Type type, const QPointF &place, double pressure) {
            const QPointF local = canvas().widgetAt(place), global = canvas().mapToGlobal(local);
            QTabletEvent event(type, &pen, local, global, pressure, 0, 0, 0, 0, 0, {}, Qt::LeftButton,
                               type == QEvent::TabletRelease ? Qt::NoButton : Qt::LeftButton);
            QCoreApplication::sendEvent(&canvas(), &event);
            const QPoint to = local.toPoint(); // as the toolkit does with what nobody took
            if (type == QEvent::TabletPress)
                QTest::mousePress(&canvas(), Qt::LeftButton, {}, to);
            else if (type == QEvent::TabletMove)
                QTest::mouseMove(&canvas(), to);
            else
                QTest::mouseRelease(&canvas(), Qt::LeftButton, {}, to);
            QVERIFY(!event.isAccepted());
        };
        send(QEvent::TabletPress, {300, 600}, 0.3);
        send(QEvent::TabletMove, {500, 600}, 0.6);
        send(QEvent::TabletMove, {700, 600}, 0.9);
        send(QEvent::TabletRelease, {700, 600}, 0.0);
        const PointList &pressure = shape().strokes[0].pressure;
        QCOMPARE(pressure.size(), size_t(3));
        QCOMPARE(pressure[0].y, 0.3);
        QCOMPARE(pressure[2].y, 0.9);
        QVERIFY(std::abs(pressure[1].x - 0.5) < 0.02);
        drag({QPointF(300, 700), QPointF(500, 700)}); // the mouse has none
        QVERIFY(shape().strokes[1].pressure.empty());
    }
    void keysPaintToo()
    {
        add(ShapeKind::Brush);
        canvas().setFocus();
        QTest::keyClick(&canvas(), Qt::Key_Tab);
        QCOMPARE(canvas().chosenHandle(), 0);
        QTest::keyClick(&canvas(), Qt::Key_Return);
        QVERIFY(panel().brush()->isPainting());
        for (int i = 0; i < 5; ++i)
            QTest::keyClick(&canvas(), Qt::Key_Right);
        QTest::keyClick(&canvas(), Qt::Key_Return);
        QVERIFY(!panel().brush()->isPainting());
        QCOMPARE(shape().strokes[0].points.size(), size_t(6));
        document().undo();
        QVERIFY(shape().strokes.empty());
    }
    void lightIsPaintedOnStepByStep()
    {
        QTest::mouseClick(panel().lighten(), Qt::LeftButton);
        const double before = lightAt({420, 850});
        drag({QPointF(300, 850), QPointF(600, 850)});
        const double once = lightAt({420, 850});
        drag({QPointF(300, 850), QPointF(600, 850)});
        QVERIFY(once > before && lightAt({420, 850}) > once);
        add(ShapeKind::Oval);
        QTest::mouseClick(panel().lighten(), Qt::LeftButton); // the same area again
        QCOMPARE(areas().chosenIndex(), 0);
        QCOMPARE(areas().all().size(), size_t(2));
    }
    void shapesJoinAndAreTakenAway()
    {
        add(ShapeKind::Oval);
        for (QAction *meets : panel().shapes()->menu()->actions())
            if (meets->text() == QStringLiteral("Cut"))
                for (QAction *kind : meets->menu()->actions())
                    if (kind->text() == QStringLiteral("Gradient"))
                        kind->trigger();
        QCOMPARE(areas().chosen()->shapes.size(), size_t(2));
        QCOMPARE(areas().chosenShape(), 1);
        QCOMPARE(shape().meets, Meets::Cut);
        QVERIFY(panel().tool() == panel().handles() && panel().handles()->handles().size() == 3);
        areas().chooseShape(0);
        auto *keeps = qobject_cast<QCheckBox *>(panel().shapes()->controls().control(QStringLiteral("keeps_to_edges")));
        keeps->click();
        QVERIFY(shape().keepsToEdges);
    }
    void theListOrdersNamesAndSwitches()
    {
        add(ShapeKind::Whole);
        add(ShapeKind::Oval);
        QListWidget *list = panel().list();
        QCOMPARE(list->count(), 2);
        QCOMPARE(list->currentRow(), 1);
        list->item(0)->setText(QStringLiteral("Everything"));
        QCOMPARE(areas().nameOf(0), QStringLiteral("Everything"));
        list->item(0)->setCheckState(Qt::Unchecked);
        QVERIFY(!areas().all()[0].on);
        list->setCurrentRow(0);
        QCOMPARE(areas().chosenIndex(), 0);
        areas().move(0, +1);
        QCOMPARE(list->item(1)->text(), QStringLiteral("Everything"));
        areas().duplicate(1);
        QCOMPARE(list->count(), 3);
        areas().copy(2);
        areas().remove(2);
        areas().paste();
        QCOMPARE(list->count(), 3);
        QGuiApplication::clipboard()->setText(QStringLiteral("nothing of the kind"));
        areas().paste();
        QCOMPARE(list->count(), 3);
        areas().setGroup(0, QStringLiteral("Ground"));
        areas().setGroup(2, QStringLiteral("Ground"));
        areas().setGroupOn(2, false);
        QVERIFY(!areas().all()[0].on && !areas().all()[2].on);
        const bool middle = areas().all()[1].on;
        areas().setGroupOn(0, true);
        QVERIFY(areas().all()[0].on && areas().all()[2].on && areas().all()[1].on == middle);
        QMenu menu;
        panel().makeAreaMenu(menu, 0);
        for (QAction *action : menu.actions())
            if (action->text().startsWith(QStringLiteral("Take out")))
                action->trigger();
        QVERIFY(areas().all()[0].group.empty() && areas().all()[2].group == "Ground");
        QVERIFY(window().findChild<StepPath *>()->tab(int(Step::Areas))->isMarked());
    }
    void theChosenAreaIsShownInEveryWay()
    {
        add(ShapeKind::Oval);
        Area area = *areas().chosen();
        area.amounts["tone.exposure"] = 2.0;
        areas().set(0, area, QStringLiteral("lighten"));
        window_->settle();
        QList<QImage> seen{picture()};
        for (const AreaLook look : {AreaLook::Hatched, AreaLook::Alone, AreaLook::Mask, AreaLook::Without}) {
            areas().setLook(look);
            window_->settle();
            QVERIFY(!seen.contains(picture()));
            seen << picture();
        }
        areas().setLook(AreaLook::Picture);
        window_->settle();
        QTest::keyPress(&canvas(), Qt::Key_A); // while it is held
        window_->settle();
        QCOMPARE(picture(), seen[1]);
        QTest::keyRelease(&canvas(), Qt::Key_A);
        window_->settle();
        QCOMPARE(picture(), seen[0]);
        areas().setLook(AreaLook::Mask);
        window_->settle();
        const QPointF middle = panel().handles()->handles()[0];
        QVERIFY(lightAt(middle) > 253.0 && lightAt({30, 30}) < 1.0);
        window().goTo(Step::Tone); // there the picture is the picture
        window_->settle();
        QCOMPARE(picture(), seen[0]);
    }
    void stopsAreDraggedOnTheLightScale()
    {
        add(ShapeKind::Stops);
        auto *scale = window().findChild<LightScale *>();
        window_->settle();
        QTRY_VERIFY(areas().histogram());
        const double low = shape().low, high = shape().high;
        const QPoint from = scale->spanEnd(false).toPoint(), to = from - QPoint(60, 0);
        QTest::mousePress(scale, Qt::LeftButton, {}, from);
        QTest::mouseMove(scale, to);
        QTest::mouseRelease(scale, Qt::LeftButton, {}, to);
        QVERIFY(shape().low < low - 0.5 && shape().high == high);
        document().undo();
        QCOMPARE(shape().low, low);
    }
    void twoHundredAreasAreListed()
    {
        std::vector<Area> many(200);
        for (Area &area : many) {
            area.shapes = {areas().shapeOf(ShapeKind::Oval)};
            area.amounts["tone.exposure"] = 0.01;
        }
        areas().setAll(many, QStringLiteral("many"));
        areas().choose(150);
        window_->settle();
        QCOMPARE(panel().list()->count(), 200);
        QCOMPARE(panel().list()->item(199)->text(), QStringLiteral("Oval 200"));
        QCOMPARE(panel().list()->currentRow(), 150);
    }
    void areasStayOnTheSceneWhateverThePicture()
    {
        add(ShapeKind::Oval);
        Area area = *areas().chosen();
        area.amounts["tone.exposure"] = 2.5;
        areas().set(0, area, QStringLiteral("lighten"));
        GeometrySettings turned;
        turned.turn = QuarterTurn::Right;
        document().setGeometry(turned, QStringLiteral("turn"));
        window_->settle();
        areas().setLook(AreaLook::Mask);
        window_->settle();
        const QPointF middle = panel().handles()->handles()[0];
        QVERIFY(lightAt(middle) > 253.0);
        QCOMPARE(areas().chosen()->shapes, area.shapes);
    }
};

QTEST_MAIN(TestAreasStep)
#include "tst_areas_step.moc"
