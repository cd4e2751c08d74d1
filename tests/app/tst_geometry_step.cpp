// The geometry step in the real window: what is turned, straightened and cropped, and that places stay on the scene.
#include "opened_window.h"

#include "steps/geometry_panel.h"
#include "steps/lens_dialog.h"
#include "widgets/choice_row.h"
#include "widgets/value_slider.h"

#include <QAction>
#include <QImageReader>
#include <QLabel>
#include <QLineEdit>
#include <QPushButton>
#include <QSignalSpy>

#include <opencv2/imgcodecs.hpp>

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

    void dragPlane(const QPointF &from, const QPointF &to) const // places of the picture's plane
    {
        Canvas &canvas = window_->canvas();
        const QPoint start = canvas.widgetAt(from).toPoint(), end = canvas.widgetAt(to).toPoint();
        QTest::mousePress(&canvas, Qt::LeftButton, {}, start);
        QTest::mouseMove(&canvas, (start + end) / 2);
        QTest::mouseMove(&canvas, end);
        QTest::mouseRelease(&canvas, Qt::LeftButton, {}, end);
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
        for (const auto &[path, value] :
             {std::pair("geometry.angle", "2"), std::pair("geometry.tilt", "4"), std::pair("geometry.swing", "4"),
              std::pair("geometry.distortion", "3"), std::pair("geometry.bend_across", "5"),
              std::pair("geometry.bend_down", "5"), std::pair("lens.vignetting", "1")}) {
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
        QVERIFY(panel().rule()->isChecked() && window_->canvas().tool() == panel().tool());
        drag(from, to);
        QVERIFY(!panel().rule()->isChecked());
        QCOMPARE(panel().lines().size(), size_t(1));
        const SceneLine &line = panel().lines()[0];
        const QPointF a = document().toPicture({line.a.x, line.a.y}), b = document().toPicture({line.b.x, line.b.y});
        QVERIFY2(std::abs(a.x() - b.x()) < 0.01, qPrintable(QString::number(a.x() - b.x())));
        QVERIFY(std::abs(geometry().angle - 0.52) < 0.2 && geometry().tilt == 0.0);
        // Another upright one, apart from it, tells the tilt.
        QTest::keyClick(&window_->canvas(), Qt::Key_R, Qt::ShiftModifier);
        QVERIFY(panel().rule()->isChecked());
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
        QVERIFY(!panel().rule()->isChecked());
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
        QCOMPARE(shape->index(), int(CropShape::Free));
        const auto ratio = [&] { return double(document().pictureArea().width()) / document().pictureArea().height(); };
        const auto press = [&](const QString &text) {
            for (QPushButton *button : panel().findChildren<QPushButton *>())
                if (button->text() == text)
                    QTest::mouseClick(button, Qt::LeftButton);
        };
        Q_EMIT shape->chosen(int(CropShape::ThreeTwo));
        QVERIFY(std::abs(ratio() - 1.5) < 0.01);
        Q_EMIT shape->chosen(int(CropShape::FiveFour));
        QVERIFY(std::abs(ratio() - 1.25) < 0.01);
        QCOMPARE(shape->index(), int(CropShape::FiveFour));
        press(QStringLiteral("Other way up"));
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
        press(QStringLiteral("Take all"));
        QCOMPARE(geometry().right, 1.0);
        QCOMPARE(geometry().top, 0.0);
    }
    void theCropIsDraggedOnTheCanvas()
    {
        Canvas &canvas = window_->canvas();
        const QRect plane(QPoint(0, 0), document().planeSize());
        // What is cut off stays in view, darker.
        const QPoint out = canvas.widgetAt({plane.width() * 0.9, plane.height() * 0.9}).toPoint();
        const QPoint in = canvas.widgetAt({plane.width() * 0.3, plane.height() * 0.3}).toPoint();
        const QColor outBefore = window_->shown().pixelColor(out), inBefore = window_->shown().pixelColor(in);
        const QPointF corner = panel().tool()->handles()[4];
        dragPlane(corner, corner - QPointF(400, 300));
        QVERIFY(std::abs(document().pictureArea().width() - (plane.width() - 400)) <=
                6); // a pixel of the screen is some
        QVERIFY(std::abs(document().pictureArea().height() - (plane.height() - 300)) <= 6);
        QVERIFY(window_->shown().pixelColor(out).lightness() < outBefore.lightness());
        QCOMPARE(window_->shown().pixelColor(in), inBefore);
        QCOMPARE(document().undoName(), QStringLiteral("crop")); // one step
        // All of it is moved, and stays on the picture.
        const QRect before = document().pictureArea();
        dragPlane(QPointF(before.center()), QPointF(before.center()) + QPointF(200, 2000));
        QCOMPARE(document().pictureArea().size(), before.size());
        QCOMPARE(document().pictureArea().bottom(), plane.bottom());
        QVERIFY(document().pictureArea().left() > before.left() + 150);
        document().undo();
        QCOMPARE(document().pictureArea(), before);
        document().undo();
        QCOMPARE(document().pictureArea(), plane);
        // Escape puts back what is being dragged.
        const QPoint held = canvas.widgetAt(panel().tool()->handles()[4]).toPoint();
        QTest::mousePress(&canvas, Qt::LeftButton, {}, held);
        QTest::mouseMove(&canvas, held - QPoint(60, 60));
        QVERIFY(document().pictureArea() != plane);
        QTest::keyClick(&canvas, Qt::Key_Escape);
        QCOMPARE(document().pictureArea(), plane);
        QTest::mouseRelease(&canvas, Qt::LeftButton, {}, held);
        // By keys: Tab to the right side, then arrows.
        canvas.setFocus();
        for (int i = 0; i < 4; ++i)
            QTest::keyClick(&canvas, Qt::Key_Tab);
        QCOMPARE(canvas.chosenHandle(), 3);
        QTest::keyClick(&canvas, Qt::Key_Left);
        QTest::keyClick(&canvas, Qt::Key_Left, Qt::ShiftModifier);
        const int moved = plane.width() - document().pictureArea().width();
        QVERIFY2(std::abs(moved - 11.0 / canvas.zoom()) <= 2.0, qPrintable(QString::number(moved)));
        for (int i = 0; i < 5; ++i)
            QTest::keyClick(&canvas, Qt::Key_Tab);
        QVERIFY(canvas.chosenHandle() < 0 && !canvas.hasFocus()); // and on to what follows
        window().goTo(Step::Tone);                                // the frame is gone, the crop is not
        window_->settle();
        QVERIFY(!canvas.tool());
        QVERIFY(canvas.picture().region.width() <= document().pictureArea().width() + 1);
    }
    void cornersArePulled()
    {
        Canvas &canvas = window_->canvas();
        QTest::keyClick(&canvas, Qt::Key_C, Qt::ShiftModifier);
        QVERIFY(panel().pull()->isChecked());
        const QPointF egg = panel().tool()->handles()[0];
        const QPointF scene = document().toReference(egg);
        const QImage before = window_->shown();
        dragPlane(egg, egg - QPointF(40, 0));
        QVERIFY(geometry().tilt > 0.5);
        QVERIFY(std::abs(document().toPicture(scene).x() - egg.x() + 40.0) < 2.5); // it came along
        QVERIFY(window_->shown() != before);
        QTest::keyClick(&canvas, Qt::Key_Tab);
        QTest::keyClick(&canvas, Qt::Key_Up);
        QVERIFY(geometry().swing != 0.0);
        QTest::keyClick(&canvas, Qt::Key_Return);
        QVERIFY(!panel().pull()->isChecked());
        document().undo();
        document().undo();
        QVERIFY(geometry() == GeometrySettings());
    }
    void aLineIsDrawnByKeys()
    {
        Canvas &canvas = window_->canvas();
        QTest::keyClick(&canvas, Qt::Key_R, Qt::ShiftModifier);
        canvas.setFocus();
        QTest::keyClick(&canvas, Qt::Key_Tab); // its beginning
        QTest::keyClick(&canvas, Qt::Key_Up);
        QTest::keyClick(&canvas, Qt::Key_Up, Qt::ShiftModifier);
        const double lean =
            std::atan(11.0 / canvas.zoom() / (0.4 * document().planeSize().width())) * 180.0 / 3.14159265;
        QTest::keyClick(&canvas, Qt::Key_Return);
        QVERIFY(!panel().rule()->isChecked());
        QCOMPARE(panel().lines().size(), size_t(1));
        QVERIFY2(std::abs(geometry().angle + lean) < 0.01, qPrintable(QString::number(geometry().angle)));
    }
    void aLensIsChosenFromAList()
    {
        QVERIFY(document().lensName().isEmpty());                                             // a simulated camera
        QVERIFY(panel().controls()->control(QStringLiteral("lens.straightens"))->isHidden()); // it would do nothing
        const QImage before = picture();
        LensDialog dialog({QStringLiteral("One 24-70mm"), QStringLiteral("Two 50mm"), QStringLiteral("Three 24mm")},
                          {});
        dialog.show();
        QCOMPARE(dialog.chosen(), QString());
        QTest::keyClicks(dialog.search(), QStringLiteral("24 70"));
        QCOMPARE(dialog.chosen(), QStringLiteral("One 24-70mm"));
        dialog.search()->clear();
        QTest::keyClicks(dialog.search(), QStringLiteral("24"));
        QTest::keyClick(dialog.search(), Qt::Key_Down);
        QCOMPARE(dialog.chosen(), QStringLiteral("Three 24mm"));
        // The first listed lens whose data bend and darken.
        LensSettings lens;
        lens.straightens = lens.evens = true;
        for (const std::string &name : listedLenses()) {
            const LensProfilePtr profile = lensProfile({{}, {}, 0.0, 1620, 1080}, name);
            if (profile && std::abs(profile->distortion.at(1.0)) > 0.02 && profile->vignetting.at(1.0) > 0.3) {
                lens.name = name;
                break;
            }
        }
        QVERIFY(!lens.name.empty());
        document().setLens(lens, QStringLiteral("lens"));
        QCOMPARE(document().lensName(), QString::fromStdString(lens.name));
        const QImage both = picture();
        QVERIFY(both != before);
        lens.straightens = false;
        document().setLens(lens, QStringLiteral("lens"));
        const QImage even = picture(); // lies as before, lighter at its rim
        QCOMPARE(document().pictureArea().size(), document().planeSize());
        QCOMPARE(even.size(), before.size());
        const QRect rim(2, 2, 30, 30);
        double sum = 0.0;
        for (int y = rim.top(); y < rim.bottom(); ++y)
            for (int x = rim.left(); x < rim.right(); ++x)
                sum += qGray(even.pixel(x, y)) - qGray(before.pixel(x, y));
        QVERIFY2(sum > 0.0, qPrintable(QString::number(sum)));
        const QPoint middle(even.width() / 2, even.height() / 2);
        QVERIFY(std::abs(qGray(even.pixel(middle)) - qGray(before.pixel(middle))) < 4);
    }
    void emptyCornersAreFilledOrTransparent()
    {
        const QTemporaryDir dir;
        GeometrySettings s;
        s.angle = 10.0;
        s.corners = Corners::Leave;
        set(s);
        QCOMPARE(document().pictureArea().size(), document().planeSize());
        const QString path = dir.filePath(QStringLiteral("picture.tif"));
        QSignalSpy kept(&document(), &Document::kept);
        QTRY_VERIFY(document().outputHistogram());
        window_->settle();
        const auto greyAt = [&] { return document().outputHistogram()->shares[0][118]; }; // what stands for nothing
        QVERIFY2(greyAt() < 0.03f, qPrintable(QString::number(greyAt())));
        document().exportPicture(path);
        QVERIFY(kept.wait(60000));
        const cv::Mat file = cv::imread(path.toStdString(), cv::IMREAD_UNCHANGED);
        QCOMPARE(file.channels(), 4);
        QCOMPARE(file.at<cv::Vec4w>(2, 2)[3], uint16_t(0));
        QCOMPARE(file.at<cv::Vec4w>(file.rows / 2, file.cols / 2)[3], uint16_t(0xffff));
        s.corners = Corners::Fill;
        set(s);
        document().exportPicture(path);
        QVERIFY(kept.wait(60000));
        const cv::Mat filled = cv::imread(path.toStdString(), cv::IMREAD_UNCHANGED);
        QCOMPARE(filled.channels(), 3);
        QVERIFY(filled.at<cv::Vec3w>(2, 2) != filled.at<cv::Vec3w>(2, filled.cols - 3)); // each as its edge is
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
