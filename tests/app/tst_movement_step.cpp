// Movement through the real window: what is found, its view, jumping, the keeper, and areas drawn by hand.
#include "canvas/canvas.h"
#include "canvas/inspection_caption.h"
#include "document/movement_text.h"
#include "main_window.h"
#include "recipe/recipe_json.h"
#include "steps/merge_panel.h"
#include "steps/movement_group.h"
#include "support/synthetic.h"
#include "theme/theme.h"
#include "widgets/choice_row.h"
#include "widgets/value_slider.h"

#include <QAbstractButton>
#include <QButtonGroup>
#include <QComboBox>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QSettings>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>
#include <QTimer>

using namespace yolk;
using namespace yolk::app;

namespace {

constexpr int kWidth = 480, kHeight = 320, kSquare = 60;
constexpr int kLefts[]{60, 200, 340}; // of the square in frames 1, 2, 3
constexpr int kTop = 120;
constexpr double kDark = 0.05;

} // namespace

class TestMovementStep : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    QStringList frames_, still_;
    std::unique_ptr<MainWindow> window_;

    Document &document() { return *window_->document(); }
    MovementGroup &group() { return *window_->mergePanel()->movement(); }
    Canvas &canvas() { return *window_->canvas(); }
    void settle()
    {
        QTRY_VERIFY_WITH_TIMEOUT(document().fullMergeReady() && !document().lanes()[3]->busy(), 30000);
        QTest::qWait(20);
        QTRY_VERIFY(!document().lanes()[3]->busy());
    }
    void openSet(const QStringList &frames)
    {
        QSignalSpy opened(&document(), &Document::setChanged); // the set of the test before is open until then
        document().open(frames);
        QVERIFY(opened.wait(30000));
        settle();
    }
    /// Whether the merge shows the square where frame `number` has it.
    bool squareOf(int number)
    {
        const auto probe = document().probe(QPointF(kLefts[number - 1] + kSquare / 2.0, kTop + kSquare / 2.0));
        return probe && probe->ev < -1.8; // the ground is brighter
    }
    void drag(const QList<QPointF> &points)
    {
        const auto at = [&](const QPointF &p) { return canvas().widgetAt(p).toPoint(); };
        QTest::mousePress(&canvas(), Qt::LeftButton, {}, at(points.front()));
        for (const QPointF &p : points)
            QTest::mouseMove(&canvas(), at(p));
        QTest::mouseRelease(&canvas(), Qt::LeftButton, {}, at(points.back()));
    }
    QList<QPointF> roundSquare(int number)
    {
        const double x = kLefts[number - 1], y = kTop, room = 15;
        return {{x - room, y - room},
                {x + kSquare + room, y - room},
                {x + kSquare + room, y + kSquare + room},
                {x - room, y + kSquare + room}};
    }

private Q_SLOTS:
    void initTestCase()
    {
        QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, dir_.path());
        Theme::instance().install();
        const auto shoot = [&](const QString &name, double ev, int left) {
            Image<float> scene = test::grainyScene(kWidth, kHeight, 0.25, 1.5);
            for (int c = 0; c < 3; ++c)
                for (int y = kTop; y < kTop + kSquare; ++y)
                    std::fill_n(scene.row(c, y) + left, kSquare, float(kDark));
            const demo::Shot shot = test::shotAt(ev, 1.5, 80 + uint64_t(left));
            const QString path = dir_.filePath(name);
            demo::writeFrame(path.toStdString(), demo::expose(scene.view(), shot).view(), shot, demo::FrameFile::Tiff);
            return path;
        };
        for (int i = 0; i < 3; ++i) {
            frames_ << shoot(QStringLiteral("moving_%1.tif").arg(i), i - 1.0, kLefts[i]);
            still_ << shoot(QStringLiteral("still_%1.tif").arg(i), i - 1.0, kLefts[0]);
        }
        window_ = std::make_unique<MainWindow>();
        window_->document()->setViewBudget({}); // whole, whatever else the machine has to do
        window_->resize(1280, 800);
        window_->show();
        window_->activateWindow();
        QVERIFY(QTest::qWaitForWindowActive(window_.get()));
        window_->goTo(Step::Merge);
    }
    void init() { openSet(frames_); }

    void whatMovedIsSaidAndShownOnce()
    {
        QVERIFY2(group().found().contains(QStringLiteral("places,")) &&
                     group().found().contains(QStringLiteral("Keeper: frame 2")),
                 qPrintable(group().found()));
        QVERIFY(!squareOf(1) && squareOf(2) && !squareOf(3));
        QTest::mouseClick(group().mode()->findChildren<QAbstractButton *>()[0], Qt::LeftButton);
        settle();
        QVERIFY(document().merged()->movement.places.empty());
        QVERIFY(!group().sensitivity()->isVisible());
        document().undo();
        settle();
        QVERIFY(!squareOf(1) && squareOf(2));
    }
    void nothingMovedIsSaid()
    {
        openSet(still_);
        QCOMPARE(group().found(), QStringLiteral("Nothing moved; movement is idle."));
        group().stepPlace(+1); // nowhere to go
        QVERIFY(group().placeWords().isEmpty());
    }
    void theKeeperIsClicked()
    {
        for (int number : {1, 3}) {
            QTest::mouseClick(group().keeper()->button(number - 1), Qt::LeftButton);
            settle();
            QCOMPARE(squareOf(1), number == 1);
            QCOMPARE(squareOf(2), false);
            QCOMPARE(squareOf(3), number == 3);
        }
        QVERIFY(window_->windowTitle().size() > 0);
        // A keeper that is taken out of the set leaves the choice to the program again.
        document().removeFrame(2);
        settle();
        QVERIFY(document().recipe().frames.keeper.empty());
        QVERIFY(group().keeper()->button(kAutomaticKeeper)->isChecked());
    }
    void theViewAndTheJumps()
    {
        window_->activateWindow();
        QVERIFY(QTest::qWaitForWindowActive(window_.get()));
        QTest::keyClick(&canvas(), Qt::Key_M);
        settle();
        QVERIFY(document().inspection() && document().inspection()->mode == InspectMode::Movement);
        QVERIFY(window_->inspectionCaption()->text().contains(movementSummary(*document().merged())));
        QCOMPARE(window_->inspectionCaption()->legend()->patches().size(), 1); // all from the keeper
        const auto colourAt = [&](double x, double y) {
            const ViewPicture &p = canvas().picture();
            const QPointF at((x - p.region.left()) / p.region.width() * p.image.width(),
                             (y - p.region.top()) / p.region.height() * p.image.height());
            return p.image.pixelColor(at.toPoint());
        };
        int coloured = 0; // hatching runs between
        for (int dx = 0; dx < 12; ++dx)
            coloured += colourAt(kLefts[1] + 20 + dx, kTop + 30).saturation() > 60;
        QVERIFY(coloured > 6);
        QVERIFY(colourAt(20, 300).saturation() < 12); // the rest is grey
        QTest::keyClick(&canvas(), Qt::Key_M);
        settle();
        QVERIFY(!document().inspection());
        const auto places = placesToShow(*document().merged());
        for (size_t i = 0; i < places.size() + 1; ++i) { // once round
            QTest::keyClick(window_.get(), Qt::Key_Period, Qt::ControlModifier);
            settle();
            QCOMPARE(canvas().zoom(), 1.0);
            const QRectF area = document().placeArea(places[i % places.size()]);
            const QPointF middle = canvas().pictureAt(QPointF(canvas().width() / 2.0, canvas().height() / 2.0));
            QVERIFY(QLineF(middle, area.center()).length() < 2.0);
            QVERIFY(group().placeWords().contains(QStringLiteral("frame 2, the keeper")));
        }
        canvas().fit();
    }
    void aPlaceIsDecidedByKeyboard()
    {
        group().stepPlace(+1);
        const QRectF first = document().placeArea(placesToShow(*document().merged())[0]);
        const auto shows = [&](int number) { return first.contains(QPointF(kLefts[number - 1] + 30, kTop + 30)); };
        const int at = shows(1) ? 1 : shows(3) ? 3 : 2, from = at == 2 ? 1 : at; // a frame that changes something
        group().decision()->setFocus();
        QTimer::singleShot(200, this, [&] { // while the menu is open
            QMenu *menu = group().decision()->menu();
            for (int i = 0; i < from + 1; ++i)
                QTest::keyClick(menu, Qt::Key_Down);
            QTest::keyClick(menu, Qt::Key_Return);
        });
        QTest::keyClick(group().decision(), Qt::Key_Space);
        settle();
        QVERIFY(!document().recipe().movement.regions.empty());
        QCOMPARE(document().recipe().movement.regions.back().task, HandTask::TakeFrom);
        QCOMPARE(squareOf(at), at != 2);
        QCOMPARE(group().regions()->count(), int(document().recipe().movement.regions.size()));
    }
    void areasAreDrawnChangedAndRemoved()
    {
        canvas().fit();
        group().drawButton(HandTask::LeaveAlone)->click();
        QVERIFY(canvas().isDrawing());
        drag(roundSquare(2));
        QVERIFY(!canvas().isDrawing() && !group().drawButton(HandTask::LeaveAlone)->isChecked());
        settle();
        QCOMPARE(document().recipe().movement.regions.size(), size_t(1));
        QVERIFY(document().merged()->movement.placeAt(kLefts[1] + 30, kTop + 30) < 0);
        QVERIFY(document().merged()->movement.placeAt(kLefts[0] + 30, kTop + 30) >= 0);
        QCOMPARE(group().shapes().size(), 1);

        // Painting with the brush, from frame 3.
        group().source()->setCurrentIndex(2);
        group().brush()->track()->setReal(40);
        group().drawButton(HandTask::TakeFrom)->click();
        const double y = kTop + kSquare / 2.0;
        drag({{kLefts[2] + 10.0, y}, {kLefts[2] + 50.0, y}});
        settle();
        QCOMPARE(document().recipe().movement.regions.size(), size_t(2));
        QCOMPARE(group().regions()->item(1)->text(), QStringLiteral("Take from frame 3"));
        QVERIFY(squareOf(3));

        // Drawn again elsewhere it keeps its frame.
        group().regions()->setCurrentRow(1);
        QTest::mouseClick(group().removeButton()->parentWidget()->findChildren<QPushButton *>()[0], Qt::LeftButton);
        QVERIFY(canvas().isDrawing());
        drag({{30, 40}, {60, 40}});
        settle();
        QVERIFY(!squareOf(3));
        QCOMPARE(document().recipe().movement.regions.size(), size_t(2));
        document().undo();
        settle();
        QVERIFY(squareOf(3));
        QTest::mouseClick(group().removeButton(), Qt::LeftButton);
        settle();
        QCOMPARE(document().recipe().movement.regions.size(), size_t(1));
        // The keeper's square is in the way: the ground of the other frames takes its place.
        document().removeRegion(0);
        settle();
        QVERIFY(squareOf(2));
        group().drawButton(HandTask::Remove)->click();
        drag(roundSquare(2));
        settle();
        QVERIFY(!squareOf(2) && !squareOf(1) && !squareOf(3));
        QCOMPARE(group().regions()->item(0)->text(), QStringLiteral("Remove what is in the way"));
        document().undo();
        document().undo();
        settle();
        // Escape ends drawing, and a click goes round nothing.
        group().drawButton(HandTask::Treat)->click();
        window_->activateWindow(); // commands of menus need it
        QVERIFY(QTest::qWaitForWindowActive(window_.get()));
        QTest::keyClick(&canvas(), Qt::Key_Escape);
        QVERIFY(!canvas().isDrawing() && !group().drawButton(HandTask::Treat)->isChecked());
        group().drawButton(HandTask::Treat)->click();
        QTest::mouseClick(&canvas(), Qt::LeftButton, {}, canvas().widgetAt({100, 100}).toPoint());
        QCOMPARE(document().recipe().movement.regions.size(), size_t(1));
    }
    void areasSurviveFilesUndoAlignmentAndReference()
    {
        Document &d = document();
        HandRegion region{
            HandTask::TakeFrom, d.bracket().frames[2].frame->id, {}, 45.0, {{kLefts[2] + 30.0, kTop + 30.0}}};
        d.addRegion(region);
        settle();
        QVERIFY(squareOf(3));
        const HandRegion drawn = d.recipe().movement.regions[0];
        QCOMPARE(drawn.drawnOn, d.bracket().frames[1].frame->id);
        // File and back, bit for bit.
        QCOMPARE(parseRecipe(recipeText(d.recipe())).recipe, d.recipe());
        d.undo();
        settle();
        QVERIFY(!squareOf(3));
        d.redo();
        settle();
        QVERIFY(squareOf(3));
        Recipe next = d.recipe();
        next.align.mode = AlignMode::Off;
        d.setRecipe(next, QStringLiteral("alignment"));
        settle();
        QVERIFY(squareOf(3));
        d.setReference(0);
        settle();
        QVERIFY(squareOf(3));
        QVERIFY(d.recipe().movement.regions[0] == drawn); // mapped when it is used, never rewritten
        // The frame it takes from is left out: said, and decided as if nothing had been drawn.
        d.setFrameUsed(2, false);
        settle();
        QVERIFY(!squareOf(3));
        QVERIFY2(group().regions()->item(0)->text().contains(QStringLiteral("not in use")),
                 qPrintable(group().regions()->item(0)->text()));
    }
};

QTEST_MAIN(TestMovementStep)
#include "tst_movement_step.moc"
