// Alignment through the real window: the switch, the motions, the edges, the crop, and a frame that cannot be aligned.
#include "canvas/canvas.h"
#include "canvas/inspection_caption.h"
#include "io/radiance_file.h"
#include "main_window.h"
#include "steps/align_group.h"
#include "steps/inspect_group.h"
#include "steps/merge_panel.h"
#include "support/handheld.h"
#include "support/synthetic.h"
#include "theme/theme.h"
#include "widgets/choice_row.h"

#include <QAbstractButton>
#include <QComboBox>
#include <QSettings>
#include <QSignalSpy>
#include <QTemporaryDir>
#include <QTest>

using namespace yolk;
using namespace yolk::app;

namespace {

constexpr int kWidth = 480, kHeight = 360;

} // namespace

class TestAlignStep : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    QStringList frames_;
    std::unique_ptr<MainWindow> window_;

    Document &document() { return *window_->document(); }
    AlignGroup &group() { return *window_->mergePanel()->align(); }
    void settle()
    {
        QTRY_VERIFY_WITH_TIMEOUT(document().fullMergeReady() && !document().lanes()[3]->busy(), 30000);
        QTest::qWait(20);
        QTRY_VERIFY(!document().lanes()[3]->busy());
    }
    void choose(ChoiceRow *row, int index)
    {
        QTest::mouseClick(row->findChildren<QAbstractButton *>()[index], Qt::LeftButton);
        settle();
    }
    QImage shown() { return window_->canvas()->picture().image; }

private Q_SLOTS:
    void initTestCase()
    {
        QSettings::setPath(QSettings::NativeFormat, QSettings::UserScope, dir_.path());
        Theme::instance().install();
        ThreadRunner runner(2);
        ExecContext ctx(runner);
        const auto add = [&](const Image<float> &scene, double ev, double right, double down) {
            const Transform t{Matrix3{{1, 0, right, 0, 1, down, 0, 0, 1}}};
            const demo::Shot shot = test::shotAt(ev, 1.5, 60 + uint64_t(frames_.size()));
            frames_ << dir_.filePath(QStringLiteral("a_rather_long_name_of_a_frame_%1.jpg").arg(frames_.size() + 1));
            const Image<float> seen = test::seenUnder(scene, t, kWidth, kHeight, ctx);
            demo::writeFrame(frames_.back().toStdString(), demo::expose(seen.view(), shot).view(), shot,
                             demo::FrameFile::Jpeg);
        };
        const Image<float> scene = test::wideScene(kWidth, kHeight, 2, ctx);
        add(scene, -2, 12, -5);
        add(scene, 0, 0, 0);
        add(scene, 2, -8, 3);
        add(test::wideScene(kWidth, kHeight, 5, ctx), 1, 0, 0);
        window_ = std::make_unique<MainWindow>();
        window_->document()->setViewBudget({}); // whole, whatever else the machine has to do
        window_->resize(1280, 800);
        window_->show();
        window_->activateWindow();
        QVERIFY(QTest::qWaitForWindowActive(window_.get()));
        window_->goTo(Step::Merge);
    }
    void init()
    {
        QSignalSpy opened(&document(), &Document::setChanged); // the set of the test before is open until then
        document().open(frames_.mid(0, 3));
        QTRY_VERIFY_WITH_TIMEOUT(!opened.isEmpty(), 30000);
        settle();
    }
    void cleanupTestCase() { window_.reset(); }

    void motionsAreSaidInWords()
    {
        QVERIFY2(group().motions().contains("12 px right, 5.0 up"), qPrintable(group().motions()));
        QVERIFY2(group().motions().contains("8.0 px left, 3.0 down"), qPrintable(group().motions()));
        QVERIFY(group().motions().contains("reference"));
        QCOMPARE(motionText({}, {480, 360}), QStringLiteral("lies on the reference"));
    }
    void theSwitchChangesThePictureAndCanBeUndone()
    {
        const QImage on = shown();
        choose(group().mode(), 0);
        QVERIFY(document().recipe().align.mode == AlignMode::Off);
        const QImage off = shown();
        QVERIFY(off != on);
        QVERIFY(!group().model()->isVisible());
        document().undo();
        settle();
        QCOMPARE(shown(), on);
        choose(group().model(), 1);
        QVERIFY(document().recipe().align.model == ModelChoice::Shift);
        QCOMPARE(document().merged()->alignment[0].toReference.model, MotionModel::Shift);
        choose(group().local(), 0);
        QVERIFY(document().recipe().align.local == AlignMode::Off);
    }
    void cropKeepsWhatAllShow()
    {
        QCOMPARE(document().pictureArea(), QRect(0, 0, kWidth, kHeight));
        choose(group().crop(), 1);
        const QRect area = document().pictureArea();
        QVERIFY2(area.width() > 450 && area.width() <= kWidth - 20, qPrintable(QString::number(area.width())));
        QVERIFY(area.height() > 340 && area.height() <= kHeight - 8);
        QVERIFY(QRectF(area).adjusted(-1, -1, 1, 1).contains(window_->canvas()->picture().region));
        const QString file = dir_.filePath("cropped.exr");
        document().saveRadiance(file);
        QTRY_VERIFY_WITH_TIMEOUT(QFile::exists(file), 20000);
        QCOMPARE(readExr(file.toStdString()).rgb.width(), area.width());
        document().undo();
        settle();
        QCOMPARE(document().pictureArea(), QRect(0, 0, kWidth, kHeight));
    }
    void edgesLieOnEachOther() // white where both are: far more of it when the frames are aligned
    {
        const auto whiteShare = [&] {
            const QImage view = shown();
            int white = 0, edges = 0;
            for (int y = 0; y < view.height(); ++y)
                for (int x = 0; x < view.width(); ++x) {
                    const QColor c = view.pixelColor(x, y);
                    edges += std::max({c.red(), c.green(), c.blue()}) > 150;
                    white += std::min({c.red(), c.green(), c.blue()}) > 150;
                }
            return double(white) / std::max(1, edges);
        };
        window_->canvas()->setFocus();
        QTest::keyClick(window_.get(), Qt::Key_E);
        settle();
        QVERIFY(document().inspection() && document().inspection()->mode == InspectMode::Edges);
        const double aligned = whiteShare();
        QComboBox *frame = window_->mergePanel()->look()->frame();
        QVERIFY(frame->isVisible());
        QCOMPARE(frame->count(), 2); // all but the reference
        frame->setCurrentIndex(1);
        Q_EMIT frame->activated(1);
        settle();
        QVERIFY(window_->inspectionCaption()->legend()->patches()[1].word.contains("3"));
        frame->setCurrentIndex(0);
        Q_EMIT frame->activated(0);
        choose(group().mode(), 0);
        const double apart = whiteShare();
        QVERIFY2(aligned > 1.25 * apart, // edges this dense meet by chance too
                 qPrintable(QStringLiteral("%1, %2").arg(aligned).arg(apart)));
        QTest::keyClick(window_.get(), Qt::Key_Escape);
    }
    void aFrameOfElsewhereIsLeftOutAndCanBeTaken()
    {
        document().addFrames({frames_[3]});
        QTRY_COMPARE_WITH_TIMEOUT(document().bracket().frames.size(), size_t(4), 30000);
        settle();
        const auto odd = std::ranges::find_if(document().bracket().frames, &BracketFrame::astray);
        QVERIFY(odd != document().bracket().frames.end() && !odd->used);
        QVERIFY(
            std::ranges::any_of(odd->notices, [](const std::string &n) { return n.starts_with("cannot be aligned"); }));
        QVERIFY(group().motions().contains("cannot be aligned, left out"));
        document().setFrameUsed(size_t(odd - document().bracket().frames.begin()), true);
        settle();
        QCOMPARE(document().bracket().used().size(), size_t(4));
        QVERIFY(group().motions().contains("merged as shot"));
        document().undo();
        settle();
        QCOMPARE(document().bracket().used().size(), size_t(3));
    }
};

QTEST_MAIN(TestAlignStep)
#include "tst_align_step.moc"
