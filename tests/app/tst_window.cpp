// The real window, driven as its user drives it.
#include "canvas/canvas.h"
#include "canvas/message_strip.h"
#include "lightscale/light_scale.h"
#include "main_window.h"
#include "render/files/display_codes.h"
#include "render/files/radiance_export.h"
#include "status_line.h"
#include "steps/frame_row.h"
#include "steps/frames_panel.h"
#include "steps/step_path.h"
#include "steps/tone_panel.h"
#include "support/compare.h"
#include "support/synthetic.h"
#include "theme/theme.h"

#include "colour/transfer.h"

#include <opencv2/imgcodecs.hpp>
#include <QApplication>
#include <QCheckBox>
#include <QDir>
#include <QDropEvent>
#include <QMenu>
#include <QMimeData>
#include <QPushButton>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>

using namespace yolk;
using namespace yolk::app;

namespace {

void drop(QWidget *target, const QStringList &paths)
{
    QMimeData data;
    QList<QUrl> urls;
    for (const QString &p : paths)
        urls << QUrl::fromLocalFile(p);
    data.setUrls(urls);
    QDragEnterEvent enter(QPoint(200, 200), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(target, &enter);
    QVERIFY(enter.isAccepted());
    QDropEvent event(QPointF(200, 200), Qt::CopyAction, &data, Qt::LeftButton, Qt::NoModifier);
    QApplication::sendEvent(target, &event);
}

QAction *command(const MainWindow &window, const char *name)
{
    for (QAction *action : window.findChildren<QAction *>())
        if (action->text().remove('&').startsWith(QLatin1String(name)))
            return action;
    return nullptr;
}

} // namespace

class TestWindow : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    QStringList frames_;
    std::unique_ptr<MainWindow> window_;

    Document &document() { return *window_->document(); }
    bool settled()
    {
        return document().isOpen() && document().fullMergeReady() && !document().lanes()[3]->busy() &&
               window_->canvas()->picture().full;
    }
    void openFrames()
    {
        drop(window_.get(), frames_);
        QTRY_VERIFY_WITH_TIMEOUT(settled(), 30000);
    }
    /// What the core computes for the document's settings and the canvas's view, as the screen shows it.
    QImage expectedView()
    {
        ThreadRunner runner;
        ExecContext ctx(runner);
        const ViewPicture &shown = window_->canvas()->picture();
        const QRectF r = shown.region;
        const Image<float> display = render(
            RenderPlan(document().sources(), document().measured(), document().recipe()),
            {1, {r.left(), r.top(), r.right(), r.bottom()}, shown.image.width(), shown.image.height(), shown.exact},
            ctx);
        QImage out(display.width(), display.height(), QImage::Format_RGB32);
        std::vector<uint8_t> row(size_t(display.width()) * 3);
        for (int y = 0; y < display.height(); ++y) {
            encodeRow8(display.view(), y, row);
            for (int x = 0; x < display.width(); ++x)
                out.setPixel(x, y, qRgb(row[size_t(3 * x)], row[size_t(3 * x + 1)], row[size_t(3 * x + 2)]));
        }
        return out;
    }

private Q_SLOTS:
    void initTestCase()
    {
        QStandardPaths::setTestModeEnabled(true);
        QCoreApplication::setOrganizationName("yolk-test");
        QCoreApplication::setApplicationName("yolk-test");
        Theme::instance().install();
        frames_ = test::writeBracket(dir_.path(), test::rampScene(900, 600, 0.001, 11).view(), {0, -4, -2, 2, 4}, 1.0);
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

    void fromDropToSavedPicture()
    {
        QSignalSpy views(&document(), &Document::viewReady);
        openFrames();
        QVERIFY(views.count() >= 1);
        QCOMPARE(document().bracket().frames.size(), size_t(5));
        QVERIFY(window_->windowTitle().endsWith("Yolk"));
        QVERIFY(window_->canvas()->picture().image == expectedView());

        // A tone change by keyboard.
        window_->goTo(Step::Tone);
        ValueSlider *exposure = window_->tonePanel()->controls().slider("tone.exposure");
        const double before = document().recipe().tone.exposure;
        exposure->track()->setFocus();
        QTest::keyClick(exposure->track(), Qt::Key_Right);
        QTest::keyClick(exposure->track(), Qt::Key_Right);
        QVERIFY(std::abs(document().recipe().tone.exposure - before - 0.1) < 1e-9);

        // Another by a handle of the light scale: the same value as its slider.
        LightScale *scale = window_->lightScale();
        const QPoint handle = scale->handlePosition(3).toPoint();
        QTest::mousePress(scale, Qt::LeftButton, {}, handle);
        for (int i = 1; i <= 8; ++i)
            QTest::mouseMove(scale, handle + QPoint(0, i));
        QTest::mouseRelease(scale, Qt::LeftButton, {}, handle + QPoint(0, 8));
        QVERIFY(document().recipe().tone.highlights < -10.0);
        QCOMPARE(window_->tonePanel()->controls().slider("tone.highlights")->value(),
                 document().recipe().tone.highlights);
        QVERIFY(std::abs(scale->handlePosition(3).y() - (handle.y() + 8)) < 1.5); // it stays under the pointer
        QTRY_VERIFY(settled());
        QTRY_VERIFY(window_->canvas()->picture().image == expectedView());

        // Undo: the drag is one step, the two keys another.
        command(*window_, "Undo")->trigger();
        QCOMPARE(document().recipe().tone.highlights, 0.0);
        QVERIFY(std::abs(document().recipe().tone.exposure - before - 0.1) < 1e-9);
        command(*window_, "Undo")->trigger();
        QCOMPARE(document().recipe().tone, document().automatic());
        QVERIFY(!command(*window_, "Undo")->isEnabled());
        command(*window_, "Redo")->trigger();
        command(*window_, "Redo")->trigger();
        QVERIFY(document().recipe().tone.highlights < -10.0);

        // Export: the file is what the core computes.
        QSignalSpy kept(&document(), &Document::kept);
        const QString path = dir_.filePath("out.tif");
        document().exportPicture(path);
        QTRY_COMPARE_WITH_TIMEOUT(kept.count(), 1, 30000);
        QTRY_VERIFY(window_->statusLine()->job().contains("out.tif"));
        const cv::Mat file = cv::imread(path.toStdString(), cv::IMREAD_UNCHANGED);
        ThreadRunner runner;
        ExecContext ctx(runner);
        const Image<float> want =
            render(RenderPlan(document().sources(), document().measured(), document().recipe()), {}, ctx);
        QCOMPARE(file.size(), cv::Size(900, 600));
        double worst = 0.0;
        for (int y = 0; y < 600; ++y)
            for (int x = 0; x < 900; ++x)
                for (int c = 0; c < 3; ++c)
                    worst = std::max(worst, std::abs(file.at<cv::Vec3w>(y, x)[2 - c] -
                                                     encodeSrgb(double(want.row(c, y)[x])) * 65535.0));
        QVERIFY2(worst <= 1.0, qPrintable(QString::number(worst)));
    }
    void newcomerOpensADemoSet_data()
    {
        QTest::addColumn<QString>("button");
        QTest::addColumn<int>("frames");
        QTest::addColumn<QString>("sentence");
        QTest::newRow("handheld") << "Held by hand" << 5 << "5 frames hold all but";
        QTest::newRow("tripod") << "On a tripod" << 7 << "7 frames hold all but";
        QTest::newRow("single") << "A single frame" << 1 << "One frame holds";
    }
    void newcomerOpensADemoSet()
    {
        QFETCH(QString, button);
        QFETCH(int, frames);
        QFETCH(QString, sentence);
        QPushButton *demo = nullptr;
        for (QPushButton *candidate : window_->findChildren<QPushButton *>())
            if (candidate->text() == button)
                demo = candidate;
        QVERIFY(demo && demo->isVisible());
        QVERIFY(command(*window_, button.toUtf8())); // the menu has it too
        QTest::mouseClick(demo, Qt::LeftButton);
        QTRY_VERIFY_WITH_TIMEOUT(settled(), 120000);
        QCOMPARE(document().bracket().frames.size(), size_t(frames));
        QVERIFY(!demo->isVisible());
        QVERIFY2(window_->lightScale()->sentence().startsWith(sentence), qPrintable(window_->lightScale()->sentence()));
        window_->goTo(Step::Frames);
        QTest::qWait(50);
        for (const FrameRow *row : window_->framesPanel()->rows())
            QVERIFY2(row->height() < 100,
                     qPrintable(QString::number(row->height()))); // no row swells to fill the panel
    }
    void badFilesAreLeftOutAndNamed()
    {
        test::writeBytes(dir_.filePath("text.jpg"), "not a picture");
        const QByteArray whole = test::bytesOf(frames_[3]);
        test::writeBytes(dir_.filePath("cut.jpg"), whole.first(whole.size() / 2));
        drop(window_.get(), frames_.mid(0, 3) + QStringList{dir_.filePath("text.jpg"), dir_.filePath("cut.jpg"),
                                                            dir_.filePath("gone.jpg")});
        QTRY_VERIFY_WITH_TIMEOUT(settled(), 30000);
        QCOMPARE(document().bracket().frames.size(), size_t(3));
        const QString text = window_->messages()->text();
        QVERIFY2(text.contains("text.jpg: is not a picture") && text.contains("cut.jpg: the file ends too early") &&
                     text.contains("gone.jpg: there is no such file"),
                 qPrintable(text));
        QVERIFY(!text.contains(dir_.path())); // short names
        document().dismissProblems();
        QCOMPARE(window_->messages()->text(), QString());
    }
    void nothingUsableLeavesTheEmptyWindow()
    {
        test::writeBytes(dir_.filePath("empty.jpg"), "");
        drop(window_.get(), {dir_.filePath("empty.jpg")});
        QTRY_VERIFY(window_->messages()->text().contains("empty.jpg: the file is empty"));
        QVERIFY(!document().isOpen());
        QDir().mkpath(dir_.filePath("hollow"));
        drop(window_.get(), {dir_.filePath("hollow")});
        QVERIFY(window_->messages()->text().contains("hollow holds no pictures"));
        openFrames(); // and then goes on
    }
    void aViewThatIsLookedAtBecomesExact()
    {
        openFrames();
        const auto shown = [&]() -> const ViewPicture & { return window_->canvas()->picture(); };
        QVERIFY(shown().region.width() > shown().image.width()); // or there is nothing to gain
        QTRY_VERIFY_WITH_TIMEOUT(shown().exact, 5000);
        QVERIFY(shown().image == expectedView());
        QSignalSpy views(&document(), &Document::viewReady);
        Recipe darker = document().recipe();
        darker.tone.exposure -= 1.0;
        document().setRecipe(darker, "exposure");
        QTRY_VERIFY_WITH_TIMEOUT(!views.isEmpty(), 5000);
        QVERIFY(!views.front().front().value<ViewPicture>().exact); // a slider does not wait for all pixels
        QTRY_VERIFY_WITH_TIMEOUT(shown().exact, 5000);
        QVERIFY(shown().image == expectedView());
        // At one pixel for one there is nothing to settle.
        window_->canvas()->showArea(QRectF(300, 200, 100, 100));
        QTRY_VERIFY_WITH_TIMEOUT(settled() && !shown().exact, 5000);
        QTest::qWait(600);
        QVERIFY(!shown().exact);
    }
    void aDropOnAnOpenSetAddsFrames()
    {
        drop(window_.get(), frames_.mid(0, 3));
        QTRY_VERIFY_WITH_TIMEOUT(settled(), 30000);
        document().setTone(&ToneSettings::shadows, 20, "shadows");
        const double anchor = document().measured().anchorExposure;
        drop(window_.get(), frames_.mid(2));
        QTRY_COMPARE_WITH_TIMEOUT(document().bracket().frames.size(), size_t(5), 30000);
        QVERIFY(window_->messages()->text().contains("is in the set already"));
        QCOMPARE(document().recipe().tone.shadows, 20.0);
        QCOMPARE(document().measured().anchorExposure, anchor);
        QTRY_VERIFY_WITH_TIMEOUT(settled(), 30000);
    }
    void framesAreLeftOutAndTakenBack()
    {
        openFrames();
        window_->goTo(Step::Frames);
        const auto rows = window_->framesPanel()->rows();
        QCOMPARE(rows.size(), 5);
        QTest::mouseClick(rows[1]->use(), Qt::LeftButton, {}, QPoint(6, rows[1]->use()->height() / 2));
        QCOMPARE(document().bracket().used().size(), size_t(4));
        QVERIFY(window_->findChild<StepPath *>()->tab(0)->isMarked());
        QTRY_VERIFY_WITH_TIMEOUT(settled(), 30000);
        QVERIFY(window_->canvas()->picture().image == expectedView());
        document().undo();
        QCOMPARE(document().bracket().used().size(), size_t(5));
        QVERIFY(rows[1]->use()->isChecked());
        // The last frame cannot be left out.
        for (FrameRow *row : rows)
            QTest::mouseClick(row->use(), Qt::LeftButton, {}, QPoint(6, row->use()->height() / 2));
        QCOMPARE(document().bracket().used().size(), size_t(1));
    }
    void thePathHoldsAtAThousandPixels()
    {
        openFrames();
        window_->resize(1000, 720);
        QCoreApplication::processEvents();
        QCOMPARE(window_->width(), 1000);
        auto *path = window_->findChild<StepPath *>();
        for (const Step step : {Step::Frames, Step::Geometry}) { // the present one stays whole
            window_->goTo(step);
            QCoreApplication::processEvents();
            QTRY_VERIFY(path->tab(int(step))->width() >= path->tab(int(step))->sizeHint().width());
            for (int i = 0; i < kSteps; ++i)
                QVERIFY(path->tab(i)->geometry().right() < path->width());
        }
    }
    void zoomAndPanShowTruePixels()
    {
        openFrames();
        Canvas *canvas = window_->canvas();
        QVERIFY(canvas->isFitted() && canvas->zoom() < 1.2);
        const QPointF fixed(500, 200);
        const QPointF before = canvas->pictureAt(fixed);
        QWheelEvent wheel(fixed, canvas->mapToGlobal(fixed), {}, QPoint(0, 240), Qt::NoButton, Qt::NoModifier,
                          Qt::NoScrollPhase, false);
        QApplication::sendEvent(canvas, &wheel);
        QVERIFY(QLineF(canvas->pictureAt(fixed), before).length() < 1.5); // zooms at the pointer
        command(*window_, "100 %")->trigger();
        QCOMPARE(canvas->zoom(), 1.0);
        QTRY_VERIFY(settled() && canvas->picture().image == expectedView());
        const QPointF centre = canvas->pictureAt(QPointF(canvas->rect().center()));
        QTest::mousePress(canvas, Qt::LeftButton, {}, QPoint(300, 300));
        QTest::mouseMove(canvas, QPoint(260, 290));
        QTest::mouseRelease(canvas, Qt::LeftButton, {}, QPoint(260, 290));
        const QPointF moved = canvas->pictureAt(QPointF(canvas->rect().center())) - centre;
        QVERIFY(std::abs(moved.x() - 40 / canvas->devicePixelRatioF()) < 1.1 && std::abs(moved.y() - 10) < 1.1);
        QTest::keyClick(canvas, Qt::Key_Plus);
        QVERIFY(canvas->zoom() > 1.1);
        for (int i = 0; i < 80; ++i)
            QTest::keyClick(canvas, Qt::Key_Minus);
        QVERIFY(canvas->zoom() >= 0.049);
        command(*window_, "Fit")->trigger();
        QTRY_VERIFY(canvas->isFitted() && settled());
    }
    void pointerReadsSceneLight()
    {
        openFrames();
        Canvas *canvas = window_->canvas();
        const QPointF at(450.5, 300.5);
        QTest::mouseMove(canvas, canvas->widgetAt(at).toPoint());
        const auto probe = document().probe(at);
        QVERIFY(probe.has_value());
        // The scene there, from its formula; 1.0 is the clipping of the reference frame, as the scene was shot.
        const Image<float> scene = test::rampScene(900, 600, 0.001, 11);
        const Vector3 want = rgbToRgb(kRec709, kRec2020) *
                             Vector3{scene.row(0, 300)[450], scene.row(1, 300)[450], scene.row(2, 300)[450]};
        QVERIFY2(std::abs(double(probe->rgb[1]) / want[1] - 1.0) < 0.06,
                 qPrintable(QString::number(double(probe->rgb[1]) / want[1])));
        double shares = 0.0;
        for (const auto &[frame, share] : probe->shares)
            shares += share;
        QVERIFY(shares > 0.95 && shares <= 1.02);
        QVERIFY(!document().probe({-1, 5}) && !document().probe({5, 601}));
    }
    void lightScaleWorksByKeyboard()
    {
        openFrames();
        LightScale *scale = window_->lightScale();
        scale->setFocus();
        QTest::keyClick(scale, Qt::Key_Left); // from middle to shadows
        QTest::keyClick(scale, Qt::Key_Up);
        QTest::keyClick(scale, Qt::Key_Up, Qt::ShiftModifier);
        QVERIFY(std::abs(document().recipe().tone.shadows - 1.1) < 1e-9);
        QTest::keyClick(scale, Qt::Key_Delete);
        QCOMPARE(document().recipe().tone.shadows, 0.0);
        for (int i = 0; i < 9; ++i)
            QTest::keyClick(scale, Qt::Key_Right);
        QCOMPARE(scale->currentHandle(), 4);
    }
    void methodsShowWhatActs()
    {
        openFrames();
        window_->goTo(Step::Tone);
        TonePanel *panel = window_->tonePanel();
        QVERIFY(panel->controls().slider("tone.range")->isVisible() &&
                !panel->controls().slider("tone.gamma")->isVisible());
        Recipe plain = document().recipe();
        plain.tone.method = ToneMethod::Plain;
        document().setRecipe(plain, "method");
        QVERIFY(!panel->controls().slider("tone.range")->isVisible() &&
                panel->controls().slider("tone.gamma")->isVisible());
        document().startAgain();
        QCOMPARE(document().recipe().tone, document().automatic());
    }
    void everySliderChangesThePicture()
    {
        openFrames();
        forEachField(kToneFields, [&](const auto &field) {
            if constexpr (requires { field.minimum; }) {
                document().startAgain();
                Recipe recipe = document().recipe();
                if (field.key == "gamma")
                    recipe.tone.method = ToneMethod::Plain;
                document().setRecipe(recipe, "start");
                QTRY_VERIFY(settled() && window_->canvas()->picture().image == expectedView());
                const QImage before = window_->canvas()->picture().image;
                const double now = recipe.tone.*field.member,
                             to = now > (field.minimum + field.maximum) / 2 ? field.minimum : field.maximum;
                document().setTone(field.member, now + (to - now) * 0.3, "slider");
                QTRY_VERIFY2(window_->canvas()->picture().image != before, std::string(field.key).c_str());
            }
        });
    }
    void noTwoCommandsShareAKey()
    {
        QMap<QString, QString> taken;
        for (const QAction *action : window_->findChildren<QAction *>())
            for (const QKeySequence &keys : action->shortcuts()) {
                const QString key = keys.toString();
                QVERIFY2(!taken.contains(key), qPrintable(key + ": " + taken.value(key) + ", " + action->text()));
                taken.insert(key, action->text());
            }
        QVERIFY(taken.size() > 60);
    }
    void failedExportIsSaidAndNothingIsLost()
    {
        openFrames();
        document().setTone(&ToneSettings::whites, -10, "whites");
        document().exportPicture("/no/such/folder/x.tif");
        QTRY_VERIFY(window_->messages()->text().contains("the folder does not exist"));
        QCOMPARE(document().recipe().tone.whites, -10.0);
    }
    void savedHdrTellsOfNegatives()
    {
        openFrames();
        QSignalSpy kept(&document(), &Document::kept);
        document().saveRadiance(dir_.filePath("out.hdr"));
        document().saveRadiance(dir_.filePath("out.exr"));
        QTRY_COMPARE_WITH_TIMEOUT(kept.count(), 2, 30000); // one after the other, none lost
        ThreadRunner runner;
        ExecContext ctx(runner);
        const RadianceReport report = exportRadiance(document().sources(), document().recipe(), document().measured(),
                                                     dir_.filePath("again.hdr").toStdString(), ctx);
        QCOMPARE(kept[0][1].toString().isEmpty(), report.negatives == 0);
        QCOMPARE(kept[1][1].toString(), QString());
    }
    void cancelStopsAnExport()
    {
        openFrames();
        QSignalSpy kept(&document(), &Document::kept);
        const QDir folder(dir_.filePath("cancelled"));
        folder.mkpath(".");
        document().exportPicture(folder.filePath("x.tif"));
        document().cancelJobs();
        QTRY_VERIFY(!document().lanes()[0]->busy());
        QVERIFY(kept.isEmpty() || folder.exists("x.tif")); // stopped, or it was faster; never half
        QVERIFY(folder.entryList({".*"}, QDir::Files | QDir::Hidden).isEmpty());
    }
    void everyCommandHasAKeyOrAMark()
    {
        for (const QAction *action : window_->findChildren<QAction *>())
            if (!action->text().isEmpty() && !action->menu() && !action->isSeparator() && !action->isCheckable() &&
                !action->text().contains("About"))
                QVERIFY2(!action->shortcut().isEmpty() || action->parent() != window_.get(),
                         qPrintable(action->text()));
        for (const QWidget *w : window_->findChildren<QWidget *>())
            if (w->focusPolicy() & Qt::TabFocus && w->metaObject()->className() &&
                QByteArray(w->metaObject()->className()).startsWith("yolk::"))
                QVERIFY2(!w->accessibleName().isEmpty(), w->metaObject()->className());
    }
};

QTEST_MAIN(TestWindow)
#include "tst_window.moc"
