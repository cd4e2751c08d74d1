// Holding the picture against others, through the real window; held keys; the monitor's profile.
#include "app/opened_window.h"

#include "canvas/message_strip.h"
#include "compare_bar.h"
#include "document/monitor_profile.h"
#include "widgets/choice_row.h"

#include <QLineEdit>
#include <QMenu>
#include <QProcess>
#include <QStandardPaths>
#include <QToolButton>

#include <xcb/xcb.h>

using namespace yolk;
using namespace yolk::app;
using yolk::test::OpenedWindow;

namespace {

using Kind = ViewSource::Kind;

double difference(const QRgb a, const QRgb b)
{
    return std::abs(qRed(a) - qRed(b)) + std::abs(qGreen(a) - qGreen(b)) + std::abs(qBlue(a) - qBlue(b));
}

/// The mean distance of the pixels of two pictures, in codes.
double difference(const QImage &a, const QImage &b)
{
    double sum = 0.0;
    for (int y = 0; y < a.height(); ++y)
        for (int x = 0; x < a.width(); ++x)
            sum += difference(a.pixel(x, y), b.pixel(x, y));
    return sum / (3.0 * a.width() * a.height());
}

} // namespace

class TestCompare : public QObject {
    Q_OBJECT
    std::unique_ptr<OpenedWindow> window_;
    Document &document() { return window_->document(); }
    Canvas &canvas() { return window_->canvas(); }
    Comparison &comparison() { return *document().comparison(); }
    QImage view() { return canvas().picture().image; }

private Q_SLOTS:
    void initTestCase() { window_ = std::make_unique<OpenedWindow>("henhouse-tripod"); }
    void cleanupTestCase() { window_.reset(); }
    void cleanup()
    {
        comparison().reset();
        canvas().fit();
        window_->settle();
    }

    void eachSourceIsWhatItSays()
    {
        document().setTone(&ToneSettings::exposure, document().recipe().tone.exposure - 1.0, "exposure");
        document().keepVersion("darker");
        document().undo();
        window_->settle();
        const QImage picture = view();
        comparison().setWay(CompareWay::Split);
        const auto against = [&](const ViewSource &source) {
            comparison().setAgainst(source);
            window_->settle();
            if (view() != picture) // the picture's own side does not change
                qFatal("the picture changed");
            return canvas().picture().against;
        };
        QCOMPARE(against({Kind::Opening}), picture); // undone: as it was
        const QImage darker = against({Kind::Version, {}, 0});
        QVERIFY(qGray(darker.pixel(300, 400)) < qGray(picture.pixel(300, 400)) - 8);
        const QImage plain = against({Kind::PlainMerge});
        QVERIFY(difference(plain, picture) > 10.0);
        // A frame in the picture's brightness is the picture where it holds the light: frame 7 does in the barn.
        const auto &frames = document().bracket().frames;
        const QImage bright = against({Kind::Frame, frames[6].frame->id});
        const QRect barn(20, 250, 120, 80);
        QVERIFY(difference(bright.copy(barn), picture.copy(barn)) < 2.0);
        const QImage dark = against({Kind::Frame, frames[0].frame->id});
        QVERIFY(difference(dark.copy(barn), picture.copy(barn)) > 6.0); // nothing but noise there
        const QImage middle = against({Kind::MiddleFrame});
        QCOMPARE(middle, against({Kind::Frame, frames[document().bracket().reference].frame->id}));
        comparison().setFramesAsTaken(true);
        const QImage taken = against({Kind::MiddleFrame});
        QVERIFY(difference(taken, middle) > 10.0);
        document().lookAt(document().bracket().reference); // the file itself
        window_->settle();
        QVERIFY(difference(view(), taken) < 1.5); // through linear codes
        document().lookAt(std::nullopt);
        comparison().setFramesAsTaken(false);
        document().returnToVersion(0); // an edit like any other
        QVERIFY(document().canUndo() && document().undoName().contains("darker"));
        document().undo();
    }
    void bothSidesAreLive()
    {
        comparison().setWay(CompareWay::Split);
        comparison().setAgainst({Kind::MiddleFrame});
        window_->settle();
        const QImage picture = view(), against = canvas().picture().against;
        document().setTone(&ToneSettings::exposure, document().recipe().tone.exposure + 1.5, "exposure");
        window_->settle();
        QVERIFY(difference(view(), picture) > 5.0 && difference(canvas().picture().against, against) > 5.0);
        document().undo();
        window_->settle();
        QCOMPARE(view(), picture);
    }
    void theDividerPartsThePictures_data()
    {
        QTest::addColumn<double>("degrees");
        for (const double degrees : {0.0, 30.0, -45.0, 90.0, 135.0})
            QTest::addRow("%g degrees", degrees) << degrees;
    }
    void theDividerPartsThePictures()
    {
        QFETCH(double, degrees);
        comparison().setAgainst({Kind::PlainMerge});
        window_->settle();
        const QImage picture = window_->shown();
        comparison().setWay(CompareWay::Split);
        window_->settle();
        canvas().turnDivider(degrees - canvas().divider().degrees());
        const QImage split = window_->shown();
        comparison().hold({Kind::PlainMerge});
        window_->settle();
        const QImage other = window_->shown();
        comparison().release();
        int first = 0, second = 0;
        const QSizeF pane = canvas().size();
        for (int y = 60; y < split.height() - 60; y += 7)
            for (int x = 130; x < split.width() - 130; x += 7) {
                const QPointF at(x, y);
                if (canvas().divider().gripAt(at, pane) != SplitDivider::Grip::None)
                    continue;
                const QPointF egg = at - canvas().divider().middle(pane);
                if (std::hypot(egg.x(), egg.y()) < 16.0)
                    continue;
                const bool isFirst = canvas().divider().isFirst(at, pane);
                (isFirst ? first : second)++;
                if (split.pixel(x, y) != (isFirst ? other : picture).pixel(x, y))
                    QFAIL(qPrintable(QStringLiteral("wrong at %1, %2").arg(x).arg(y)));
            }
        QVERIFY(first > 1000 && second > 1000);
    }
    void theDividerIsDraggedAndTurned()
    {
        comparison().setWay(CompareWay::Split);
        window_->settle();
        canvas().turnDivider(-canvas().divider().degrees());
        const QSizeF pane = canvas().size();
        const auto drag = [&](const QPointF &from, const QPointF &to) {
            QTest::mousePress(&canvas(), Qt::LeftButton, {}, from.toPoint());
            QTest::mouseMove(&canvas(), ((from + to) / 2).toPoint());
            QTest::mouseMove(&canvas(), to.toPoint());
            QTest::mouseRelease(&canvas(), Qt::LeftButton, {}, to.toPoint());
        };
        const QPointF middle = canvas().divider().middle(pane);
        drag(middle, middle + QPointF(120, 40)); // along the line nothing is dragged
        QVERIFY(std::abs(canvas().divider().middle(pane).x() - middle.x() - 120) < 1.5);
        QVERIFY(std::abs(canvas().divider().middle(pane).y() - middle.y()) < 1.5);
        const QPointF now = canvas().divider().middle(pane);
        drag(canvas().divider().ring(pane), now + QPointF(80, 80)); // to the lower right
        QVERIFY(std::abs(canvas().divider().degrees() + 45.0) < 1.0);
        window_->press(Qt::Key_BracketRight);
        QVERIFY(std::abs(canvas().divider().degrees() + 30.0) < 1.0);
        const QPointF at = canvas().divider().middle(pane);
        window_->press(Qt::Key_BracketRight, Qt::ControlModifier);
        QVERIFY((canvas().divider().middle(pane) - at).x() > 20);
        window_->press(Qt::Key_BracketLeft, Qt::ControlModifier);
        QVERIFY((canvas().divider().middle(pane) - at).manhattanLength() < 0.01);
        QVERIFY(canvas().isFitted()); // the picture was not moved by it
    }
    void besideShareOneZoom()
    {
        window_->press(Qt::Key_D, Qt::ShiftModifier);
        QCOMPARE(comparison().way(), CompareWay::Beside);
        comparison().setAgainst({Kind::PlainMerge});
        canvas().zoomTo(1.0);
        window_->settle();
        const QPoint left(100, 150), right(100 + canvas().width() / 2 + 3, 150);
        QVERIFY((canvas().pictureAt(left) - canvas().pictureAt(right)).manhattanLength() < 1.01);
        const QImage both = window_->shown();
        const QPointF at = canvas().pictureAt(left);
        const ViewPicture &shown = canvas().picture();
        const QPoint in((at - shown.region.topLeft()).toPoint());
        QCOMPARE(both.pixel(left), shown.against.pixel(in));
        QCOMPARE(both.pixel(right), shown.image.pixel(in));
        QCOMPARE(canvas().labels(), QStringList({"Plain merge", "Picture"}));
        const QPointF before = canvas().pictureAt(right);
        QTest::mousePress(&canvas(), Qt::LeftButton, {}, left);
        QTest::mouseMove(&canvas(), left + QPoint(20, 10));
        QTest::mouseMove(&canvas(), left + QPoint(40, 20));
        QTest::mouseRelease(&canvas(), Qt::LeftButton, {}, left + QPoint(40, 20));
        QVERIFY((canvas().pictureAt(right) - before + QPointF(40, 20)).manhattanLength() < 1.5);
    }
    void heldKeysLeadBack_data()
    {
        QTest::addColumn<int>("key");
        QTest::addColumn<int>("end"); // 0 released, 1 the window loses the focus, 2 another key is pressed and released
        for (const int key : {int(Qt::Key_1), int(Qt::Key_5), int(Qt::Key_B), int(Qt::Key_X)})
            for (int end = 0; end < 3; ++end)
                QTest::addRow("key %c, end %d", char(key), end) << key << end;
    }
    void heldKeysLeadBack()
    {
        QFETCH(int, key);
        QFETCH(int, end);
        Recipe clipping = document().recipe();
        clipping.tone.method = ToneMethod::Plain; // ends to be shown: the start loses nothing
        document().setRecipe(clipping, QStringLiteral("method"));
        window_->settle();
        const Recipe recipe = document().recipe();
        const QImage before = view();
        const QStringList labels = canvas().labels();
        canvas().setFocus();
        QTest::keyPress(&canvas(), Qt::Key(key));
        window_->settle();
        QVERIFY(view() != before);
        QVERIFY(canvas().labels() != labels);
        if (key == Qt::Key_5)
            QVERIFY(canvas().labels().front().startsWith("Frame 5"));
        if (end == 1) {
            QEvent away(QEvent::WindowDeactivate);
            QApplication::sendEvent(&**window_, &away);
        } else if (end == 2) {
            QTest::keyPress(&canvas(), Qt::Key_2);
            QTest::keyRelease(&canvas(), Qt::Key_2);
        } else {
            QTest::keyRelease(&canvas(), Qt::Key(key));
        }
        window_->settle();
        QCOMPARE(view(), before);
        QCOMPARE(canvas().labels(), labels);
        QVERIFY(!comparison().held() && !document().ends() && document().recipe() == recipe);
        QTest::keyRelease(&canvas(), Qt::Key(key)); // late: nothing happens
        QVERIFY(!comparison().held());
    }
    void aFrameThatIsNotThereIsNotLookedThrough()
    {
        canvas().setFocus();
        QTest::keyPress(&canvas(), Qt::Key_9); // seven frames
        QVERIFY(!comparison().held());
        QTest::keyRelease(&canvas(), Qt::Key_9);
    }
    void digitsInAFieldAreTyped()
    {
        (*window_)->goTo(Step::Tone);
        for (QLineEdit *edit : (*window_)->findChildren<QLineEdit *>())
            if (edit->accessibleName() == "Contrast, value") {
                edit->setFocus();
                edit->selectAll();
                QTest::keyClick(edit, Qt::Key_1);
                QTest::keyClick(edit, Qt::Key_2);
                QTest::keyClick(edit, Qt::Key_Return);
            }
        QCOMPARE(document().recipe().tone.contrast, 12.0);
        QVERIFY(!comparison().held());
        document().undo();
        canvas().setFocus();
        window_->settle();
    }
    void theBarSaysAndChooses()
    {
        CompareBar &bar = *(*window_)->compareBar();
        QVERIFY(bar.isVisible());
        QCOMPARE(bar.against()->text(), QString("Middle frame"));
        Q_EMIT bar.against()->menu()->aboutToShow();
        const auto actions = bar.against()->menu()->actions();
        QVERIFY(actions.size() >= 3 + 7); // three states and seven frames
        for (QAction *action : actions)
            if (action->text() == "Plain merge")
                action->trigger();
        QCOMPARE(comparison().against().kind, Kind::PlainMerge);
        Q_EMIT bar.way()->chosen(1);
        QCOMPARE(comparison().way(), CompareWay::Split);
        QCOMPARE(bar.way()->index(), 1);
    }
    void theMonitorsProfileIsApplied()
    {
        const QImage plain = view();
        const auto profileOf = [](OutputSpace space) {
            const std::vector<std::byte> bytes = iccProfile(space);
            return QByteArray(reinterpret_cast<const char *>(bytes.data()), qsizetype(bytes.size()));
        };
        document().setMonitor(monitorOf(profileOf(OutputSpace::Rec2020)));
        window_->settle();
        const QImage wide = view();
        // The same colours in a wider space have less distant codes: Rec. 709 red is (0.792, 0.231, 0.074) there,
        // coded.
        double before = 0.0, after = 0.0;
        for (int y = 0; y < plain.height(); y += 5)
            for (int x = 0; x < plain.width(); x += 5) {
                before += QColor(plain.pixel(x, y)).saturation();
                after += QColor(wide.pixel(x, y)).saturation();
            }
        QVERIFY(after < 0.9 * before);
        document().setMonitor(std::make_shared<const MonitorProfile>());
        window_->settle();
        QCOMPARE(view(), plain);
    }
    void aBadProfileIsSaidAndSrgbStays()
    {
        QTemporaryDir dir;
        const QString path = dir.filePath("monitor.icc");
        QFile file(path);
        QVERIFY(file.open(QIODevice::WriteOnly));
        file.write("no profile at all, but long enough to be taken for one at first sight");
        file.close();
        QSettings().setValue("monitor", path);
        MainWindow second;
        QSettings().remove("monitor");
        const QString said = second.messages()->text();
        QVERIFY2(said.startsWith("monitor.icc: ") && said.contains("sRGB"), qPrintable(said));
    }
    void theProfileOfAnX11ScreenIsFound()
    {
        const QString server = QStandardPaths::findExecutable("Xvfb");
        if (server.isEmpty())
            QSKIP("Xvfb is not here");
        QProcess x11;
        x11.setProcessChannelMode(QProcess::MergedChannels);
        x11.start(server, {"-displayfd", "1", "-screen", "0", "64x64x24", "-nolisten", "tcp"});
        QVERIFY(x11.waitForStarted());
        QByteArray said;
        for (int i = 0; i < 100 && !said.contains('\n'); ++i) {
            x11.waitForReadyRead(100);
            said += x11.readAll();
        }
        const QByteArray display = ":" + said.trimmed().split('\n').last();
        xcb_connection_t *connection = xcb_connect(display.constData(), nullptr);
        QVERIFY(!xcb_connection_has_error(connection));
        QVERIFY(profileOfScreen(connection).isEmpty());
        const std::vector<std::byte> profile = iccProfile(OutputSpace::DisplayP3);
        const auto asked = xcb_intern_atom(connection, 0, 12, "_ICC_PROFILE");
        auto *atom = xcb_intern_atom_reply(connection, asked, nullptr);
        xcb_change_property(connection, XCB_PROP_MODE_REPLACE,
                            xcb_setup_roots_iterator(xcb_get_setup(connection)).data->root, atom->atom,
                            XCB_ATOM_CARDINAL, 8, uint32_t(profile.size()), profile.data());
        free(atom);
        const QByteArray found = profileOfScreen(connection);
        QCOMPARE(found, QByteArray(reinterpret_cast<const char *>(profile.data()), qsizetype(profile.size())));
        QCOMPARE(monitorOf(found)->space(), OutputSpace::DisplayP3);
        xcb_disconnect(connection);
        x11.kill();
        x11.waitForFinished();
    }
};

QTEST_MAIN(TestCompare)
#include "tst_compare.moc"
