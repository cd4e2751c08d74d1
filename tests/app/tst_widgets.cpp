// The small widgets and the lane of jobs, each on its own.
#include "canvas/message_strip.h"
#include "document/view_pace.h"
#include "jobs/lane.h"
#include "theme/theme.h"
#include "widgets/value_slider.h"

#include <QApplication>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QTest>

#include <atomic>
#include <cmath>

#include <mutex>

using namespace yolk;
using namespace yolk::app;

namespace {

SliderSpec spec()
{
    return {"Exposure", "Makes it brighter", "EV", -12, 12, 0, 0.05, 2};
}

} // namespace

class TestWidgets : public QObject {
    Q_OBJECT
private Q_SLOTS:
    void initTestCase()
    {
        QStandardPaths::setTestModeEnabled(true);
        Theme::instance().install();
    }
    void sliderStepsFineAndCoarse()
    {
        ValueSlider slider(spec());
        slider.resize(260, 40);
        slider.show();
        QSignalSpy changed(&slider, &ValueSlider::changed);
        QTest::keyClick(slider.track(), Qt::Key_Right);
        QVERIFY(std::abs(slider.value() - 0.05) < 1e-9);
        QTest::keyClick(slider.track(), Qt::Key_Right, Qt::ShiftModifier);
        QVERIFY(std::abs(slider.value() - 0.055) < 1e-9);
        QTest::keyClick(slider.track(), Qt::Key_PageDown);
        QVERIFY(std::abs(slider.value() + 0.445) < 1e-9);
        QTest::keyClick(slider.track(), Qt::Key_End);
        QCOMPARE(slider.value(), 12.0);
        QCOMPARE(changed.count(), 4);
        QCOMPARE(changed[0][1], changed[1][1]); // a run of keys is one step of undo
        slider.setValue(3.0);                   // from elsewhere
        QCOMPARE(changed.count(), 4);
        QTest::keyClick(slider.track(), Qt::Key_Left);
        QVERIFY(changed[4][1] != changed[0][1]);
    }
    void viewsAreDrawnSmallerWhileTimeIsShort()
    {
        constexpr double kPixels = 1e6;
        ViewPace pace;
        QCOMPARE(pace.scaleFor(kPixels, 1000), 1.0);
        pace.took(kPixels, 500.0); // once it had something to find
        pace.took(kPixels, 15.0);
        QCOMPARE(pace.scaleFor(kPixels, 1030), 1.0);
        pace.took(kPixels, 40.0);
        QCOMPARE(pace.scaleFor(kPixels, 1060), 1.0); // one that is late is none yet
        pace.took(kPixels, 40.0);
        const double scale = pace.scaleFor(kPixels, 1100);
        QVERIFY(scale < 1.0 && 40.0 * scale * scale <= 22.0);
        pace.took(kPixels * scale * scale, 10.0);
        pace.took(kPixels * scale * scale, 10.0);
        QCOMPARE(pace.scaleFor(kPixels, 1130), scale); // a movement keeps it
        QCOMPARE(pace.scaleFor(kPixels, 2000), 1.0);   // and what rests is whole
        pace.took(kPixels, 4000.0);
        pace.took(kPixels, 4000.0);
        QCOMPARE(pace.scaleFor(kPixels, 2030), 0.5); // never smaller
        pace.setBudget({});
        QCOMPARE(pace.scaleFor(kPixels, 2060), 1.0);
    }
    void sliderTakesTypedValues_data()
    {
        QTest::addColumn<QString>("typed");
        QTest::addColumn<double>("value");
        QTest::newRow("plain") << "1.25" << 1.25;
        QTest::newRow("comma") << "1,25" << 1.25;
        QTest::newRow("unit") << "+ 2 EV" << 2.0;
        QTest::newRow("minus sign") << QStringLiteral("\u2212 0.5 EV") << -0.5;
        QTest::newRow("too much") << "99" << 12.0;
        QTest::newRow("nonsense") << "bright" << 0.0;
        QTest::newRow("nan") << "nan" << 0.0;
    }
    void sliderTakesTypedValues()
    {
        QFETCH(QString, typed);
        QFETCH(double, value);
        ValueSlider slider(spec());
        slider.show();
        slider.edit()->setFocus();
        slider.edit()->selectAll();
        slider.edit()->insert(typed); // as an input method does: QTest types ASCII only
        QTest::keyClick(slider.edit(), Qt::Key_Return);
        QCOMPARE(slider.value(), value);
        QVERIFY(slider.edit()->text().endsWith("EV"));
    }
    void sliderReturnsToItsStart()
    {
        ValueSlider slider(spec());
        slider.resize(260, 40);
        slider.setStart(3.9);
        slider.setValue(-2.0);
        slider.show();
        QTest::mouseDClick(slider.track(), Qt::LeftButton);
        QVERIFY(std::abs(slider.value() - 3.9) < 1e-9);
        slider.setValue(1.0);
        QTest::keyClick(slider.track(), Qt::Key_Delete);
        QVERIFY(std::abs(slider.value() - 3.9) < 1e-9);
    }
    void sliderDragIsOneGesture()
    {
        ValueSlider slider(spec());
        slider.resize(260, 40);
        slider.show();
        QSignalSpy changed(&slider, &ValueSlider::changed);
        const QPoint middle = slider.track()->rect().center();
        QTest::mousePress(slider.track(), Qt::LeftButton, {}, middle);
        QCOMPARE(changed.count(), 0); // taking hold of the egg moves nothing
        QTest::mouseMove(slider.track(), middle + QPoint(20, 0));
        QTest::mouseMove(slider.track(), middle + QPoint(40, 0));
        QTest::mouseRelease(slider.track(), Qt::LeftButton, {}, middle + QPoint(40, 0));
        QVERIFY(changed.count() >= 2 && slider.value() > 2.0);
        QCOMPARE(changed.first()[1], changed.last()[1]);
    }
    void sliderSpeaksToAssistiveTechnology()
    {
        ValueSlider slider(spec());
        QCOMPARE(slider.track()->accessibleName(), QStringLiteral("Exposure"));
        QSignalSpy changed(&slider, &ValueSlider::changed);
        slider.track()->QAbstractSlider::setValue(200); // as its interface does: tenths of a step
        QCOMPARE(changed.count(), 1);
        QVERIFY(std::abs(slider.value() - 1.0) < 1e-9);
    }
    void stripShowsTheFirstFewOfMany()
    {
        MessageStrip strip;
        QCOMPARE(strip.text(), QString());
        strip.setLines({"1", "2", "3", "4", "5", "6"});
        QCOMPARE(strip.text(), QStringLiteral("1\n2\n3\n4\nand 2 more."));
        strip.setLines({});
        QCOMPARE(strip.text(), QString());
    }
    void newestJobWins()
    {
        Lane lane(Lane::Policy::CancelRunning, nullptr);
        QStringList done;
        std::atomic<bool> firstStopped = false;
        lane.start<int>(
            "first",
            [&](ExecContext &ctx) -> int {
                while (true) {
                    if (ctx.stopRequested())
                        firstStopped = true;
                    ctx.throwIfStopped();
                    QThread::msleep(2);
                }
            },
            [&](Outcome<int>) { done << "first"; });
        lane.start<int>(
            "second", [](ExecContext &) { return 2; }, [&](Outcome<int>) { done << "second"; });
        lane.start<int>(
            "third", [](ExecContext &) { return 3; }, [&](Outcome<int> o) { done << QString::number(*o.result); });
        QTRY_COMPARE(done, QStringList{"3"});
        QVERIFY(firstStopped);
    }
    void queueRunsAllInOrder()
    {
        Lane lane(Lane::Policy::Queue, nullptr);
        QStringList done;
        for (int i = 0; i < 4; ++i)
            lane.start<int>(
                "job", [i](ExecContext &) { return i; }, [&](Outcome<int> o) { done << QString::number(*o.result); });
        QTRY_COMPARE(done, (QStringList{"0", "1", "2", "3"}));
    }
    void streamsOfRequestsStillShowResults()
    {
        Lane lane(Lane::Policy::FinishRunning, nullptr);
        int shown = 0, last = 0;
        for (int i = 1; i <= 20; ++i) {
            lane.start<int>(
                {},
                [i](ExecContext &) {
                    QThread::msleep(5);
                    return i;
                },
                [&](Outcome<int> o) {
                    ++shown;
                    last = *o.result;
                });
            QTest::qWait(2);
        }
        QTRY_COMPARE(last, 20);
        QVERIFY(shown >= 3 && shown < 20);
    }
    void timeLeftFollowsThePace()
    {
        Lane lane(Lane::Policy::Queue, nullptr);
        std::atomic<bool> end{false};
        lane.start<int>(
            "long",
            [&end](ExecContext &ctx) {
                ctx.report(0.25);
                while (!end)
                    QThread::msleep(5);
                return 0;
            },
            [](const Outcome<int> &) {});
        QElapsedTimer clock;
        clock.start();
        QTest::qWait(300);
        QVERIFY(!lane.secondsLeft()); // too early to tell
        QTRY_VERIFY(lane.secondsLeft().has_value());
        const double passed = double(clock.elapsed()) * 1e-3;
        QVERIFY(std::abs(*lane.secondsLeft() - 3.0 * passed) <
                0.5 * passed); // a quarter done: three times as long to go
        end = true;
        QTRY_VERIFY(!lane.busy() && !lane.secondsLeft());
    }
    void failuresBecomeWords()
    {
        Lane lane(Lane::Policy::Queue, nullptr);
        QStringList errors;
        bool cancelled = false;
        const auto note = [&](Outcome<int> o) {
            errors << o.error;
            cancelled = cancelled || o.cancelled;
        };
        lane.start<int>(
            "a", [](ExecContext &) -> int { throw InputError("x.jpg", "the file is empty"); }, note);
        lane.start<int>(
            "b", [](ExecContext &) -> int { throw std::bad_alloc(); }, note);
        lane.start<int>(
            "c", [](ExecContext &) -> int { throw Cancelled(); }, note);
        QTRY_COMPARE(errors.size(), 3);
        QCOMPARE(errors[0], QStringLiteral("x.jpg: the file is empty"));
        QVERIFY(errors[1].contains("memory"));
        QVERIFY(cancelled && errors[2].isEmpty());
    }
    void themesDiffer()
    {
        const QColor light = tokens().chrome;
        QCOMPARE(light, QColor(0xd3, 0xd2, 0xce));
        Theme::instance().set(ThemeChoice::Dusk);
        QVERIFY(tokens().chrome.lightness() < 80 && tokens().accent == QColor(0xf0, 0xab, 0x1d));
        Theme::instance().set(ThemeChoice::Eggshell);
        QCOMPARE(tokens().chrome, light);
        QCOMPARE(QFontInfo(QApplication::font()).family(), QStringLiteral("Inter")); // the shipped one
    }
};

QTEST_MAIN(TestWidgets)
#include "tst_widgets.moc"
