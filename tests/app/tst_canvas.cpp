// The canvas of the real window: zoom, pan, overview, loupe, readings, clipping, guides. Also run at twice the density.
#include "app/opened_window.h"

#include "canvas/readings_list.h"
#include "lightscale/light_scale.h"
#include "status_line.h"

#include <QAction>
#include <QSignalSpy>
#include <QWheelEvent>

#include <cmath>

using namespace yolk;
using namespace yolk::app;
using yolk::test::OpenedWindow;

class TestCanvas : public QObject {
    Q_OBJECT
    std::unique_ptr<OpenedWindow> window_;
    Document &document() { return window_->document(); }
    Canvas &canvas() { return window_->canvas(); }
    double ratio() { return canvas().devicePixelRatioF(); }
    /// Of what is painted, in device pixels.
    QImage painted()
    {
        QImage out = window_->shown();
        out.setDevicePixelRatio(1.0);
        return out;
    }
    QPoint device(const QPointF &picture) { return (canvas().widgetAt(picture) * ratio()).toPoint(); }
    void drag(const QPoint &from, const QPoint &to)
    {
        QTest::mousePress(&canvas(), Qt::LeftButton, {}, from);
        QTest::mouseMove(&canvas(), (from + to) / 2);
        QTest::mouseMove(&canvas(), to);
        QTest::mouseRelease(&canvas(), Qt::LeftButton, {}, to);
    }
    void moveTo(const QPointF &picture)
    {
        const QPoint to = canvas().widgetAt(picture).toPoint();
        for (const QPoint &at : {to + QPoint(9, 7), to}) { // a move to where the pointer is would not be told
            QMouseEvent event(QEvent::MouseMove, QPointF(at), canvas().mapToGlobal(QPointF(at)), Qt::NoButton,
                              Qt::NoButton, Qt::NoModifier);
            QApplication::sendEvent(&canvas(), &event);
        }
        window_->settle();
        QTRY_VERIFY(document().pointed() && document().pointed()->output.isValid()); // from a job of its own
    }

private Q_SLOTS:
    void movesAsADraftAndRestsWhole()
    {
        const auto steepness = [](const QImage &image) { // mean step from pixel to pixel
            double sum = 0.0;
            for (int y = 0; y < image.height(); ++y)
                for (int x = 1; x < image.width(); ++x)
                    sum += std::abs(qGreen(image.pixel(x, y)) - qGreen(image.pixel(x - 1, y)));
            return sum / image.width() / image.height();
        };
        const QImage start = window_->picture();
        document().setViewBudget(0.01); // no machine keeps to it
        QSignalSpy views(&document(), &Document::viewReady);
        QImage moving;
        for (int i = 0; i < 6; ++i) {
            document().setTone(&ToneSettings::exposure, document().recipe().tone.exposure + 0.01, QStringLiteral("move"),
                               QStringLiteral("move"));
            QVERIFY(views.wait(20000));
            moving = canvas().picture().image;
        }
        QCOMPARE(moving.size(), start.size());
        QVERIFY2(steepness(moving) < 0.95 * steepness(start), qPrintable(QString::number(steepness(moving))));
        const QImage rested = window_->picture(); // as a file would show it
        document().setViewBudget({});
        document().setTone(&ToneSettings::contrast, 5.0, QStringLiteral("contrast"));
        document().undo();
        QCOMPARE(window_->picture(), rested);
        document().undo();
        QCOMPARE(window_->picture(), start);
    }
    void initTestCase() { window_ = std::make_unique<OpenedWindow>("henhouse-tripod"); }
    void cleanupTestCase() { window_.reset(); }
    void cleanup()
    {
        document().clearPins();
        document().setEnds(std::nullopt);
        canvas().setGuides(Guides::None);
        canvas().fit();
        window_->settle();
    }

    void viewportGeometry()
    {
        Viewport v;
        v.pane = {900, 500};
        const QRectF area(100, 50, 1600, 1200);
        v.show(area, 10, false);
        QCOMPARE(v.zoom, 0.4); // 480 of 1200
        QVERIFY((v.toPicture({450, 250}) - area.center()).manhattanLength() < 1.0 / v.zoom);
        v.show(area, 10, true);
        QCOMPARE(v.zoom, 900.0 / 1600.0);
        const QPointF fixed(200, 120);
        for (const double zoom : {0.05, 0.3, 1.0, 3.7, 16.0}) {
            const QPointF under = v.toPicture(fixed);
            v.zoomAt(zoom, fixed);
            QVERIFY((v.toPicture(fixed) - under).manhattanLength() <= 1.01 / zoom); // origins are whole pixels
        }
        v.zoomAt(100.0, fixed);
        QCOMPARE(v.zoom, kMostZoom);
        v.zoomAt(0.0001, fixed);
        QCOMPARE(v.zoom, kLeastZoom);
        v.zoomAt(1.011, fixed);
        QCOMPARE(v.zoom, 1.0);
        const auto seen = v.visible(area, 0.0);
        QVERIFY(seen && seen->region.size() == QSizeF(seen->size)); // true pixels
        v.centre = {1e6, 1e6};
        v.keepWithin(area);
        QCOMPARE(v.centre, area.bottomRight());
        v.centre = {-5000, 0};
        QVERIFY(!v.visible(area, 0.0));
    }
    void truePixelsAreCopied()
    {
        canvas().zoomTo(1.0);
        window_->settle();
        const QImage image = painted();
        const ViewPicture &view = canvas().picture();
        QVERIFY(view.full && view.region.size() == QSizeF(view.image.size()));
        for (const QPoint at : {QPoint(700, 600), QPoint(851, 533), QPoint(923, 701)}) {
            const QPoint on = device(QPointF(at));
            QVERIFY(image.rect().contains(on));
            QCOMPARE(image.pixel(on), view.image.pixel(at - view.region.topLeft().toPoint()));
        }
    }
    void largePixelsAreSquares()
    {
        canvas().zoomTo(4.0);
        window_->settle();
        const QImage image = painted();
        const QPoint corner = device(QPointF(803, 600));
        bool differs = false;
        for (int dy = 0; dy < 4; ++dy)
            for (int dx = 0; dx < 4; ++dx) {
                QCOMPARE(image.pixel(corner + QPoint(dx, dy)), image.pixel(corner));
                differs = differs || image.pixel(corner + QPoint(dx + 4, dy + 4)) != image.pixel(corner);
            }
        QVERIFY(differs);
    }
    void whatLiesUnderThePointerStaysThere()
    {
        const QPointF at(300, 200), under = canvas().pictureAt(at);
        for (int i = 0; i < 8; ++i) {
            QWheelEvent wheel(at, canvas().mapToGlobal(at), {}, {0, 120}, Qt::NoButton, Qt::NoModifier,
                              Qt::NoScrollPhase, false);
            QApplication::sendEvent(&canvas(), &wheel);
        }
        QVERIFY(canvas().zoom() > 1.5);
        QVERIFY((canvas().pictureAt(at) - under).manhattanLength() < 3.0);
    }
    void fillLeavesNoSurround()
    {
        window_->press(Qt::Key_9, Qt::ControlModifier);
        const QRectF area(document().pictureArea());
        for (const QPointF corner : {QPointF(1, 1), QPointF(canvas().width() - 2, canvas().height() - 2)})
            QVERIFY(area.contains(canvas().pictureAt(corner)));
        QVERIFY(!canvas().isFitted());
        (*window_)->resize(1100, 760); // it goes on filling
        window_->settle();
        for (const QPointF corner : {QPointF(1, 1), QPointF(canvas().width() - 2, canvas().height() - 2)})
            QVERIFY(area.contains(canvas().pictureAt(corner)));
        (*window_)->resize(1280, 800);
        window_->press(Qt::Key_2, Qt::ControlModifier);
        QCOMPARE(canvas().zoom(), 2.0);
    }
    void aSmallPanHasItsPixelsAlready()
    {
        canvas().zoomTo(1.0);
        window_->settle();
        drag(QPoint(400, 300), QPoint(360, 270));
        const QImage atOnce = painted(); // no event loop in between
        window_->settle();
        QCOMPARE(painted(), atOnce);
    }
    void theOverviewShowsWhereAndMoves()
    {
        QVERIFY(canvas().overviewBox().isEmpty());
        canvas().zoomTo(2.0);
        window_->settle();
        const QRectF box = canvas().overviewBox();
        QVERIFY(box.width() > 100 && !document().overview().image.isNull());
        const auto middle = [&] {
            return canvas().pictureAt(QPointF(canvas().width() / 2.0, canvas().height() / 2.0));
        };
        QTest::mouseClick(&canvas(), Qt::LeftButton, {},
                          (box.topLeft() + QPointF(box.width() / 4, box.height() / 4)).toPoint());
        const QRectF area(document().pictureArea());
        QVERIFY(std::abs(middle().x() - area.width() / 4) < 20 && std::abs(middle().y() - area.height() / 4) < 20);
    }
    void theLoupeShowsTruePixels()
    {
        const QPointF place(1000, 700);
        canvas().zoomTo(0.5); // where the loupe shows 100 %, whatever the screen
        moveTo(place);
        const QPointF at = *canvas().pointer(); // whole pixels of the screen
        const QPoint middle = device(at);
        const QImage before = painted();
        QSignalSpy closer(&document(), &Document::loupeReady);
        QTest::keyPress(&canvas(), Qt::Key_Q);
        window_->settle();
        QTRY_VERIFY_WITH_TIMEOUT(!closer.isEmpty(), 30000); // from a job of its own
        QVERIFY(canvas().hasLoupe());
        const QImage with = painted();
        QVERIFY(with != before);
        QTest::keyRelease(&canvas(), Qt::Key_Q);
        QVERIFY(!canvas().hasLoupe());
        QCOMPARE(painted(), before);
        // What it showed are the pixels of the picture at 100 %.
        canvas().showArea(QRectF(place - QPointF(1, 1), QSizeF(2, 2)));
        window_->settle();
        const ViewPicture &view = canvas().picture();
        const QPoint pixel = (QPointF(std::floor(at.x()), std::floor(at.y())) - view.region.topLeft()).toPoint();
        const QRect patch(pixel - QPoint(30, 30), QSize(60, 60));
        bool found = false; // to a pixel: the place under the pointer is a fraction of one
        for (int dy = -2; dy <= 2; ++dy)
            for (int dx = -2; dx <= 2; ++dx)
                found = found || with.copy(patch.translated(middle - pixel + QPoint(dx, dy))) == view.image.copy(patch);
        QVERIFY(found);
    }
    void readingsSayWhatIsThere()
    {
        const QPointF place(1075.5, 740.5);
        moveTo(place);
        const auto &reading = document().pointed();
        QVERIFY(reading && reading->probe && reading->output.isValid());
        canvas().zoomTo(1.0);
        window_->settle();
        canvas().showArea(QRectF(reading->at, QSizeF(1, 1)));
        window_->settle();
        const ViewPicture &view = canvas().picture();
        const QPointF in = QPointF(std::floor(reading->at.x()), std::floor(reading->at.y())) - view.region.topLeft();
        QCOMPARE(reading->output.rgb(), view.image.pixel(in.toPoint()));
        moveTo(place);
        const QString words = (*window_)->statusLine()->reading();
        const QColor c = document().pointed()->output;
        QVERIFY(words.contains(QStringLiteral("picture %1 %2 %3").arg(c.red()).arg(c.green()).arg(c.blue())));
        QVERIFY(words.contains("EV"));
    }
    void pinsStayAndFollowTheSettings()
    {
        moveTo({1075, 740});
        QTest::keyClick(&canvas(), Qt::Key_V);
        QTest::mouseClick(&canvas(), Qt::LeftButton, Qt::ShiftModifier, canvas().widgetAt({600, 300}).toPoint());
        window_->settle();
        QCOMPARE(document().pins().size(), 2);
        ReadingsList &list = *(*window_)->readings();
        QVERIFY(list.isVisible());
        const auto read = [&] { // readings come from a job of their own
            return std::ranges::all_of(document().pins(), [](const auto &pin) { return pin.output.isValid(); });
        };
        QTRY_VERIFY_WITH_TIMEOUT(read() && list.rows()[0].endsWith("%"), 30000);
        const QStringList before = list.rows();
        QVERIFY(before[0].contains("EV"));
        const QColor dark = document().pins()[0].output;
        document().setTone(&ToneSettings::exposure, document().recipe().tone.exposure + 1.0, "exposure");
        window_->settle();
        QTRY_VERIFY_WITH_TIMEOUT(document().pins()[0].output.green() > dark.green() + 10, 30000);
        QTRY_VERIFY_WITH_TIMEOUT(list.rows()[0] != before[0], 30000);
        document().undo();
        window_->settle();
        QTRY_COMPARE_WITH_TIMEOUT(list.rows(), before, 30000);
        for (int i = 0; i < 8; ++i)
            document().addPin(QPointF(100 + 50 * i, 400));
        QCOMPARE(document().pins().size(), 8); // and the ninth is said to be too many
        QTest::mouseClick(&list, Qt::LeftButton, {}, QPoint(list.width() - 18, 18)); // the first one's cross
        QCOMPARE(document().pins().size(), 7);
        QTest::keyClick(&canvas(), Qt::Key_V, Qt::ShiftModifier);
        QVERIFY(document().pins().isEmpty() && !list.isVisible());
    }
    void clippingIsHatchedWhereThePictureEnds()
    {
        Recipe clipping = document().recipe(); // the start itself loses nothing that a frame holds
        clipping.tone.method = ToneMethod::Plain;
        document().setRecipe(clipping, QStringLiteral("method"));
        window_->settle();
        const QImage plain = canvas().picture().image;
        QTest::keyClick(&canvas(), Qt::Key_X, Qt::ShiftModifier);
        window_->settle();
        const QImage hatched = canvas().picture().image;
        int marked = 0;
        for (int y = 0; y < plain.height(); ++y)
            for (int x = 0; x < plain.width(); ++x) {
                if (hatched.pixel(x, y) == plain.pixel(x, y))
                    continue;
                ++marked;
                const QRgb p = plain.pixel(x, y);
                const bool end =
                    std::max({qRed(p), qGreen(p), qBlue(p)}) == 255 || std::min({qRed(p), qGreen(p), qBlue(p)}) == 0;
                QVERIFY(end && hatched.pixel(x, y) == document().overlayColour().rgb());
            }
        QVERIFY(marked > 50); // the sky
        QVERIFY(canvas().labels().front().contains("Clipping"));
        QTest::keyClick(&canvas(), Qt::Key_X, Qt::ShiftModifier);
        window_->settle();
        QCOMPARE(canvas().picture().image, plain);
        document().undo();
        window_->settle();
    }
    void movingWhitesShowsClippingForAMoment()
    {
        const auto move = [&](double value) { document().setTone(&ToneSettings::whites, value, "whites", "a drag"); };
        move(20);
        QVERIFY(document().shownEnds());
        QTRY_VERIFY_WITH_TIMEOUT(!document().shownEnds(), 3000);
        document().setTone(&ToneSettings::middle, 5, "middle", "another drag");
        QVERIFY(!document().shownEnds());
        document().setEndsWhileDragging(false);
        move(30);
        QVERIFY(!document().shownEnds());
        document().setEndsWhileDragging(true);
        document().undo();
        document().undo();
        document().undo();
        window_->settle();
    }
    void theHistogramIsThatOfThePicture()
    {
        const OutputHistogram *output = document().outputHistogram();
        QVERIFY(output && !(*window_)->lightScale()->outputBox().isEmpty());
        const QImage image = document().overview().image; // what it was counted on
        std::array<int, 256> red{};
        int white = 0;
        for (int y = 0; y < image.height(); ++y)
            for (int x = 0; x < image.width(); ++x) {
                const QRgb p = image.pixel(x, y);
                ++red[size_t(qRed(p))];
                white += std::max({qRed(p), qGreen(p), qBlue(p)}) == 255;
            }
        const double pixels = double(image.width()) * image.height();
        for (size_t code = 0; code < 256; ++code)
            QVERIFY(std::abs(double(output->shares[0][code]) - red[code] / pixels) < 1e-6);
        QVERIFY(std::abs(output->white - white / pixels) < 1e-9);
        const OutputHistogram before = *output;
        document().setTone(&ToneSettings::exposure, document().recipe().tone.exposure + 1.0, "exposure");
        window_->settle();
        QTRY_VERIFY_WITH_TIMEOUT(!(*document().outputHistogram() == before), 3000);
        document().undo();
        window_->settle();
        QTRY_VERIFY_WITH_TIMEOUT(*document().outputHistogram() == before, 3000);
    }
    void guidesLieOverThePicture()
    {
        const QImage before = painted();
        QTest::keyClick(&canvas(), Qt::Key_G);
        QCOMPARE(canvas().guides(), Guides::Thirds);
        const QImage thirds = painted();
        const QRectF area(document().pictureArea());
        const auto lineAt = [&](const QPointF &picture) {
            const QPoint p = device(picture);
            for (int d = -2; d <= 2; ++d)
                if (thirds.pixel(p + QPoint(d, 0)) != before.pixel(p + QPoint(d, 0)))
                    return true;
            return false;
        };
        QVERIFY(lineAt({area.width() / 3, area.height() / 2}) && lineAt({area.width() * 2 / 3, area.height() / 2}));
        QVERIFY(!lineAt({area.width() / 2, area.height() / 2}));
        for (const Guides next : {Guides::Golden, Guides::Grid, Guides::Diagonals, Guides::None}) {
            QTest::keyClick(&canvas(), Qt::Key_G);
            QCOMPARE(canvas().guides(), next);
            QCOMPARE(painted() == before, next == Guides::None);
        }
    }
};

QTEST_MAIN(TestCanvas)
#include "tst_canvas.moc"
