// The tone step in the real window: its controls, presets of ours and of one's own, and the tasting sheet.
#include "opened_window.h"

#include "canvas/message_strip.h"
#include "recipe/variations.h"
#include "steps/preset_group.h"
#include "steps/tone_panel.h"
#include "support/synthetic.h"
#include "tasting/tasting_sheet.h"
#include "widgets/choice_row.h"
#include "widgets/value_slider.h"

#include <QComboBox>
#include <QDir>
#include <QElapsedTimer>
#include <QListWidget>
#include <QStandardPaths>
#include <QTest>
#include <QToolButton>

using namespace yolk;
using namespace yolk::app;

namespace {

/// The mean of a picture's green, 0 to 255.
double brightness(const QImage &image)
{
    double sum = 0.0;
    for (int y = 0; y < image.height(); ++y)
        for (int x = 0; x < image.width(); ++x)
            sum += qGreen(image.pixel(x, y));
    return sum / (double(image.width()) * image.height());
}

double colourfulness(const QImage &image)
{
    double sum = 0.0;
    for (int y = 0; y < image.height(); ++y)
        for (int x = 0; x < image.width(); ++x) {
            const QRgb p = image.pixel(x, y);
            sum += std::max({qRed(p), qGreen(p), qBlue(p)}) - std::min({qRed(p), qGreen(p), qBlue(p)});
        }
    return sum / (double(image.width()) * image.height());
}

} // namespace

class TestToneStep : public QObject {
    Q_OBJECT
    std::unique_ptr<test::OpenedWindow> window_;

    MainWindow &window() const { return **window_; }
    Document &document() const { return window_->document(); }
    PresetGroup &presets() const { return *window().tonePanel()->presets(); }
    TastingSheet &sheet() const { return *window().tasting(); }
    QImage picture() const { return window_->canvas().picture().image; }
    void choose(const QString &name) const
    {
        const auto items = presets().list()->findItems(name, Qt::MatchExactly);
        QVERIFY2(!items.isEmpty(), qPrintable(name));
        const QRect place = presets().list()->visualItemRect(items.front());
        QTest::mouseClick(presets().list()->viewport(), Qt::LeftButton, {}, place.center());
        window_->settle();
    }
    void waitForPictures() const
    {
        for (int i = 0; i < 500 && !sheet().isReady(); ++i)
            QTest::qWait(10);
        QCOMPARE(int(sheet().pictures().size()), sheet().count());
    }
    QDir ownFolder() const
    {
        return QDir(QStandardPaths::writableLocation(QStandardPaths::AppDataLocation) + QStringLiteral("/presets"));
    }

private Q_SLOTS:
    void initTestCase()
    {
        QStandardPaths::setTestModeEnabled(true);
        ownFolder().removeRecursively();
        window_ = std::make_unique<test::OpenedWindow>(QStringLiteral("henhouse-tripod"));
        window().goTo(Step::Tone);
    }
    void cleanupTestCase()
    {
        window_.reset();
        ownFolder().removeRecursively();
    }
    void init()
    {
        document().startAgain();
        presets().setGroup(QStringLiteral("Natural"));
        window_->settle();
    }

    void everyMethodHasItsControls()
    {
        const TonePanel &panel = *window().tonePanel();
        for (size_t i = 0; i < kToneMethods.size(); ++i) {
            QTest::mouseClick(panel.method()->findChildren<QToolButton *>()[qsizetype(i)], Qt::LeftButton);
            window_->settle();
            const ToneMethod method = kToneMethods[i].value;
            QCOMPARE(int(document().recipe().tone.method), int(method));
            QCOMPARE(panel.controls().slider("tone.gamma")->isVisibleTo(&panel), method == ToneMethod::Plain);
            QCOMPARE(panel.controls().choice("tone.bright_end")->isVisibleTo(&panel), method == ToneMethod::Plain);
            QCOMPARE(panel.controls().slider("tone.range")->isVisibleTo(&panel), method != ToneMethod::Plain);
            QCOMPARE(panel.controls().slider("tone.local_contrast")->isVisibleTo(&panel),
                     method == ToneMethod::Local || method == ToneMethod::Blend);
            QCOMPARE(panel.controls().slider("tone.toe")->isVisibleTo(&panel),
                     method == ToneMethod::Local || method == ToneMethod::Global);
        }
    }
    void everyControlIsSeen()
    {
        const TonePanel &panel = *window().tonePanel();
        for (const auto &method : kToneMethods) {
            Recipe recipe = document().automaticRecipe();
            recipe.tone.method = method.value;
            document().setRecipe(recipe, "method");
            window_->settle();
            const QImage before = picture();
            const auto check = [&](const auto &field) {
                if constexpr (requires { field.minimum; }) {
                    if (!isVisible(recipe.tone, field))
                        return;
                    ValueSlider *slider =
                        panel.controls().slider(QString::fromStdString("tone." + std::string(field.key)));
                    const double start = slider->value();
                    const double other = start + (field.maximum - start > start - field.minimum ? 1 : -1) *
                                                     (field.maximum - field.minimum) / 4;
                    Q_EMIT slider->changed(other, {});
                    window_->settle();
                    QVERIFY2(picture() != before,
                             (std::string(field.key) + " under " + std::string(method.key)).c_str());
                    document().undo();
                    window_->settle();
                    QCOMPARE(slider->value(), start);
                }
            };
            forEachField(kToneFields, check);
        }
        const double colour = colourfulness(picture());
        Q_EMIT panel.controls().slider("colour.saturation")->changed(-100, {});
        window_->settle();
        QVERIFY(colourfulness(picture()) < 3.0 && colour > 10.0);
    }
    void presetsAreTakenBlendedAndUndone()
    {
        presets().setGroup(QStringLiteral("Monochrome"));
        choose(QStringLiteral("Squid ink"));
        QCOMPARE(document().recipe().preset, (PresetUse{"Squid ink", 100.0}));
        QVERIFY(colourfulness(picture()) < 3.0);
        QVERIFY(presets().amount()->isVisibleTo(&presets()));
        QCOMPARE(presets().list()->currentItem()->text(), QStringLiteral("Squid ink"));
        Q_EMIT presets().amount()->changed(50.0, QStringLiteral("drag"));
        Q_EMIT presets().amount()->changed(30.0, QStringLiteral("drag"));
        window_->settle();
        QCOMPARE(document().recipe().colour.saturation, -30.0);
        document().undo(); // one drag is one step
        QCOMPARE(document().recipe().preset.amount, 100.0);
        document().undo();
        QCOMPARE(document().recipe().tone, document().automatic());
        QVERIFY(presets().list()->currentItem() == nullptr && !presets().amount()->isVisibleTo(&presets()));
    }
    void ownPresetsAreKept()
    {
        document().setTone(&ToneSettings::shadows, 37, "shadows");
        document().setTone(&ToneSettings::exposure, document().automatic().exposure + 0.5, "exposure");
        presets().keep("Breakfast", "Mine", {"zones"});
        QCOMPARE(presets().group(), QStringLiteral("Mine"));
        QCOMPARE(presets().list()->count(), 1);
        QCOMPARE(ownFolder().entryList(QDir::Files).size(), 1);
        document().startAgain();
        choose("Breakfast");
        QCOMPARE(document().recipe().tone.shadows, 37.0);
        QCOMPARE(document().recipe().tone.exposure, document().automatic().exposure); // no part of it
        PresetShelf &shelf = *window().presetShelf();
        QVERIFY(shelf.isOwn("Breakfast") && !shelf.isOwn("Poached"));

        const QTemporaryDir other;
        shelf.exportTo("Breakfast", other.filePath("b.json"));
        QCOMPARE(shelf.import(other.filePath("b.json")), QStringLiteral("Breakfast 2"));
        shelf.change("Breakfast 2", "Supper", "Mine");
        QVERIFY(shelf.find("Supper") && !shelf.find("Breakfast 2"));
        QCOMPARE(PresetShelf(ownFolder().path()).inGroup("Mine").size(), size_t(2)); // another start finds them
        shelf.remove("Supper");
        QCOMPARE(ownFolder().entryList(QDir::Files).size(), 1);

        QVERIFY_THROWS_EXCEPTION(ArgumentError, shelf.change("Breakfast", "Poached", "Mine")); // ours
        QVERIFY_THROWS_EXCEPTION(InputError, shelf.import(other.filePath("none.json")));
        test::writeBytes(other.filePath("bad.json"), R"({"format": "yolk-preset", "version": 1, "name": "x"})");
        QVERIFY_THROWS_EXCEPTION(InputError, shelf.import(other.filePath("bad.json")));
        QCOMPARE(ownFolder().entryList(QDir::Files).size(), 1);
        presets().keep("Poached", "Mine", {"zones"}); // is refused in words
        QVERIFY(!shelf.isOwn("Poached") && window().messages()->isVisibleTo(&window()));
        presets().keep(QString(), "Mine", {"zones"});
        QCOMPARE(shelf.inGroup("Mine").size(), size_t(1));
        test::writeBytes(ownFolder().filePath("broken.json"), "{");
        QCOMPARE(PresetShelf(ownFolder().path()).problems().size(), 1); // the others stay usable
        QVERIFY(PresetShelf(ownFolder().path()).find("Breakfast"));
        const MainWindow next; // and the next start says which file it is
        QVERIFY(next.messages()->isVisibleTo(&next) && next.messages()->text().contains("broken.json"));
    }
    void presetsAreTasted()
    {
        presets().setGroup(QStringLiteral("Monochrome"));
        const Recipe before = document().recipe();
        QTest::keyClick(&window_->canvas(), Qt::Key_Y);
        QVERIFY(window().isTasting());
        waitForPictures();
        QCOMPARE(sheet().count(), 4); // as it is, and three of the group
        QVERIFY(colourfulness(sheet().pictures()[0]) > 10.0 && colourfulness(sheet().pictures()[1]) < 3.0);
        QCOMPARE(sheet().current(), 0);
        QTest::keyClick(&sheet(), Qt::Key_Right);
        QTest::keyClick(&sheet(), Qt::Key_End);
        QCOMPARE(sheet().current(), 3);
        QTest::keyClick(&sheet(), Qt::Key_PageDown);
        waitForPictures();
        QCOMPARE(sheet().group(), QStringLiteral("Bold"));
        QTest::keyClick(&sheet(), Qt::Key_Escape);
        QVERIFY(!window().isTasting());
        QCOMPARE(document().recipe(), before);

        window().tonePanel()->presets()->setGroup(QStringLiteral("Interior"));
        QTest::keyClick(&window_->canvas(), Qt::Key_Y);
        waitForPictures();
        const QPoint second = sheet().tileRect(1).center().toPoint();
        QTest::mouseClick(&sheet(), Qt::LeftButton, {}, second);
        QCOMPARE(sheet().current(), 1);
        QTest::mouseDClick(&sheet(), Qt::LeftButton, {}, second);
        QVERIFY(!window().isTasting());
        QCOMPARE(document().recipe().preset.name, std::string("Poached"));
        document().undo();
        QCOMPARE(document().recipe(), before);
    }
    void variationsNarrow()
    {
        const Recipe before = document().recipe();
        QTest::keyClick(&window_->canvas(), Qt::Key_Y, Qt::ShiftModifier);
        QVERIFY(window().isTasting());
        waitForPictures();
        QCOMPARE(sheet().count(), 9);
        QCOMPARE(sheet().current(), int(kPresentVariation));
        for (int row = 0; row < 3; ++row) // from darker to brighter
            for (int column = 1; column < 3; ++column)
                QVERIFY(brightness(sheet().pictures()[3 * row + column]) >
                        brightness(sheet().pictures()[3 * row + column - 1]));
        QTest::keyClick(&sheet(), Qt::Key_Right);
        QTest::keyClick(&sheet(), Qt::Key_Return);
        QVERIFY(window().isTasting()); // finer steps round the brighter one
        QCOMPARE(sheet().step(), 0.5);
        QCOMPARE(document().recipe(), before);
        waitForPictures();
        QTest::keyClick(&sheet(), Qt::Key_Down);
        QTest::keyClick(&sheet(), Qt::Key_Return);
        QCOMPARE(sheet().step(), 0.25);
        QTest::keyClick(&sheet(), Qt::Key_Return); // the middle one is taken
        QVERIFY(!window().isTasting());
        QCOMPARE(document().recipe().tone.exposure, before.tone.exposure + 0.8);
        QVERIFY(document().recipe().tone.localContrast > before.tone.localContrast);
        document().undo(); // one step of undo
        QCOMPARE(document().recipe(), before);
    }
    void tastingEndsWithTheSet()
    {
        QTest::keyClick(&window_->canvas(), Qt::Key_Y);
        QVERIFY(window().isTasting());
        QTest::keyClick(&window(), Qt::Key_Y); // the same command leads back
        QVERIFY(!window().isTasting());
        QTest::keyClick(&window_->canvas(), Qt::Key_Y);
        window().goTo(Step::Merge);
        QVERIFY(!window().isTasting());
        window().goTo(Step::Tone);
    }
};

QTEST_MAIN(TestToneStep)
#include "tst_tone_step.moc"
