// Panning and zooming a picture of 100 megapixels in the real window, on the offscreen platform.
#include "benchmarks.h"
#include "synthetic_set.h"

#include "base/memory.h"
#include "canvas/canvas.h"
#include "main_window.h"

#include <QElapsedTimer>
#include <QFile>
#include <QMouseEvent>
#include <QTest>
#include <QThread>
#include <QWheelEvent>

#include <cmath>

namespace yolk::bench {
namespace {

using namespace yolk::app;

constexpr int kWidth = 12240, kHeight = 8176; // 100 megapixels

double residentMib()
{
    QFile status(QStringLiteral("/proc/self/status"));
    if (!status.open(QIODevice::ReadOnly))
        return 0.0;
    for (const QByteArray &line : status.readAll().split('\n'))
        if (line.startsWith("VmRSS:"))
            return line.mid(6).simplified().split(' ').front().toDouble() / 1024.0;
    return 0.0;
}

/// Each frame: one event of the hand, then painting what there is; rendering goes on behind it. Some frames after
/// another come 16 ms apart, as from a screen.
class Hand {
public:
    explicit Hand(MainWindow &window) : canvas_(*window.canvas()), document_(*window.document()) {}

    void drag(const QPointF &by, int frames)
    {
        QPointF at(canvas_.width() / 2.0, canvas_.height() / 2.0);
        send(QEvent::MouseButtonPress, at);
        for (int i = 0; i < frames; ++i) {
            at += by;
            frame([&] { send(QEvent::MouseMove, at); });
        }
        send(QEvent::MouseButtonRelease, at);
    }
    void wheel(int notches, const QPointF &at, int frames)
    {
        for (int i = 0; i < frames; ++i)
            frame([&] {
                QWheelEvent event(at, canvas_.mapToGlobal(at), {}, {0, notches * 40}, Qt::NoButton, Qt::NoModifier,
                                  Qt::NoScrollPhase, false);
                QCoreApplication::sendEvent(&canvas_, &event);
            });
    }
    /// Until what is shown is of the newest request.
    double settle()
    {
        QElapsedTimer clock;
        clock.start();
        while (document_.lanes()[3]->busy())
            QTest::qWait(1);
        return double(clock.nsecsElapsed()) * 1e-6;
    }
    std::vector<double> milliseconds;

private:
    void send(QEvent::Type type, const QPointF &at)
    {
        const auto button = type == QEvent::MouseMove ? Qt::NoButton : Qt::LeftButton;
        QMouseEvent event(type, at, canvas_.mapToGlobal(at), button,
                          type == QEvent::MouseButtonRelease ? Qt::NoButton : Qt::LeftButton, Qt::NoModifier);
        QCoreApplication::sendEvent(&canvas_, &event);
    }
    void frame(const std::function<void()> &act)
    {
        QElapsedTimer clock;
        clock.start();
        act();
        canvas_.repaint();
        milliseconds.push_back(double(clock.nsecsElapsed()) * 1e-6);
        QElapsedTimer pause;
        pause.start();
        while (pause.elapsed() < 16 - int(milliseconds.back())) { // what arrives from the jobs counts too
            clock.restart();
            QCoreApplication::processEvents();
            milliseconds.back() += double(clock.nsecsElapsed()) * 1e-6;
            QThread::usleep(400);
        }
    }
    Canvas &canvas_;
    Document &document_;
};

} // namespace

void benchCanvas(Report &report, const std::string &folder)
{
    keepFreedMemory(); // as in the program's main()
    MainWindow window;
    window.resize(1284, 786); // its canvas has 980 x 530 pixels
    window.show();
    QTest::qWait(200);
    QStringList one;
    for (const std::string &path : largeBracket(folder, 1, kWidth, kHeight))
        one << QString::fromStdString(path);
    window.document()->open(one);
    while (!window.document()->isOpen() || !window.document()->fullMergeReady())
        QTest::qWait(20);
    Hand hand(window);
    QTest::qWait(1500);
    hand.settle();
    window.canvas()->fit();
    QTest::qWait(500);
    const double before = residentMib();
    double peak = before, sharp = 0.0;
    std::vector<double> sharpAfter;
    const auto rest = [&] {
        sharpAfter.push_back(hand.settle());
        peak = std::max(peak, residentMib());
    };
    for (const double zoom : {0.1, 0.25, 0.5, 1.0, 2.0}) {
        window.canvas()->zoomTo(zoom);
        rest();
        for (const QPointF by : {QPointF(9, 4), QPointF(-25, 12), QPointF(3, -60)}) {
            hand.drag(by, 20);
            rest();
        }
    }
    for (const int direction : {1, -1, 1, -1}) { // through all zooms
        hand.wheel(direction, QPointF(300, 200), 60);
        rest();
    }
    sharp = percentile(sharpAfter, 0.95);
    char note[96];
    std::snprintf(note, sizeof note, "canvas of %d x %d, at most 16", window.canvas()->width(),
                  window.canvas()->height());
    report.add("canvas.pan_ms_median", percentile(hand.milliseconds, 0.5), note);
    report.add("canvas.pan_ms_p95", percentile(hand.milliseconds, 0.95), "at most 33");
    report.add("canvas.pan_ms_max", percentile(hand.milliseconds, 1.0), "");
    report.add("canvas.sharp_ms_p95", sharp, "from the last event to a picture without stand-ins");
    report.add("canvas.extra_mib", peak - before, "resident beyond the open picture, at most 256");
}

} // namespace yolk::bench
