// The Frames step of the real window, driven as its user drives it.
#include "canvas/canvas.h"
#include "canvas/frame_caption.h"
#include "canvas/message_strip.h"
#include "io/radiance_file.h"
#include "lightscale/light_scale.h"
#include "main_window.h"
#include "render/files/display_codes.h"
#include "sets/sets_view.h"
#include "steps/frame_row.h"
#include "steps/frames_panel.h"
#include "steps/lens_group.h"
#include "steps/step_path.h"
#include "steps/white_group.h"
#include "support/demo_data.h"
#include "support/faults.h"
#include "support/synthetic.h"
#include "theme/theme.h"
#include "widgets/choice_row.h"
#include "widgets/value_slider.h"

#include <QApplication>
#include <QCheckBox>
#include <QDir>
#include <QDropEvent>
#include <QLabel>
#include <QLineEdit>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>

#include <cmath>

using namespace yolk;
using namespace yolk::app;

class TestFramesStep : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    QStringList frames_;
    std::unique_ptr<MainWindow> window_;

    Document &document() { return *window_->document(); }
    QString path(const char *name) const { return dir_.filePath(QString::fromLatin1(name)); }
    bool settled() { return document().isOpen() && document().fullMergeReady() && !document().lanes()[3]->busy(); }
    void open(const QStringList &paths)
    {
        window_->open(paths);
        QTRY_VERIFY_WITH_TIMEOUT(settled(), 120000);
    }
    FrameRow *row(int i) { return window_->framesPanel()->rows()[i]; }
    QAction *command(const char *name)
    {
        for (QAction *action : window_->findChildren<QAction *>())
            // Commands have keys; settings that an area can take may have the same name.
            if (!action->shortcut().isEmpty() && action->text().remove('&').startsWith(QLatin1String(name)))
                return action;
        return nullptr;
    }
    QString words(const QWidget *widget)
    {
        QString out;
        for (const QLabel *label : widget->findChildren<QLabel *>())
            if (label->isVisibleTo(widget))
                out += label->text() + '\n';
        return out;
    }

private Q_SLOTS:
    void initTestCase()
    {
        QStandardPaths::setTestModeEnabled(true);
        QCoreApplication::setOrganizationName("yolk-test");
        QCoreApplication::setApplicationName("yolk-test");
        Theme::instance().install();
        frames_ = test::writeBracket(dir_.path(), test::rampScene(600, 400, 0.001, 11).view(), {0, -2, -2, 2, 4}, 1.0);
    }
    void init()
    {
        window_ = std::make_unique<MainWindow>();
        window_->document()->setViewBudget({}); // whole, whatever else the machine has to do
        window_->resize(1280, 800);
        window_->show();
        QVERIFY(QTest::qWaitForWindowExposed(window_.get()));
    }
    void cleanup() { window_.reset(); }

    void rowsSayWhatFramesAre()
    {
        open(frames_);
        QCOMPARE(window_->framesPanel()->rows().size(), 5);
        const QString first = words(row(0)), second = words(row(1)), last = words(row(4));
        QVERIFY2(first.contains("1/128 s") && first.contains("f/8") && first.contains("ISO 100"), qPrintable(first));
        QVERIFY2(second.contains("repeats the exposure of frame 1"), qPrintable(second));
        QVERIFY(last.contains("clipped"));
        QCOMPARE(row(0)->ev()->text(), QStringLiteral("\u22122 EV"));
        QVERIFY(words(row(2)).contains("reference"));
        QVERIFY(window_->lightScale()->sentence().startsWith("5 frames hold"));
    }
    void lookingAtFramesByKeysKeepsThePlace()
    {
        open(frames_);
        Canvas *canvas = window_->canvas();
        canvas->zoomTo(2.0);
        const QPointF place = canvas->pictureAt(QPointF(100, 100));
        QTRY_VERIFY_WITH_TIMEOUT(settled(), 60000);
        const QImage merge = canvas->picture().image;
        QTest::keyClick(canvas, Qt::Key_PageDown); // from the merge to the reference
        QCOMPARE(document().lookedAt(), std::optional<size_t>(2));
        QVERIFY(window_->caption()->text().contains("Frame 3 of 5"));
        QTest::keyClick(canvas, Qt::Key_PageDown);
        QTest::keyClick(canvas, Qt::Key_PageDown);
        QTest::keyClick(canvas, Qt::Key_PageDown); // and no further than the last
        QCOMPARE(document().lookedAt(), std::optional<size_t>(4));
        QCOMPARE(canvas->zoom(), 2.0);
        QCOMPARE(canvas->pictureAt(QPointF(100, 100)), place);
        // What is shown is the frame itself: its pixels as the file has them.
        QTRY_VERIFY_WITH_TIMEOUT(!document().lanes()[3]->busy() && canvas->picture().image != merge, 60000);
        ThreadRunner runner;
        ExecContext ctx(runner);
        const ViewPicture &shown = canvas->picture();
        const QRectF r = shown.region;
        const Image<float> want = lookAtFrame(
            document().sources(), size_t(document().bracket().frames[4].given) - 1, document().recipe(),
            document().measured(),
            {1, {r.left(), r.top(), r.right(), r.bottom()}, shown.image.width(), shown.image.height()}, ctx);
        std::vector<uint8_t> line(size_t(want.width()) * 3);
        for (int y : {0, want.height() / 2, want.height() - 1}) {
            encodeRow8(want.view(), y, line);
            for (int x = 0; x < want.width(); x += 7)
                QCOMPARE(shown.image.pixel(x, y),
                         qRgb(line[size_t(3 * x)], line[size_t(3 * x + 1)], line[size_t(3 * x + 2)]));
        }
        QTest::keyClick(canvas, Qt::Key_PageUp);
        QCOMPARE(document().lookedAt(), std::optional<size_t>(3));
        QTest::keyClick(canvas, Qt::Key_Escape);
        QVERIFY(!document().lookedAt() && window_->caption()->text().isEmpty());
        QTRY_COMPARE_WITH_TIMEOUT(canvas->picture().image, merge, 10000);
        // A click on a row shows it, another takes it back.
        QTest::mouseClick(row(1), Qt::LeftButton, {}, QPoint(60, 20));
        QCOMPARE(document().lookedAt(), std::optional<size_t>(1));
        QTest::keyClick(row(1), Qt::Key_Return);
        QVERIFY(!document().lookedAt());
    }
    void exposureIsTypedAndComesBack()
    {
        open(frames_);
        QLineEdit *edit = row(4)->ev();
        const auto type = [&](const char *text) {
            edit->setFocus();
            edit->selectAll();
            QTest::keyClicks(edit, text);
            QTest::keyClick(edit, Qt::Key_Return);
        };
        type("3.5");
        QVERIFY(std::abs(document().bracket().frames[4].ev - 3.5) < 1e-9);
        QVERIFY(document().bracket().frames[4].exposureTyped);
        QCOMPARE(edit->text(), QStringLiteral("+3.5 EV"));
        QVERIFY(words(row(4)).contains("typed"));
        QVERIFY(edit->toolTip().contains("By its data: +4 EV"));
        type("nonsense");
        QCOMPARE(edit->text(), QStringLiteral("+3.5 EV"));
        document().undo();
        QVERIFY(std::abs(document().bracket().frames[4].ev - 4.0) < 1e-6);
        document().redo();
        edit->setFocus();
        edit->clear();
        QTest::keyClick(edit, Qt::Key_Return); // empty: as measured
        QVERIFY(!document().bracket().frames[4].exposureTyped);
    }
    void suggestionsAreTakenWithOneClickAndUndone()
    {
        open(frames_);
        const size_t idle = document().coverage().dispensable.size();
        QVERIFY(idle >= 1);
        QPushButton *button = nullptr;
        for (QPushButton *b : window_->framesPanel()->findChildren<QPushButton *>())
            if (b->text().startsWith("Leave out"))
                button = b;
        QVERIFY(button && button->isVisible());
        QTest::mouseClick(button, Qt::LeftButton);
        QCOMPARE(document().bracket().used().size(), 5 - idle);
        QVERIFY(!button->isVisible());
        document().undo();
        QCOMPARE(document().bracket().used().size(), size_t(5));
    }
    void barsToggleFrames()
    {
        open(frames_);
        LightScale *scale = window_->lightScale();
        QTest::mouseClick(scale, Qt::LeftButton, {}, scale->barPosition(4).toPoint());
        QVERIFY(!document().bracket().frames[4].used);
        QVERIFY(!row(4)->use()->isChecked());
        QTest::mouseClick(scale, Qt::LeftButton, {}, scale->barPosition(4).toPoint());
        QVERIFY(document().bracket().frames[4].used);
    }
    void framesAreAddedRemovedAndReferenced()
    {
        open(frames_.mid(0, 3));
        window_->add(frames_.mid(3));
        QTRY_COMPARE_WITH_TIMEOUT(document().bracket().frames.size(), size_t(5), 20000);
        document().undo(); // adding is an edit
        QCOMPARE(document().bracket().frames.size(), size_t(3));
        QCOMPARE(window_->framesPanel()->rows().size(), 3);
        document().redo();
        QCOMPARE(document().bracket().frames.size(), size_t(5));
        row(3)->setFocus();
        QTest::keyClick(row(3), Qt::Key_R);
        QCOMPARE(document().bracket().reference, size_t(3));
        QTest::keyClick(row(3), Qt::Key_Delete);
        QCOMPARE(document().bracket().frames.size(), size_t(4));
        document().undo();
        QCOMPARE(document().bracket().reference, size_t(3));
        document().redo();
        window_->add(frames_); // what was taken out comes back, the rest is there already
        QTRY_COMPARE_WITH_TIMEOUT(document().bracket().frames.size(), size_t(5), 20000);
        QVERIFY(window_->messages()->text().contains("in the set already"));
    }
    void whiteBalanceIsPickedSlidAndUndone()
    {
        open(frames_);
        const MergedSet *merged = document().merged();
        WhiteGroup *white = window_->framesPanel()->white();
        QTest::mouseClick(white->pick(), Qt::LeftButton);
        QVERIFY(window_->canvas()->isPicking());
        const QPointF place(300, 200);
        QTest::mouseClick(window_->canvas(), Qt::LeftButton, {}, window_->canvas()->widgetAt(place).toPoint());
        QVERIFY(!window_->canvas()->isPicking() && !white->pick()->isChecked());
        QTRY_COMPARE_WITH_TIMEOUT(document().recipe().white.mode, WhiteMode::Own, 5000);
        const auto probe = document().probe(place);
        QVERIFY(probe);
        for (int c : {0, 2}) // grey there; its own pixel is noisier than the mean that was picked
            QVERIFY2(std::abs(probe->rgb[size_t(c)] / probe->rgb[1] - 1.0f) < 0.06f,
                     qPrintable(QString::number(double(probe->rgb[size_t(c)] / probe->rgb[1]))));
        QCOMPARE(document().merged(), merged); // nothing was merged anew
        document().undo();
        QCOMPARE(document().recipe().white.mode, WhiteMode::AsShot);
        white->temperature()->track()->setFocus();
        QTest::keyClick(white->temperature()->track(), Qt::Key_Right);
        QCOMPARE(document().recipe().white.mode, WhiteMode::Own);
        QVERIFY(document().recipe().white.temperature > document().measured().asShot.temperature);
        // W picks too; Escape gives up.
        QTest::keyClick(window_->canvas(), Qt::Key_W);
        QVERIFY(window_->canvas()->isPicking());
        QTest::keyClick(window_->canvas(), Qt::Key_Escape);
        QVERIFY(!window_->canvas()->isPicking());
    }
    void noiseAndFringesActOnRawFrames()
    {
        open(test::demoPaths("henhouse-handheld"));
        LensGroup *lens = window_->framesPanel()->lens();
        QVERIFY(lens->fringes()->isVisible() && lens->darkNoise()->isVisible());
        QVERIFY(document().measured().fringes.largestShift(1620, 1080) > 0.3);
        document().lookAt(0);
        window_->canvas()->zoomTo(1.0);
        QTRY_VERIFY_WITH_TIMEOUT(!document().lanes()[3]->busy() && window_->canvas()->picture().full, 30000);
        const auto shown = [&] { return window_->canvas()->picture().image; };
        const QImage before = shown();
        Recipe next = document().recipe();
        next.prepare.darkNoise = 100;
        document().setRecipe(next, "noise");
        QTRY_VERIFY_WITH_TIMEOUT(shown() != before, 30000);
        const QImage smooth = shown();
        next.prepare.fringes = FringeMode::Off;
        document().setRecipe(next, "fringes");
        QTRY_VERIFY_WITH_TIMEOUT(shown() != smooth, 30000);
        QVERIFY(window_->findChild<StepPath *>()->tab(0)->isMarked());
    }
    void aFolderIsSplitAndCorrected()
    {
        const QString folder = path("sets");
        QDir().mkpath(folder);
        const QStringList all = test::demoPaths("henhouse-handheld") + test::demoPaths("henhouse-tripod");
        for (const QString &file : all)
            QVERIFY(QFile::copy(file, folder + '/' + QFileInfo(file).fileName()));
        test::writeBytes(folder + "/broken.jpg", "no picture");
        window_->open({folder});
        QTRY_COMPARE_WITH_TIMEOUT(window_->collection()->sets().size(), 2, 20000);
        SetsView *view = window_->setsView();
        QVERIFY(view->isVisible());
        QCOMPARE(view->grid()->cards()->rowCount(), 2);
        QVERIFY(window_->messages()->text().contains("broken.jpg"));
        QVERIFY(view->heading().contains("2 sets of 12 frames"));
        QVERIFY(!document().isOpen());

        // By keys: the last of the first set goes to the second, and comes back by undo.
        view->grid()->select({0});
        const QList<SetFrame *> frames = view->frames()->frames();
        QCOMPARE(frames.size(), 5);
        frames.last()->setFocus();
        QTest::keyClick(frames.last(), Qt::Key_Down, Qt::ControlModifier);
        QCOMPARE(window_->collection()->sets()[0].size(), 4);
        command("Undo")->trigger();
        QCOMPARE(window_->collection()->sets()[0].size(), 5);
        // By the mouse: dropped beside all cards, it becomes a set of its own.
        QMimeData data;
        data.setData(SetFrame::mime(), window_->collection()->sets()[0].last().toUtf8());
        QWidget *beside = view->grid()->viewport();
        const QPoint free(beside->width() - 9, beside->height() - 9);
        QDragEnterEvent enter(free, Qt::MoveAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(beside, &enter);
        QVERIFY(enter.isAccepted());
        QDropEvent drop(free, Qt::MoveAction, &data, Qt::LeftButton, Qt::NoModifier);
        QApplication::sendEvent(beside, &drop);
        QCOMPARE(window_->collection()->sets().size(), 3);
        command("Undo")->trigger();
        QCOMPARE(window_->collection()->sets().size(), 2);

        view->grid()->select({1});
        QTest::keyClick(view->grid(), Qt::Key_Return);
        QTRY_VERIFY_WITH_TIMEOUT(settled(), 30000);
        QCOMPARE(document().bracket().frames.size(), size_t(7));
        QVERIFY(!view->isVisible());
        // What was done to a set is there again when it is opened again.
        document().setTone(&ToneSettings::exposure, 1.25, "exposure");
        command("Previous set")->trigger();
        QTRY_COMPARE_WITH_TIMEOUT(document().bracket().frames.size(), size_t(5), 30000);
        QVERIFY(document().recipe().tone.exposure != 1.25);
        command("Next set")->trigger();
        QTRY_COMPARE_WITH_TIMEOUT(document().bracket().frames.size(), size_t(7), 30000);
        QCOMPARE(document().recipe().tone.exposure, 1.25);
        // With a set open its keys still mean what they mean among sets: N starts a set, it shows no noise.
        command("Sets")->trigger();
        QVERIFY(!command("Noise")->isEnabled());
        view->grid()->select({0});
        SetFrame *last = view->frames()->frames().last();
        last->setFocus();
        QTest::keyClick(last, Qt::Key_N);
        QCOMPARE(window_->collection()->sets().size(), 3);
        QVERIFY(!document().inspection());
    }
    void everyFaultIsNamedAndTheRestIsUsed()
    {
        QDir().mkpath(path("faults"));
        const std::vector<test::Fault> faults = test::writeFaults(path("faults"));
        const auto at = [&](const QString &name) { return path("faults/") + name; };
        const QStringList good = {at("good_1.jpg"), at("good_2.jpg"), at("good_3.jpg")};
        for (const test::Fault &fault : faults) {
            // One at a time beside good frames: either it is named with its reason, or its row says what is odd.
            QSignalSpy opened(&document(), &Document::setChanged);
            window_->open(good + QStringList{at(fault.name)});
            QTRY_VERIFY2_WITH_TIMEOUT(!opened.isEmpty() && settled(), qPrintable(fault.name), 20000);
            QVERIFY(document().bracket().used().size() >= 3);
            const QString said = window_->messages()->text();
            if (said.contains(fault.name)) {
                QVERIFY2(said.contains(fault.refusal) && said.contains("left out"), qPrintable(said));
                QCOMPARE(document().bracket().frames.size(), size_t(3));
            } else {
                QVERIFY2(fault.refusal.isEmpty() || fault.refusalInSet.contains("merged already"),
                         qPrintable(fault.name));
                QCOMPARE(document().bracket().frames.size(), size_t(4));
                QVERIFY2(words(window_->framesPanel()).contains(fault.refusalInSet), qPrintable(fault.name));
            }
            document().dismissProblems();
        }
    }
    void mergedRadianceStartsAtTone()
    {
        const Image<float> scene = test::rampScene(300, 200, 0.001, 14);
        writeExr(path("radiance.exr").toStdString(), scene.view(), {});
        writeRadianceHdr(path("radiance.hdr").toStdString(), scene.view());
        for (const char *name : {"radiance.exr", "radiance.hdr"}) {
            window_->open({path(name)});
            QTRY_COMPARE_WITH_TIMEOUT(window_->findChild<StepPath *>()->current(), int(Step::Tone), 20000);
            QTRY_VERIFY_WITH_TIMEOUT(settled(), 20000);
            const Image<float> &got = document().merged()->pixels.radiance;
            for (int x : {10, 150, 290}) // RGBE holds 8 bits of the largest channel
                QVERIFY(std::abs(got.row(1, 100)[x] / scene.row(1, 100)[x] - 1.0f) < 0.01f);
            QVERIFY(window_->lightScale()->sentence().contains("radiance"));
            window_->goTo(Step::Frames);
            QVERIFY(words(row(0)).contains("merged radiance"));
            // Its small picture has the middle of the ramp at 0.18, which sRGB writes as 118 [IEC61966-2-1].
            const auto thumbnail = [this] { return document().thumbnail(document().bracket().frames[0].frame->id); };
            QTRY_VERIFY_WITH_TIMEOUT(!thumbnail().isNull(), 20000);
            const QImage small = thumbnail();
            const int middle = qGreen(small.pixel(small.width() / 2, small.height() / 2));
            QVERIFY2(std::abs(middle - 118) < 12, qPrintable(QString::number(middle)));
            QVERIFY(qGreen(small.pixel(2, 2)) < 10 && qGreen(small.pixel(small.width() - 3, 2)) > 245);
        }
    }
    void oneFrameWorksThroughAllSteps()
    {
        open(test::demoPaths("henhouse-single"));
        QVERIFY(window_->lightScale()->sentence().startsWith("One frame holds all but"));
        QVERIFY(window_->lightScale()->sentence().contains("too dark for the rest"));
        for (Step step : {Step::Merge, Step::Tone, Step::Export, Step::Frames}) {
            window_->goTo(step);
            QVERIFY(!window_->grab().isNull());
        }
        document().exportPicture(path("single.tif"));
        QTRY_VERIFY_WITH_TIMEOUT(QFile::exists(path("single.tif")), 30000);
        row(0)->setFocus();
        QTest::keyClick(row(0), Qt::Key_Delete); // the last frame cannot go
        QCOMPARE(document().bracket().frames.size(), size_t(1));
    }
    void longNamesAndNineFramesFit()
    {
        QDir().mkpath(path("nine"));
        QStringList nine = test::writeBracket(path("nine"), test::rampScene(300, 200, 0.001, 11).view(),
                                              {-4, -3, -2, -1, 0, 1, 2, 3, 4}, 1.0);
        for (QString &file : nine) {
            const QString longer = path("nine/") +
                                   "a_name_that_goes_on_and_on_as_some_cameras_and_some_people_like_it_" +
                                   QFileInfo(file).fileName();
            QVERIFY(QFile::rename(file, longer));
            file = longer;
        }
        open(nine);
        const QWidget *panel = window_->framesPanel()->viewport();
        for (const FrameRow *r : window_->framesPanel()->rows()) { // nothing is wider than the panel
            QVERIFY(r->mapTo(window_->framesPanel()->widget(), QPoint(r->width(), 0)).x() <= panel->width());
            QVERIFY(window_->framesPanel()->widget()->width() <= panel->width());
        }
        document().lookAt(3);
        QVERIFY(window_->caption()->width() < window_->canvas()->width());
    }
};

QTEST_MAIN(TestFramesStep)
#include "tst_frames_step.moc"
