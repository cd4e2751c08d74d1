// The Export step in the real window: what is chosen is written; presets; another program; a window for another program.
#include "opened_window.h"

#include "canvas/inspection_caption.h"
#include "canvas/message_strip.h"
#include "canvas/offer_strip.h"
#include "document/hand_over.h"
#include "io/codec.h"
#include "steps/export_panel.h"
#include "steps/written_list.h"
#include "support/synthetic.h"
#include "widgets/choice_row.h"
#include "widgets/value_slider.h"

#include <opencv2/imgcodecs.hpp>

#include <QCheckBox>
#include <QLineEdit>
#include <QListWidget>
#include <QMessageBox>
#include <QMimeData>
#include <QProcess>
#include <QPushButton>
#include <QSignalSpy>
#include <QStandardPaths>
#include <QTemporaryDir>
#include <QTest>
#include <QUrl>

using namespace yolk;
using namespace yolk::app;

class TestExportStep : public QObject {
    Q_OBJECT
    QTemporaryDir dir_;
    QStringList paths_;
    std::unique_ptr<MainWindow> window_;

    Document &document() const { return *window_->document(); }
    ExportPanel &panel() const { return *window_->exportPanel(); }
    ChoiceRow *choice(const char *path) const { return panel().controls()->choice(QLatin1String(path)); }
    QString at(const char *name) const { return dir_.filePath(QLatin1String(name)); }
    void choose(const char *path, int index) const
    {
        choice(path)->setIndex(index);
        Q_EMIT choice(path)->chosen(index);
    }
    void settle() const
    {
        QTRY_VERIFY_WITH_TIMEOUT(document().isOpen() && document().fullMergeReady() && !document().lanes()[3]->busy() &&
                                     !document().lanes()[0]->busy(),
                                 60000);
    }
    /// The colour of the middle of the canvas' picture.
    QColor middle() const
    {
        settle();
        const QImage image = window_->canvas()->picture().image;
        return image.pixelColor(image.width() / 2, image.height() / 2);
    }
    QColor corner() const
    {
        settle();
        return window_->canvas()->picture().image.pixelColor(1, 1);
    }

private Q_SLOTS:
    void initTestCase()
    {
        QStandardPaths::setTestModeEnabled(true);
        QCoreApplication::setOrganizationName("yolk-test-export");
        QSettings().clear();
        QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/exports").removeRecursively();
        paths_ = test::writeBracket(dir_.path(), test::rampScene(480, 320, 0.004, 12).view(), {-3, -1, 1}, 1.0);
        window_ = std::make_unique<MainWindow>();
        window_->document()->setViewBudget({}); // whole, whatever else the machine has to do
        window_->resize(1280, 800);
        window_->show();
        window_->open(paths_);
        settle();
        window_->goTo(Step::Export);
    }
    void cleanupTestCase() { window_.reset(); }
    void init() { settle(); }

    void controlsFollowTheFormat()
    {
        const auto isThere = [&](const char *path) {
            return !panel().controls()->control(QLatin1String(path))->isHidden();
        };
        choose("export.format", int(PictureFormat::Tiff));
        QVERIFY(isThere("export.depth") && !isThere("export.quality") && !isThere("export.chroma"));
        QVERIFY(panel().facts().contains("480 × 320") && panel().facts().contains("16 bit"));
        choose("export.format", int(PictureFormat::Jpeg));
        QVERIFY(!isThere("export.depth") && isThere("export.quality") && isThere("export.chroma"));
        QVERIFY(isThere("export.light") && !isThere("export.peak"));
        choose("export.light", 1);
        QVERIFY(isThere("export.peak") && isThere("export.lights_begin"));
        choose("export.format", int(PictureFormat::Png));
        QVERIFY(!isThere("export.light") && !isThere("export.peak"));
        choose("export.format", int(PictureFormat::Avif));
        choose("export.depth", 3); // 12 bits
        QVERIFY(panel().facts().contains("12 bit"));
        choose("export.size", 1);
        Q_EMIT panel().controls()->slider("export.pixels")->changed(240, {});
        QVERIFY2(panel().facts().contains("240 × 160"), qPrintable(panel().facts()));
        document().undo();
        QVERIFY(!panel().facts().contains("240 × 160"));
        choose("export.size", 0);
        choose("export.light", 0);
        choose("export.depth", 0);
    }

    void whatIsChosenIsWritten()
    {
        choose("export.format", int(PictureFormat::Jxl));
        choose("export.space", 1);
        panel().text("export.caption")->setText("Hens");
        Q_EMIT panel().text("export.caption")->editingFinished();
        panel().text("export.name")->setText("{name} of {date} {width}");
        Q_EMIT panel().text("export.name")->editingFinished();
        const QString path = document().pathFor(document().recipe().output);
        QVERIFY2(path.endsWith(" 480.jxl"), qPrintable(path));
        QSignalSpy kept(&document(), &Document::kept);
        document().exportPicture(path);
        QTRY_COMPARE_WITH_TIMEOUT(kept.count(), 1, 60000);
        const Codec &codec = codecOf(path.toStdString());
        QCOMPARE(QString(codec.name), "JPEG XL");
        QCOMPARE(codec.readInfo(path.toStdString()).width, 480);
        // It can be dragged out.
        QCOMPARE(panel().written()->chosenPath(), path);
        const QMimeData *mime = panel().written()->model()->mimeData({panel().written()->model()->index(0, 0)});
        QCOMPARE(mime->urls(), QList<QUrl>{QUrl::fromLocalFile(path)});
        delete mime;
        panel().text("export.name")->setText("{nothing}");
        Q_EMIT panel().text("export.name")->editingFinished();
        QVERIFY_THROWS_EXCEPTION(ArgumentError, document().pathFor(document().recipe().output));
        document().undo();
        choose("export.space", 0);
    }

    void presetsInOneGo()
    {
        QCOMPARE(panel().presets()->count(), 3); // those of the first start
        Recipe recipe = document().recipe();
        recipe.output = {};
        recipe.output.format = PictureFormat::Jpeg;
        recipe.output.sizeBy = SizeBy::Percent;
        recipe.output.name = "{name}-small";
        document().setRecipe(recipe, "export");
        QVERIFY(QDir().mkpath(at("client")));
        panel().keepPreset("Client", at("client"));
        QCOMPARE(panel().presets()->count(), 4);
        recipe.output.format = PictureFormat::Png;
        recipe.output.name = "{name}-sheet";
        document().setRecipe(recipe, "export");
        panel().keepPreset("Sheet");
        for (int i = 0; i < panel().presets()->count(); ++i) {
            QListWidgetItem *item = panel().presets()->item(i);
            const QString name = item->data(Qt::UserRole).toString();
            item->setCheckState(name == "Client" || name == "Sheet" ? Qt::Checked : Qt::Unchecked);
        }
        QCOMPARE(int(window_->exportShelf()->ticked().size()), 2);
        QSignalSpy kept(&document(), &Document::kept);
        Q_EMIT panel().presetsAsked();
        QTRY_COMPARE_WITH_TIMEOUT(kept.count(), 2, 60000);
        const QString base =
            QFileInfo(QString::fromStdString(document().bracket().frames[document().bracket().reference].frame->path))
                .completeBaseName();
        QCOMPARE(cv::imread((at("client/") + base + "-small.jpg").toStdString()).size(), cv::Size(240, 160));
        const QString sheet = dir_.filePath(base + "-sheet.png");
        QVERIFY(QFile::exists(sheet));
        // Nothing is written over without a word.
        test::writeBytes(sheet, "mine");
        const auto answer = [&](const QString &button) {
            QTimer::singleShot(0, this, [button] {
                auto *box = qobject_cast<QMessageBox *>(QApplication::activeModalWidget());
                for (QAbstractButton *b : box->buttons())
                    if (b->text() == button)
                        return b->click();
                box->reject();
            });
            Q_EMIT panel().presetsAsked();
        };
        answer("Write nothing");
        settle();
        QCOMPARE(test::bytesOf(sheet), QByteArray("mine"));
        QCOMPARE(kept.count(), 2);
        answer("Keep both");
        QTRY_COMPARE_WITH_TIMEOUT(kept.count(), 4, 60000);
        QCOMPARE(test::bytesOf(sheet), QByteArray("mine"));
        QVERIFY(QFile::exists(dir_.filePath(base + "-sheet 2.png")));
        answer("Replace");
        QTRY_COMPARE_WITH_TIMEOUT(kept.count(), 6, 60000);
        QVERIFY(test::bytesOf(sheet).startsWith("\x89PNG"));
        // Another start finds them.
        const ExportShelf again(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + "/exports");
        QCOMPARE(int(again.all().size()), 5);
        QCOMPARE(again.all(), window_->exportShelf()->all());
        QVERIFY(again.isTicked("Client"));
    }

    void lightsThatAScreenCuts()
    {
        choose("export.format", int(PictureFormat::Jpeg));
        choose("export.light", 1);
        panel().screenLights()->click();
        QTRY_VERIFY(document().inspection() && document().inspection()->mode == InspectMode::Hdr);
        settle();
        const auto hatched = [&](double stops) {
            Inspection look = document().lastInspection(InspectMode::Hdr);
            look.screenStops = stops;
            document().inspect(look);
            settle();
            const QImage with = window_->canvas()->picture().image;
            int count = 0;
            for (int y = 0; y < with.height(); ++y)
                for (int x = 0; x < with.width(); ++x)
                    count += with.pixel(x, y) == document().overlayColour().rgb();
            return count;
        };
        const int some = hatched(0.0), fewer = hatched(1.0), none = hatched(5.0);
        QVERIFY2(some > fewer && fewer > 0 && none == 0,
                 qPrintable(QString("%1 %2 %3").arg(some).arg(fewer).arg(none)));
        QVERIFY(window_->inspectionCaption()->text().contains("stops over white"));
        document().inspect(std::nullopt);
        QVERIFY(!panel().screenLights()->isChecked());
    }

    void throughAnotherProgramAndBack()
    {
        QVERIFY(!panel().handOver()->isEnabled());
        panel().command()->setText(QStringLiteral(YOLK_STANDIN) + " {file}");
        QVERIFY(panel().handOver()->isEnabled());
        const QColor before = corner();
        panel().handOver()->click();
        QTRY_VERIFY_WITH_TIMEOUT(document().handOver()->isBack(), 60000);
        QTRY_COMPARE_WITH_TIMEOUT(corner(), QColor(Qt::white), 20000); // the border
        QVERIFY(before != QColor(Qt::white));
        QVERIFY(panel().returnedNote().contains("came back"));
        const QColor centre = middle();
        // Later settings are not seen, and it says so.
        Recipe next = document().recipe();
        next.tone.exposure += 1.0;
        document().setRecipe(next, "exposure");
        QVERIFY(document().handOver()->isOutdated());
        QVERIFY(panel().returnedNote().contains("not seen"));
        QVERIFY(window_->offers()->text().contains("not seen") && window_->offers()->button("Renew"));
        QCOMPARE(middle(), centre);
        choose("export.light", 0);
        // Renewed it shows them; an export writes what came back.
        QCOMPARE(panel().handOver()->text(), "Renew");
        panel().handOver()->click();
        QTRY_VERIFY_WITH_TIMEOUT(document().handOver()->isBack() && !document().handOver()->isOutdated(), 60000);
        QTRY_VERIFY_WITH_TIMEOUT(middle() != centre, 20000);
        QSignalSpy kept(&document(), &Document::kept);
        document().exportPicture(at("returned.tif"));
        QTRY_COMPARE_WITH_TIMEOUT(kept.count(), 1, 60000);
        const auto white = cv::imread(at("returned.tif").toStdString(), cv::IMREAD_UNCHANGED).at<cv::Vec3w>(0, 0);
        QVERIFY2(std::min({white[0], white[1], white[2]}) > 65500,
                 qPrintable(QString("%1 %2 %3").arg(white[0]).arg(white[1]).arg(white[2])));
        // What came back first is still there for undo.
        document().undo();
        QTRY_VERIFY_WITH_TIMEOUT(middle() == centre, 20000);
        QVERIFY(window_->messages()->text().isEmpty());
        document().redo();
        // Removed, and by undo there again.
        panel().removeReturned()->click();
        QVERIFY(!document().handOver()->isBack());
        QTRY_VERIFY_WITH_TIMEOUT(corner() != QColor(Qt::white), 20000);
        document().undo();
        QVERIFY(document().handOver()->isBack());
        document().handOver()->remove();
        // A program that fails leaves all as it was, and a missing one is said.
        panel().command()->setText(QStringLiteral(YOLK_STANDIN) + " {file} --fail");
        panel().handOver()->click();
        QTRY_VERIFY_WITH_TIMEOUT(window_->messages()->text().contains("ended with an error"), 60000);
        QVERIFY(!document().handOver()->isBack());
        panel().command()->setText("no-such-program-anywhere {file}");
        panel().handOver()->click();
        QTRY_VERIFY2_WITH_TIMEOUT(window_->messages()->text().contains("cannot be started"),
                                  qPrintable(window_->messages()->text()), 60000);
        QVERIFY(!document().handOver()->isBack());
    }

    void lightThroughAnotherProgramAndBack()
    {
        panel().handed()->setIndex(1);
        Q_EMIT panel().handed()->chosen(1);
        QVERIFY(panel().command()->text().isEmpty()); // each has its own
        QVERIFY(!panel().handOver()->isEnabled());
        panel().command()->setText(QStringLiteral(YOLK_STANDIN) + " {file}");
        const QColor before = corner(), centre = middle();
        QSignalSpy histogram(&document(), &Document::histogramChanged);
        panel().handOver()->click();
        HandOver *hand = document().handOver(Handed::Light);
        QTRY_VERIFY_WITH_TIMEOUT(hand->isBack(), 60000);
        QTRY_VERIFY_WITH_TIMEOUT(histogram.count() > 0, 20000); // the light scale shows what came back
        QVERIFY(hand->file().endsWith(".exr") && panel().returnedNote().contains("The light is"));
        QTRY_VERIFY_WITH_TIMEOUT(corner().lightness() > 250 && before.lightness() < 250, 20000); // it glows
        QVERIFY(!document().handOver()->isBack());
        constexpr int kByGlow = 12; // tone answers to the border
        QVERIFY2(std::abs(middle().lightness() - centre.lightness()) <= kByGlow,
                 qPrintable(QString("%1 %2").arg(middle().lightness()).arg(centre.lightness())));
        // Tone acts on it and nothing is outdated; what was before it is not seen, and that is said.
        Recipe next = document().recipe();
        next.tone.exposure -= 2.0;
        document().setRecipe(next, "exposure");
        QTRY_VERIFY_WITH_TIMEOUT(middle().lightness() < centre.lightness() - 20, 20000);
        QVERIFY(!hand->isOutdated());
        next.align.mode = next.align.mode == AlignMode::Off ? AlignMode::On : AlignMode::Off;
        document().setRecipe(next, "align");
        QVERIFY(hand->isOutdated());
        QVERIFY(window_->offers()->text().contains("before tone is not seen"));
        document().undo();
        QVERIFY(!hand->isOutdated());
        panel().removeReturned()->click();
        QTRY_VERIFY_WITH_TIMEOUT(corner().lightness() < 250, 20000);
        document().undo();
        QVERIFY(hand->isBack());
        hand->remove();
        // A program that leaves a picture of codes: it is said, and nothing changes.
        panel().command()->setText(QStringLiteral("cp %1 {file}").arg(at("codes.tif")));
        QSignalSpy kept(&document(), &Document::kept);
        choose("export.format", int(PictureFormat::Tiff));
        document().exportPicture(at("codes.tif"));
        QTRY_COMPARE_WITH_TIMEOUT(kept.count(), 1, 60000);
        panel().handOver()->click();
        QTRY_VERIFY2_WITH_TIMEOUT(window_->messages()->text().contains("not as light"),
                                  qPrintable(window_->messages()->text()), 60000);
        QVERIFY(!hand->isBack());
        panel().handed()->setIndex(0);
        Q_EMIT panel().handed()->chosen(0);
        QVERIFY(panel().command()->text().contains("no-such-program"));
    }

    void aWindowForAnotherProgram()
    {
        // The real program: "Done" writes the file and ends it with 0.
        MainWindow window;
        window.open(paths_);
        QTRY_VERIFY_WITH_TIMEOUT(window.document()->isOpen() && window.document()->fullMergeReady(), 60000);
        const QString target = at("for the other.jpg");
        window.returnTo(target);
        QVERIFY(window.waiting()->text().contains("for the other.jpg"));
        QSignalSpy kept(window.document(), &Document::kept);
        window.waiting()->button("Done")->click();
        QTRY_COMPARE_WITH_TIMEOUT(kept.count(), 1, 60000);
        QCOMPARE(cv::imread(target.toStdString()).size(), cv::Size(480, 320));
        // A place that cannot be written: it is said, and the button is there again.
        window.returnTo("/no/such/folder/x.jpg");
        window.waiting()->button("Done")->click();
        QTRY_VERIFY_WITH_TIMEOUT(!window.messages()->text().isEmpty(), 60000);
        QTRY_VERIFY(window.waiting()->button("Done"));
        // Closed without it, the program ends with 1.
        QProcess process;
        process.start(QStringLiteral(YOLK_BINARY), QStringList{"--return", at("never.jpg")} + paths_);
        QVERIFY(process.waitForStarted());
        QTest::qWait(1500);
        process.terminate(); // as a session does: not by "Done"
        QVERIFY(process.waitForFinished(20000));
        QVERIFY(!(process.exitStatus() == QProcess::NormalExit && process.exitCode() == 0));
        QVERIFY(!QFile::exists(at("never.jpg")));
    }
};

QTEST_MAIN(TestExportStep)
#include "tst_export_step.moc"
