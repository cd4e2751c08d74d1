// The geometry step in the real window: what is turned, straightened and cropped, and that places stay on the scene.
#include "opened_window.h"

#include "steps/geometry_panel.h"
#include "widgets/choice_row.h"
#include "widgets/value_slider.h"

#include <QAction>
#include <QImageReader>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSignalSpy>

#include <cmath>
#include <random>

using namespace yolk;
using namespace yolk::app;

class TestGeometryStep : public QObject {
    Q_OBJECT
    std::unique_ptr<test::OpenedWindow> window_;

    MainWindow &window() const { return **window_; }
    Document &document() const { return window_->document(); }
    GeometryPanel &panel() const { return *window().geometryPanel(); }
    const GeometrySettings &geometry() const { return document().recipe().geometry; }
    QImage picture() const { return window_->picture(); }
    void set(const GeometrySettings &geometry) const
    {
        document().setGeometry(geometry, QStringLiteral("geometry"));
        window_->settle();
    }
    void type(const char *path, const QString &text) const
    {
        QLineEdit *edit = panel().controls()->slider(QLatin1String(path))->edit();
        edit->setFocus();
        edit->selectAll();
        QTest::keyClicks(edit, text);
        QTest::keyClick(edit, Qt::Key_Return);
        window_->settle();
    }
    void drag(const QPointF &from, const QPointF &to) const // places of the reference frame
    {
        Canvas &canvas = window_->canvas();
        const auto at = [&](const QPointF &place) { return canvas.widgetAt(document().toPicture(place)).toPoint(); };
        QTest::mousePress(&canvas, Qt::LeftButton, {}, at(from));
        QTest::mouseMove(&canvas, at((from + to) / 2.0));
        QTest::mouseMove(&canvas, at(to));
        QTest::mouseRelease(&canvas, Qt::LeftButton, {}, at(to));
        window_->settle();
    }

private Q_SLOTS:
    void init()
    {
        window_ = std::make_unique<test::OpenedWindow>(QStringLiteral("henhouse-tripod"));
        window().goTo(Step::Geometry);
    }
    void cleanup() { window_.reset(); }

    void numbersAreTyped()
    {
        const QImage before = picture();
        type("geometry.angle", QStringLiteral("0.3"));
        QCOMPARE(geometry().angle, 0.3);
        QVERIFY(picture() != before);
        const QPointF a = document().toPicture({200, 500}), b = document().toPicture({1400, 500});
        const double degrees = std::atan2(b.y() - a.y(), b.x() - a.x()) * 180.0 / 3.14159265358979;
        QVERIFY(std::abs(degrees - 0.3) < 0.001);
        QVERIFY(document().pictureArea().width() < document().planeSize().width()); // no empty corners
        type("geometry.angle", QStringLiteral("0"));
        QCOMPARE(picture(), before);
    }
    void everyControlChangesThePicture()
    {
        for (const auto &[path, value] : {std::pair("geometry.angle", "2"), std::pair("geometry.tilt", "4"),
                                          std::pair("geometry.swing", "4"), std::pair("geometry.distortion", "3"),
                                          std::pair("geometry.left", "0.2"), std::pair("geometry.bottom", "0.8")}) {
            const QImage before = picture();
            type(path, QLatin1String(value));
            QVERIFY2(picture() != before, path);
            document().undo();
            QVERIFY2(picture() == before, path);
        }
        QVERIFY(!panel().controls()->slider(QStringLiteral("geometry.strength"))->isVisible()); // of nothing
        type("geometry.tilt", QStringLiteral("5"));
        QVERIFY(!panel().controls()->slider(QStringLiteral("geometry.strength"))->isHidden());
        const QImage full = picture();
        type("geometry.strength", QStringLiteral("50"));
        QVERIFY(picture() != full);
        const int width = document().planeSize().width();
        GeometrySettings turned;
        turned.turn = QuarterTurn::Left;
        set(turned);
        QCOMPARE(document().planeSize().height(), width);
        QVERIFY(document().pictureArea().height() > document().pictureArea().width());
    }
    void aLineIsDrawnOnThePicture()
    {
        GeometrySettings tilted;
        tilted.angle = 3.0;
        set(tilted);
        // Along something that is upright in the frame but for half a degree, as a hand finds it.
        const QPointF from(700, 250), to(705, 800);
        QTest::mouseClick(panel().rule(), Qt::LeftButton);
        QVERIFY(window_->canvas().isRuling() && panel().rule()->isChecked());
        drag(from, to);
        QVERIFY(!window_->canvas().isRuling() && !panel().rule()->isChecked());
        QCOMPARE(panel().lines().size(), size_t(1));
        const SceneLine &line = panel().lines()[0];
        const QPointF a = document().toPicture({line.a.x, line.a.y}), b = document().toPicture({line.b.x, line.b.y});
        QVERIFY2(std::abs(a.x() - b.x()) < 0.01, qPrintable(QString::number(a.x() - b.x())));
        QVERIFY(std::abs(geometry().angle - 0.52) < 0.2 && geometry().tilt == 0.0);
        // Another upright one, apart from it, tells the tilt.
        QTest::keyClick(&window_->canvas(), Qt::Key_R, Qt::ShiftModifier);
        QVERIFY(window_->canvas().isRuling());
        drag({1250, 250}, {1200, 800});
        QVERIFY(geometry().tilt != 0.0);
        for (const SceneLine &l : panel().lines()) {
            const QPointF c = document().toPicture({l.a.x, l.a.y}), d = document().toPicture({l.b.x, l.b.y});
            QVERIFY(std::abs(c.x() - d.x()) < 0.05);
        }
        document().undo();
        QCOMPARE(geometry().tilt, 0.0);
        QTest::keyClick(&window_->canvas(), Qt::Key_R, Qt::ShiftModifier);
        QTest::keyClick(&window_->canvas(), Qt::Key_Escape); // it was not meant
        QVERIFY(!window_->canvas().isRuling());
    }
    void theBarnStandsUprightByItself()
    {
        GeometrySettings tilted;
        tilted.angle = 2.0;
        set(tilted);
        QTest::mouseClick(panel().upright(), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(geometry().angle != 2.0, 30000);
        window_->settle();
        // The scene's camera stands level and looks down: no angle, and boards that lean apart above.
        QVERIFY2(std::abs(geometry().angle) < 0.1, qPrintable(QString::number(geometry().angle)));
        QVERIFY(geometry().tilt < -2.0);
        document().undo();
        QTest::mouseClick(panel().level(), Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(geometry().angle != 2.0, 30000);
        QVERIFY(std::abs(geometry().angle) < 0.2 && geometry().tilt == 0.0);
    }
    void placesStayOnTheScene() // through every change and back, to a tenth of a pixel
    {
        document().addPin({900, 520});
        window_->settle();
        const Reading before = document().pins()[0];
        QVERIFY(before.probe && before.output.isValid());
        std::mt19937 random(3);
        std::uniform_real_distribution<double> unit(-1.0, 1.0);
        for (int i = 0; i < 100; ++i) {
            GeometrySettings s;
            s.angle = 5.0 * unit(random);
            s.tilt = 6.0 * unit(random);
            s.swing = 6.0 * unit(random);
            s.distortion = 4.0 * unit(random);
            s.turn = QuarterTurn(random() % 4);
            s.flip = random() % 2;
            document().setGeometry(s, QStringLiteral("geometry"));
            const QPointF on = document().toPicture(document().pins()[0].at), back = document().toReference(on);
            QVERIFY(std::hypot(back.x() - 900.0, back.y() - 520.0) < 0.1);
        }
        window_->settle();
        QCOMPARE(document().pins()[0].output, before.output); // of the same pixel
        // What lies under the pointer there is what the pin reads.
        Canvas &canvas = window_->canvas();
        const QPoint at = canvas.widgetAt(document().toPicture({900, 520})).toPoint();
        QTest::mouseMove(&canvas, at);
        QTRY_VERIFY(document().pointed());
        QVERIFY(std::hypot(document().pointed()->at.x() - 900.0, document().pointed()->at.y() - 520.0) < 4.0);
        // And the canvas shows its colour there.
        window_->settle();
        const QColor shown = QColor(window_->shown().pixel(at));
        QVERIFY2(std::abs(shown.green() - before.output.green()) < 30,
                 qPrintable(QStringLiteral("%1 %2").arg(shown.name(), before.output.name())));
    }
    void cropsHaveTheirShape()
    {
        ChoiceRow *shape = panel().shape();
        QCOMPARE(shape->index(), 0);
        const auto ratio = [&] { return double(document().pictureArea().width()) / document().pictureArea().height(); };
        Q_EMIT shape->chosen(3); // 3:2
        QVERIFY(std::abs(ratio() - 1.5) < 0.01);
        Q_EMIT shape->chosen(2);
        QVERIFY(std::abs(ratio() - 1.25) < 0.01);
        QCOMPARE(shape->index(), 2);
        for (QPushButton *button : panel().findChildren<QPushButton *>())
            if (button->text() == QStringLiteral("Other way up"))
                QTest::mouseClick(button, Qt::LeftButton);
        QVERIFY(std::abs(ratio() - 0.8) < 0.01);
        type("geometry.angle", QStringLiteral("4"));
        QVERIFY(std::abs(ratio() - 0.8) < 0.01); // while it is turned too
        bool said = false;
        const QString size = QStringLiteral("%1 × %2 pixels")
                                 .arg(document().pictureArea().width())
                                 .arg(document().pictureArea().height());
        for (const QLabel *label : panel().findChildren<QLabel *>())
            said = said || label->text().startsWith(size);
        QVERIFY(said);
        Q_EMIT shape->chosen(0);
        QCOMPARE(geometry().right, 1.0);
        QCOMPARE(shape->index(), 0);
    }
    void filesAreWhatTheCanvasShows()
    {
        const QTemporaryDir dir;
        GeometrySettings s;
        s.angle = 3.0;
        s.tilt = -4.0;
        s.left = 0.1;
        set(s);
        const QString path = dir.filePath(QStringLiteral("picture.jpg"));
        QSignalSpy kept(&document(), &Document::kept);
        document().exportPicture(path);
        QVERIFY(kept.wait(60000));
        const QImage file = QImageReader(path).read();
        QCOMPARE(file.size(), document().pictureArea().size());
        const ViewPicture &view = window_->canvas().picture();
        const QRectF area(document().pictureArea());
        double sum = 0.0;
        int count = 0;
        for (int y = 20; y < view.image.height() - 20; y += 7)
            for (int x = 20; x < view.image.width() - 20; x += 7) {
                const double px = view.region.left() + (x + 0.5) * view.region.width() / view.image.width();
                const double py = view.region.top() + (y + 0.5) * view.region.height() / view.image.height();
                const QPoint at(int(px - area.left()), int(py - area.top()));
                if (!file.rect().contains(at))
                    continue;
                sum += std::abs(qGray(file.pixel(at)) - qGray(view.image.pixel(x, y)));
                ++count;
            }
        constexpr double kNear = 9.0; // code values: one pixel of the file against the mean of four, coding
        QVERIFY2(count > 1000 && sum / count < kNear, qPrintable(QString::number(sum / count)));
    }
    void framesAndInspectionsLieInTheSamePlace()
    {
        GeometrySettings s;
        s.angle = 6.0;
        s.turn = QuarterTurn::Right;
        set(s);
        const QSize size = window_->canvas().picture().image.size();
        for (int mode = 0; mode < 8; ++mode) {
            document().inspect(document().lastInspection(InspectMode(mode)));
            QCOMPARE(picture().size(), size);
        }
        document().inspect(std::nullopt);
        document().comparison()->setWay(CompareWay::Split);
        window_->settle();
        QTRY_COMPARE(window_->canvas().picture().against.size(), window_->canvas().picture().image.size());
    }
    void itIsAStageLikeOthers()
    {
        const QImage start = picture();
        GeometrySettings s;
        s.angle = 3.0;
        set(s);
        document().setGroupOn(QStringLiteral("straighten"), false);
        QCOMPARE(picture(), start);
        document().startAgain(Step::Geometry);
        QVERIFY(geometry() == GeometrySettings());
        QVERIFY(document().recipe().groups.off.empty());
    }
};

QTEST_MAIN(TestGeometryStep)
#include "tst_geometry_step.moc"
