// Looking into the merge through the real window: keys, panel, light scale, caption; and that nothing is changed by it.
#include "canvas/canvas.h"
#include "canvas/inspection_caption.h"
#include "document/screen_picture.h"
#include "lightscale/light_scale.h"
#include "main_window.h"
#include "status_line.h"
#include "steps/inspect_group.h"
#include "steps/merge_panel.h"
#include "support/demo_data.h"
#include "theme/theme.h"
#include "widgets/choice_row.h"
#include "widgets/number_text.h"
#include "widgets/value_slider.h"

#include <QAction>
#include <QSettings>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>

using namespace yolk;
using namespace yolk::app;

class TestLook : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    std::unique_ptr<MainWindow> window_;

    Document &document() { return *window_->document(); }
    void settle()
    {
        QTRY_VERIFY_WITH_TIMEOUT(document().fullMergeReady() && !document().lanes()[3]->busy(), 30000);
        QTest::qWait(20);
        QTRY_VERIFY(!document().lanes()[3]->busy());
    }
    QImage shown() { return window_->canvas()->picture().image; }
    /// A place of the full picture in what is shown of it.
    QPoint at(const QPointF &picture)
    {
        const ViewPicture &view = window_->canvas()->picture();
        const QPointF p = picture - view.region.topLeft();
        return QPoint(int(p.x() * view.image.width() / view.region.width()),
                      int(p.y() * view.image.height() / view.region.height()));
    }
    void press(Qt::Key key)
    {
        window_->canvas()->setFocus();
        QTest::keyClick(window_.get(), key);
        settle();
    }

private Q_SLOTS:
    void initTestCase()
    {
        QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, dir_.path());
        Theme::instance().install();
        window_ = std::make_unique<MainWindow>();
        window_->document()->setViewBudget({}); // whole, whatever else the machine has to do
        window_->resize(1280, 800);
        window_->show();
        window_->activateWindow();
        QVERIFY(QTest::qWaitForWindowActive(window_.get()));
        document().open(test::demoPaths("henhouse-tripod"));
        QTRY_VERIFY_WITH_TIMEOUT(document().isOpen(), 30000);
        settle();
        window_->goTo(Step::Merge);
    }
    void cleanupTestCase() { window_.reset(); }

    void everyKeyShowsItsViewAndLeadsBack()
    {
        const QImage picture = shown();
        const Recipe before = document().recipe();
        const QList<std::pair<Qt::Key, InspectMode>> keys{
            {Qt::Key_L, InspectMode::Light}, {Qt::Key_P, InspectMode::Peek},    {Qt::Key_S, InspectMode::Sources},
            {Qt::Key_N, InspectMode::Noise}, {Qt::Key_C, InspectMode::Clipped}, {Qt::Key_K, InspectMode::Lights}};
        for (const auto &[key, mode] : keys) {
            press(key);
            QVERIFY(document().inspection() && document().inspection()->mode == mode);
            QVERIFY(window_->inspectionCaption()->text().startsWith(inspectionName(mode)));
            QCOMPARE(window_->mergePanel()->look()->choice()->index(), int(mode) + 1);
            QVERIFY(shown() != picture);
            press(key); // the same key leads back
            QVERIFY(!document().inspection());
            QCOMPARE(shown(), picture);
        }
        press(Qt::Key_S);
        press(Qt::Key_Escape);
        QVERIFY(!document().inspection() && window_->inspectionCaption()->isHidden());
        QCOMPARE(shown(), picture);
        QVERIFY(document().recipe() == before && !document().canUndo());
    }
    void sourcesHaveTheColoursOfTheirLegend()
    {
        press(Qt::Key_S);
        const QPointF dark(300, 250); // a dark wall: the brightest frame has nearly all of it
        const auto probe = document().probe(dark);
        QVERIFY(probe && probe->shares.front().first == 7 && probe->shares.front().second > 0.6);
        const QColor colour = shown().pixelColor(at(dark)),
                     legend = window_->inspectionCaption()->legend()->patches()[6].colour;
        QVERIFY(std::abs(colour.hslHue() - legend.hslHue()) < 25);
        QCOMPARE(window_->inspectionCaption()->legend()->patches().size(), 8); // seven frames, and clipped
        press(Qt::Key_Escape);
    }
    void clippedIsHatchedInTheOverlayColour()
    {
        press(Qt::Key_C);
        const auto count = [&](const QColor &colour) {
            int out = 0;
            const QImage image = shown();
            for (int y = 0; y < image.height(); ++y)
                for (int x = 0; x < image.width(); ++x)
                    out += image.pixel(x, y) == colour.rgb();
            return out;
        };
        const QColor violet = document().overlayColour(), red(0xd0, 0x2a, 0x2a);
        QVERIFY(count(violet) > 5 && count(red) == 0); // the sun
        for (QAction *action : window_->findChildren<QAction *>())
            if (action->text() == "Red")
                action->trigger();
        settle();
        QVERIFY(count(violet) == 0 && count(red) > 5);
        document().setOverlayColour(violet);
        press(Qt::Key_Escape);
    }
    void theAxisStartsAPeekThatIsDraggedAlong()
    {
        LightScale &scale = *window_->lightScale();
        const auto window = [&] { return std::pair(document().inspection()->lowEv, document().inspection()->highEv); };
        const int axis = scale.height() - 8, middle = scale.height() - 50;
        const auto drag = [&](double fromEv, double toEv, int y) {
            const QPoint from(int(scale.xOfEv(fromEv)), y), to(int(scale.xOfEv(toEv)), y);
            QTest::mousePress(&scale, Qt::LeftButton, {}, from);
            QTest::mouseMove(&scale, (from + to) / 2);
            QTest::mouseMove(&scale, to);
            QTest::mouseRelease(&scale, Qt::LeftButton, {}, to);
            settle();
        };
        const double pixel = 1.0 / (scale.xOfEv(1) - scale.xOfEv(0));
        drag(-6, -4, axis);
        QVERIFY(document().inspection() && document().inspection()->mode == InspectMode::Peek);
        const auto [low, high] = window();
        QVERIFY(std::abs((low + high) / 2 + 4.0) < 2 * pixel); // its middle came to the pointer and went along
        const QImage first = shown();
        drag(-4, 0, middle);
        QVERIFY(std::abs(window().first - low - 4.0) < 2 * pixel && std::abs(window().second - high - 4.0) < 2 * pixel);
        QVERIFY(shown() != first);
        drag(window().second, window().second + 2, middle); // its edge
        QVERIFY(std::abs(window().second - high - 6.0) < 2 * pixel && std::abs(window().first - low - 4.0) < 2 * pixel);
        drag(window().first, window().second + 3, middle); // past the other edge: it stays open
        QVERIFY(std::abs(window().second - window().first - kLeastWindowEv) < 1e-9);

        scale.setFocus();
        const auto before = window();
        QTest::keyClick(&scale, Qt::Key_Left);
        QTest::keyClick(&scale, Qt::Key_Up);
        QVERIFY(std::abs(window().first - before.first + 0.5) < 1e-9 &&
                std::abs(window().second - before.second) < 1e-9);
        QVERIFY(!document().canUndo());
        press(Qt::Key_Escape);
    }
    void windowsAndExposuresCanBeTyped()
    {
        InspectGroup &look = *window_->mergePanel()->look();
        press(Qt::Key_P);
        QVERIFY(look.from()->isVisible() && look.to()->isVisible() && !look.exposure()->isVisible());
        const auto type = [&](ValueSlider *slider, const char *text) {
            slider->edit()->setFocus();
            slider->edit()->selectAll();
            QTest::keyClicks(slider->edit(), text);
            QTest::keyClick(slider->edit(), Qt::Key_Return);
            settle();
        };
        type(look.from(), "-7");
        type(look.to(), "-2.5");
        QCOMPARE(document().inspection()->lowEv, -7.0);
        QCOMPARE(document().inspection()->highEv, -2.5);
        type(look.from(), "3"); // pushes the other edge along
        QCOMPARE(document().inspection()->highEv, 3.0 + kLeastWindowEv);
        press(Qt::Key_L);
        const QImage dim = shown();
        type(look.exposure(), "6");
        QCOMPARE(document().inspection()->exposureEv, 6.0);
        const QPoint wall = at({300, 250});
        QVERIFY(shown().pixelColor(wall).lightness() > dim.pixelColor(wall).lightness() + 30);
        press(Qt::Key_L);
        press(Qt::Key_L);
        QCOMPARE(document().inspection()->exposureEv, 6.0); // as it was left
        press(Qt::Key_Escape);
    }
    void aFrameAndAnInspectionReplaceEachOther()
    {
        press(Qt::Key_N);
        press(Qt::Key_PageDown);
        QVERIFY(document().lookedAt() && !document().inspection());
        press(Qt::Key_N);
        QVERIFY(!document().lookedAt() && document().inspection());
        press(Qt::Key_Escape);
        QVERIFY(!document().lookedAt() && !document().inspection());
    }
    void aViewFollowsTheSettings()
    {
        press(Qt::Key_S);
        const QImage before = shown();
        document().setFrameUsed(6, false);
        settle();
        QVERIFY(shown() != before);
        QCOMPARE(window_->inspectionCaption()->legend()->patches().size(), 7);
        document().undo();
        settle();
        QCOMPARE(shown(), before);
        press(Qt::Key_Escape);
    }
    void theReportTellsOfEveryFrame()
    {
        const QString report = window_->mergePanel()->report();
        QVERIFY2(report.contains("Camera curve found from the set"), qPrintable(report));
        for (const Agreement &frame : document().merged()->agreement)
            QVERIFY2(report.contains(percentText(frame.share)), qPrintable(report));
        QCOMPARE(report.count("<tr>"), 8);
    }
    void namesComeFromTheReferenceFrame()
    {
        const QString reference =
            QString::fromStdString(document().bracket().frames[document().bracket().reference].frame->name);
        const QString proposed = QFileInfo(document().proposedPath("-radiance.exr")).fileName();
        QCOMPARE(proposed, QFileInfo(reference).completeBaseName() + "-radiance.exr");
    }
};

QTEST_MAIN(TestLook)
#include "tst_look.moc"
