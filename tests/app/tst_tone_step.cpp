// The tone step in the real window: its controls, presets of ours and of one's own, and the tasting sheet.
#include "opened_window.h"

#include "canvas/message_strip.h"
#include "recipe/neighbours.h"
#include "steps/lights_note.h"
#include "steps/preset_group.h"
#include "steps/tone_panel.h"
#include "support/synthetic.h"
#include "tasting/preset_actions.h"
#include "tasting/tasting_pair.h"
#include "tasting/tasting_sheet.h"
#include "widgets/choice_row.h"
#include "widgets/value_slider.h"

#include <QDir>
#include <QElapsedTimer>
#include <QPushButton>
#include <QStandardPaths>
#include <QTest>
#include <QToolButton>

#include <cmath>

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
    /// Takes a preset from the sheet, as its user does.
    void choose(const QString &name) const
    {
        taste();
        const int tile = tileOf(name);
        QVERIFY2(tile >= 0, qPrintable(name));
        sheet().setCurrent(tile); // brings it into view
        QTest::mouseDClick(tiles().viewport(), Qt::LeftButton, {}, tiles().tileRect(tile).center().toPoint());
        QVERIFY(!window().isTasting());
        window_->settle();
    }
    void taste(Qt::KeyboardModifiers modifiers = {}) const
    {
        QTest::keyClick(&window_->canvas(), Qt::Key_Y, modifiers);
        QVERIFY(window().isTasting());
    }
    TastingTiles &tiles() const { return *sheet().tiles(); }
    int tileOf(const QString &name) const
    {
        const auto &all = tiles().tiles();
        const auto it = std::ranges::find(all, name, &TastingTile::name);
        return it == all.end() ? -1 : int(it - all.begin());
    }
    QString currentName() const { return tiles().tiles()[tiles().current()].name; }
    void waitForPictures() const { QTRY_VERIFY_WITH_TIMEOUT(tiles().isReady(), 60000); }
    const QImage &pictureOf(const QString &name) const { return tiles().tiles()[tileOf(name)].picture; }
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
            QVERIFY(panel.controls().slider("tone.local_contrast")->isVisibleTo(&panel)); // under every method
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
    }
    void lightsThatEndWhiteAreRecovered()
    {
        LightsNote &note = *window().tonePanel()->lights();
        const auto white = [&] {
            const QImage shown = picture();
            int count = 0;
            for (int y = 0; y < shown.height(); ++y)
                for (int x = 0; x < shown.width(); ++x)
                    count += qGreen(shown.pixel(x, y)) >= 249;
            return count;
        };
        QTest::mouseClick(window().tonePanel()->method()->findChildren<QToolButton *>()[1], Qt::LeftButton); // global
        document().setTone(&ToneSettings::shoulder, 0.0, QStringLiteral("shoulder"), {});
        window_->settle();
        QVERIFY2(note.text().contains(QLatin1Char('%')), qPrintable(note.text()));
        const int before = white();
        QVERIFY(before > 0);
        QTest::mouseClick(note.recover(), Qt::LeftButton);
        window_->settle();
        QVERIFY(document().recipe().tone.shoulder > 0.0);
        QVERIFY2(white() < before / 20, qPrintable(QStringLiteral("%1 of %2").arg(white()).arg(before)));
        QVERIFY2(note.text().isEmpty(), qPrintable(note.text()));
        document().undo();
        QVERIFY(!note.text().isEmpty()); // one step back
    }
    void presetsAreTakenBlendedAndUndone()
    {
        QCOMPARE(presets().inUse(), QStringLiteral("No preset"));
        choose(QStringLiteral("Squid ink"));
        QCOMPARE(document().recipe().preset, (PresetUse{"Squid ink", 100.0}));
        QVERIFY(colourfulness(picture()) < 3.0);
        QVERIFY(presets().amount()->isVisibleTo(&presets()));
        QCOMPARE(presets().inUse(), QStringLiteral("Squid ink"));
        Q_EMIT presets().amount()->changed(50.0, QStringLiteral("drag"));
        Q_EMIT presets().amount()->changed(30.0, QStringLiteral("drag"));
        window_->settle();
        const MonochromeSettings &mix = settingsOf<Monochrome>(document().recipe().adjustments);
        QVERIFY(mix.on && std::abs(mix.red - (26.0 + 0.3 * 74.0)) < 1e-9); // switches do not come by halves
        document().undo(); // one drag is one step
        QCOMPARE(document().recipe().preset.amount, 100.0);
        document().undo();
        QCOMPARE(document().recipe().tone, document().automatic());
        QVERIFY(presets().inUse() == "No preset" && !presets().amount()->isVisibleTo(&presets()));
    }
    void ownPresetsAreKept()
    {
        document().setTone(&ToneSettings::shadows, 37, "shadows");
        document().setTone(&ToneSettings::exposure, document().automatic().exposure + 0.5, "exposure");
        presets().actions()->keep("Breakfast", "Mine", {"zones"});
        QCOMPARE(presets().inUse(), QStringLiteral("Breakfast"));
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
        QCOMPARE(PresetShelf(ownFolder().path()).ownOnes().size(), size_t(2)); // another start finds them
        shelf.remove("Supper");
        QCOMPARE(ownFolder().entryList(QDir::Files).size(), 1);

        QVERIFY_THROWS_EXCEPTION(ArgumentError, shelf.change("Breakfast", "Poached", "Mine")); // ours
        QVERIFY_THROWS_EXCEPTION(InputError, shelf.import(other.filePath("none.json")));
        test::writeBytes(other.filePath("bad.json"), R"({"format": "yolk-preset", "version": 1, "name": "x"})");
        QVERIFY_THROWS_EXCEPTION(InputError, shelf.import(other.filePath("bad.json")));
        QCOMPARE(ownFolder().entryList(QDir::Files).size(), 1);
        presets().actions()->keep("Poached", "Mine", {"zones"}); // is refused in words
        QVERIFY(!shelf.isOwn("Poached") && window().messages()->isVisibleTo(&window()));
        presets().actions()->keep(QString(), "Mine", {"zones"});
        QCOMPARE(shelf.ownOnes().size(), size_t(1));
        test::writeBytes(ownFolder().filePath("broken.json"), "{");
        QCOMPARE(PresetShelf(ownFolder().path()).problems().size(), 1); // the others stay usable
        QVERIFY(PresetShelf(ownFolder().path()).find("Breakfast"));
        const MainWindow next; // and the next start says which file it is
        QVERIFY(next.messages()->isVisibleTo(&next) && next.messages()->text().contains("broken.json"));
        QVERIFY(QFile::remove(ownFolder().filePath("broken.json")));
        shelf.remove("Breakfast");
    }
    void presetsAreTasted()
    {
        const Recipe before = document().recipe();
        taste();
        waitForPictures();
        QCOMPARE(tiles().rows().size(), 1 + window().presetShelf()->ourGroups().size()); // nothing of one's own yet
        QCOMPARE(tiles().count(), 1 + int(builtInPresets().size()));
        QCOMPARE(currentName(), QStringLiteral("As it is"));
        QVERIFY(colourfulness(pictureOf("As it is")) > 10.0 && colourfulness(pictureOf("Squid ink")) < 3.0);

        QTest::keyClick(&sheet(), Qt::Key_Down); // the first of each row lies under the other
        QCOMPARE(currentName(), QStringLiteral("Shell"));
        QTest::keyClick(&sheet(), Qt::Key_Right);
        QTest::keyClick(&sheet(), Qt::Key_Down);
        QCOMPARE(currentName(), QStringLiteral("Coddled")); // second of the next row
        QTest::keyClick(&sheet(), Qt::Key_PageDown);
        QCOMPARE(currentName(), QStringLiteral("Sunny side"));
        QTest::keyClick(&sheet(), Qt::Key_Up);
        QTest::keyClick(&sheet(), Qt::Key_Left);
        QCOMPARE(currentName(), QStringLiteral("Scrambled")); // in reading order
        QTest::keyClick(&sheet(), Qt::Key_End);
        QCOMPARE(currentName(), QStringLiteral("Meringue"));
        QVERIFY(tiles().viewport()->rect().contains(tiles().tileRect(tiles().current()).toAlignedRect()));
        QTest::keyClick(&sheet(), Qt::Key_Escape);
        QVERIFY(!window().isTasting());
        QCOMPARE(document().recipe(), before);

        choose(QStringLiteral("Poached"));
        QCOMPARE(document().recipe().preset.name, std::string("Poached"));
        taste();
        QCOMPARE(currentName(), QStringLiteral("Poached")); // the one in use
        QTest::keyClick(&sheet(), Qt::Key_Escape);
        document().undo();
        QCOMPARE(document().recipe(), before);
    }
    void favouritesAndOwnOnesComeFirst()
    {
        presets().actions()->keep("Tea", "Interior", {"zones"});
        document().startAgain();
        taste();
        sheet().setCurrent(tileOf("Lantern"));
        QTest::keyClick(&sheet(), Qt::Key_F);
        QCOMPARE(currentName(), QStringLiteral("Lantern"));
        QCOMPARE(tiles().tiles()[1].name, QStringLiteral("Lantern"));
        QVERIFY(tiles().tiles()[1].favourite);
        QCOMPARE(tiles().rows()[1].heading, QStringLiteral("Own"));
        const int own = tiles().rows()[1].first;
        QCOMPARE(tiles().tiles()[own].name, QStringLiteral("Tea"));
        sheet().setCurrent(own);
        QTest::keyClick(&sheet(), Qt::Key_F);
        PresetShelf &shelf = *window().presetShelf();
        shelf.change("Tea", "Green tea", "Own");
        QCOMPARE(PresetShelf(ownFolder().path()).favourites(), QStringList({"Lantern", "Green tea"}));
        shelf.remove("Green tea");
        QCOMPARE(PresetShelf(ownFolder().path()).favourites(), QStringList("Lantern"));
        sheet().setCurrent(1);
        QTest::keyClick(&sheet(), Qt::Key_F); // and back
        QVERIFY(PresetShelf(ownFolder().path()).favourites().isEmpty());
        QVERIFY(!tiles().tiles()[tileOf("Lantern")].favourite);
        QTest::keyClick(&sheet(), Qt::Key_Escape);
    }
    void twoAreHeldSideBySide()
    {
        taste();
        waitForPictures();
        QVERIFY(!sheet().pair()->isVisible());
        sheet().setCurrent(tileOf("Squid ink"));
        QTest::keyClick(&sheet(), Qt::Key_Space);
        QVERIFY(sheet().pair()->isVisible());
        sheet().setCurrent(tileOf("Devilled"));
        const QSize large = sheet().pair()->pictureSize().toSize() * sheet().devicePixelRatio();
        QVERIFY(large.width() > tiles().pictureSize().width());
        for (int side = 0; side < 2; ++side)
            QTRY_COMPARE_WITH_TIMEOUT(sheet().pair()->picture(side).size(), large, 60000);
        QVERIFY(colourfulness(sheet().pair()->picture(0)) < 3.0 && colourfulness(sheet().pair()->picture(1)) > 10.0);
        sheet().setCurrent(tileOf("Squid ink"));
        QTest::keyClick(&sheet(), Qt::Key_Space);
        QVERIFY(!sheet().pair()->isVisible());
        QTest::keyClick(&sheet(), Qt::Key_Escape);
    }
    void neighboursNarrow()
    {
        const Recipe before = document().recipe();
        taste(Qt::ShiftModifier);
        waitForPictures();
        QCOMPARE(tiles().count(), 9);
        QCOMPARE(tiles().current(), int(kPresentNeighbour));
        for (int row = 0; row < 3; ++row) // from darker to brighter
            for (int column = 1; column < 3; ++column)
                QVERIFY(brightness(tiles().tiles()[3 * row + column].picture) >
                        brightness(tiles().tiles()[3 * row + column - 1].picture));
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
