// Versions, rating and comparisons with other files, in the real window.
#include "opened_window.h"

#include "keeping/versions_strip.h"
#include "widgets/egg_rating.h"

#include <QAction>
#include <QCheckBox>
#include <QLineEdit>
#include <QListWidget>
#include <QPainter>
#include <QPushButton>
#include <QSignalSpy>

using namespace yolk;
using namespace yolk::app;

class TestVersions : public QObject {
    Q_OBJECT
    std::unique_ptr<test::OpenedWindow> window_;
    double start_ = 0.0;

    Document &document() const { return window_->document(); }
    VersionsStrip &strip() const { return *(*window_)->versionsStrip(); }
    QListWidget &list() const { return *strip().list(); }
    QAction *command(const QString &keys) const
    {
        for (QAction *action : (*window_)->findChildren<QAction *>())
            if (action->shortcut() == QKeySequence(keys))
                return action;
        return nullptr;
    }
    void exposureTo(double value) const
    {
        document().setTone(&ToneSettings::exposure, value, QStringLiteral("exposure"));
        window_->settle();
    }
    double exposure() const { return document().recipe().tone.exposure; }
    QStringList names() const
    {
        QStringList out;
        for (const Version &version : document().versions())
            out << version.name;
        return out;
    }

private Q_SLOTS:
    void init()
    {
        window_ = std::make_unique<test::OpenedWindow>(QStringLiteral("henhouse-tripod"));
        start_ = document().recipe().tone.exposure;
        exposureTo(start_);
        document().keepVersion(QStringLiteral("one"));
        exposureTo(start_ - 2.0);
        document().keepVersion(QStringLiteral("three"));
    }
    void cleanup() { window_.reset(); }

    void theStripShowsThem()
    {
        QVERIFY(!strip().isVisible());
        command(QStringLiteral("Shift+K"))->trigger();
        QVERIFY(strip().isVisible());
        QTRY_VERIFY(!document().versionPicture(0).isNull() && !document().versionPicture(1).isNull());
        const auto meanOf = [](const QImage &image) {
            double sum = 0.0;
            for (int y = 0; y < image.height(); ++y)
                for (int x = 0; x < image.width(); ++x)
                    sum += qGray(image.pixel(x, y));
            return sum / (image.width() * image.height());
        };
        QVERIFY(meanOf(document().versionPicture(0)) > meanOf(document().versionPicture(1)) + 20.0); // two stops
        QCOMPARE(list().count(), 2);
        QCOMPARE(list().item(0)->text(), QStringLiteral("one"));
        QVERIFY(list().item(1)->font().weight() > list().item(0)->font().weight()); // the present one
        command(QStringLiteral("Shift+K"))->trigger();
        QVERIFY(!strip().isVisible());
    }
    void aClickReturnsToOne()
    {
        command(QStringLiteral("Shift+K"))->trigger();
        QTest::mouseClick(list().viewport(), Qt::LeftButton, {}, list().visualItemRect(list().item(0)).center());
        QCOMPARE(exposure(), start_);
        document().undo(); // as any edit
        QCOMPARE(exposure(), start_ - 2.0);
    }
    void keysDoAllOfIt()
    {
        command(QStringLiteral("Shift+K"))->trigger();
        list().setFocus();
        list().setCurrentRow(0);
        QTest::keyClick(&list(), Qt::Key_Return);
        QCOMPARE(exposure(), start_);
        QTest::keyClick(&list(), Qt::Key_F2);
        auto *editor = list().viewport()->findChild<QLineEdit *>();
        QVERIFY(editor);
        editor->setText(QStringLiteral("first"));
        QTest::keyClick(editor, Qt::Key_Return);
        QTRY_COMPARE(names(), (QStringList{"first", "three"}));
        list().setFocus();
        list().setCurrentRow(0);
        QTest::keyClick(&list(), Qt::Key_Delete);
        QCOMPARE(names(), QStringList{"three"});
        QVERIFY(strip().bringBack()->isVisible() && strip().bringBack()->text().contains(QStringLiteral("first")));
        QTest::mouseClick(strip().bringBack(), Qt::LeftButton);
        QCOMPARE(names(), (QStringList{"first", "three"}));
        QVERIFY(!strip().bringBack()->isVisible());
    }
    void namesThatAreNoneStay()
    {
        document().renameVersion(0, QString());
        document().renameVersion(7, QStringLiteral("x"));
        document().deleteVersion(7);
        document().duplicateVersion(-1);
        QCOMPARE(names(), (QStringList{"one", "three"}));
        document().duplicateVersion(0);
        QCOMPARE(names(), (QStringList{"one", "one, again", "three"}));
        QVERIFY(document().versions()[1].recipe == document().versions()[0].recipe);
    }
    void theyLieAsThePictureDoes() // pixels on pixels, whatever was turned or switched off since
    {
        GeometrySettings turned;
        turned.turn = QuarterTurn::Right;
        document().setGeometry(turned, QStringLiteral("turn"));
        window_->settle();
        command(QStringLiteral("Shift+K"))->trigger();
        QTRY_VERIFY(!document().versionPicture(0).isNull());
        QVERIFY(document().versionPicture(0).height() > document().versionPicture(0).width());
        document().setGroupOn(QStringLiteral("straighten"), false);
        document().comparison()->setAgainst({ViewSource::Kind::Version, {}, 1}); // the settings as they are
        document().comparison()->setWay(CompareWay::Beside);
        document().setTone(&ToneSettings::exposure, start_ - 2.0, QStringLiteral("exposure"));
        window_->settle();
        for (int i = 0; i < 500 && !window_->canvas().picture().exact; ++i)
            QTest::qWait(10);
        QCOMPARE(window_->canvas().picture().against, window_->canvas().picture().image);
    }
    void theComparisonFollowsItsVersion()
    {
        Comparison &comparison = *document().comparison();
        comparison.setAgainst({ViewSource::Kind::Version, {}, 1});
        document().duplicateVersion(0);
        QCOMPARE(document().nameOf(comparison.against()), QStringLiteral("three"));
        document().deleteVersion(0);
        QCOMPARE(document().nameOf(comparison.against()), QStringLiteral("three"));
        document().bringVersionBack();
        QCOMPARE(document().nameOf(comparison.against()), QStringLiteral("three"));
        document().deleteVersion(comparison.against().version);
        QCOMPARE(comparison.against().kind, ViewSource::Kind::MiddleFrame);
    }
    void ratedInEggs()
    {
        command(QStringLiteral("Shift+K"))->trigger();
        EggRating *rating = strip().rating();
        QTest::mouseClick(rating, Qt::LeftButton, {}, QPoint(2 + 18 * 3 - 9, rating->height() / 2));
        QCOMPARE(document().rating(), 3);
        QTest::mouseClick(rating, Qt::LeftButton, {}, QPoint(2 + 18 * 3 - 9, rating->height() / 2)); // the last again
        QCOMPARE(document().rating(), 2);
        rating->setFocus();
        for (int i = 0; i < 5; ++i) // there are no more
            QTest::keyClick(rating, Qt::Key_Right);
        QCOMPARE(document().rating(), 5);
        command(QStringLiteral("Ctrl+Alt+1"))->trigger();
        QCOMPARE(rating->value(), 1);
        command(QStringLiteral("Ctrl+Alt+C"))->trigger();
        QVERIFY(document().isChosen() && strip().chosen()->isChecked());
        QTest::mouseClick(strip().chosen(), Qt::LeftButton, {}, QPoint(8, strip().chosen()->height() / 2));
        QVERIFY(!document().isChosen());
    }
    void heldAgainstAnyFile()
    {
        const QTemporaryDir dir;
        // Half red and half blue, of another size and shape than ours.
        QImage other(300, 300, QImage::Format_RGB32);
        other.fill(QColor(200, 30, 30));
        QPainter(&other).fillRect(150, 0, 150, 300, QColor(30, 30, 200));
        const QString path = dir.filePath(QStringLiteral("other.png"));
        QVERIFY(other.save(path));
        document().compareWithFile(path);
        QTRY_COMPARE(document().comparison()->against().kind, ViewSource::Kind::File);
        QCOMPARE(document().nameOf(document().comparison()->against()), QStringLiteral("other.png"));
        QCOMPARE(document().comparison()->way(), CompareWay::Split);
        window_->settle();
        QTRY_VERIFY(!window_->canvas().picture().against.isNull());
        const QImage shown = window_->canvas().picture().against;
        const double scale = double(shown.width()) / window_->canvas().picture().region.width();
        // As high as ours and in its middle: half of its side to the left and to the right of the middle.
        const QRectF region = window_->canvas().picture().region, area = document().pictureArea();
        const QPointF middle = (area.center() - region.topLeft()) * scale;
        const double side = area.height() * scale;
        const auto at = [&](double right) { return shown.pixelColor(int(middle.x() + right * side), int(middle.y())); };
        constexpr int kNear = 3; // code values, of coding and resampling
        QVERIFY(std::abs(at(-0.4).red() - 200) <= kNear && std::abs(at(-0.4).blue() - 30) <= kNear);
        QVERIFY(std::abs(at(0.4).red() - 30) <= kNear && std::abs(at(0.4).blue() - 200) <= kNear);
        if (middle.x() - 0.55 * side > 0.0)
            QCOMPARE(at(-0.55), QColor(0x76, 0x76, 0x75)); // beside it
    }
    void aFileThatIsNoPictureIsSaid()
    {
        const QTemporaryDir dir;
        QFile file(dir.filePath(QStringLiteral("no-picture.jpg")));
        QVERIFY(file.open(QIODevice::WriteOnly) && file.write("nothing") == 7);
        file.close();
        const ViewSource before = document().comparison()->against();
        QSignalSpy failed(&document(), &Document::failed);
        document().compareWithFile(file.fileName());
        QTRY_COMPARE(failed.size(), 1);
        QVERIFY(failed[0][0].toString().startsWith(QStringLiteral("no-picture.jpg: ")));
        QVERIFY(document().comparison()->against() == before);
    }
};

QTEST_MAIN(TestVersions)
#include "tst_versions.moc"
