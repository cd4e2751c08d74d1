// The list of stages, the list of what was done, and settings that go from one picture to another, in the real window.
#include "opened_window.h"

#include "keeping/history_panel.h"
#include "keeping/paste_dialog.h"
#include "keeping/preferences_dialog.h"
#include "keeping/stage_row.h"
#include "keeping/stages_panel.h"
#include "recipe/recipe_json.h"
#include "steps/tone_panel.h"
#include "widgets/value_slider.h"

#include <QAction>
#include <QApplication>
#include <QCheckBox>
#include <QClipboard>
#include <QComboBox>
#include <QLabel>
#include <QLineEdit>
#include <QListView>
#include <QMenu>
#include <QPushButton>
#include <QSpinBox>
#include <QTreeWidget>

using namespace yolk;
using namespace yolk::app;

class TestStages : public QObject {
    Q_OBJECT
    std::unique_ptr<test::OpenedWindow> window_;

    MainWindow &window() const { return **window_; }
    Document &document() const { return window_->document(); }
    StageRow &row(const char *key) const { return *window().stages()->row(QLatin1String(key)); }
    QAction *command(const QString &keys) const
    {
        for (QAction *action : window().findChildren<QAction *>())
            if (action->shortcut() == QKeySequence(keys))
                return action;
        return nullptr;
    }
    QImage picture() const { return window_->picture(); }
    static void type(QLineEdit *edit, const QString &text)
    {
        edit->setFocus();
        edit->selectAll();
        QTest::keyClicks(edit, text);
        QTest::keyClick(edit, Qt::Key_Return);
    }
    void saturate(double value) const
    {
        Recipe next = document().recipe();
        settingsOf<Saturation>(next.adjustments).saturation = value;
        document().setRecipe(next, QStringLiteral("saturation"));
    }

private Q_SLOTS:
    void init() { window_ = std::make_unique<test::OpenedWindow>(QStringLiteral("henhouse-tripod")); }
    void cleanup() { window_.reset(); }

    void itSaysWhatEachChanged()
    {
        command(QStringLiteral("Shift+S"))->trigger();
        QVERIFY(window().stages()->isVisible());
        QVERIFY(!row("colour").on()->isEnabled() && row("colour").changes().isEmpty());
        saturate(30);
        QCOMPARE(row("colour").changes(), QStringLiteral("Saturation +30"));
        QVERIFY(row("colour").on()->isEnabled() && row("colour").on()->isChecked());
        Recipe next = document().recipe();
        settingsOf<HueMarks>(next.adjustments).marks = {{60, 40, 10, 20, -5}, {150, 40, 0, -30, 0}};
        next.frames.excluded = {document().bracket().frames[0].frame->id};
        document().setRecipe(next, QStringLiteral("more"));
        QCOMPARE(row("hues").changes(), QStringLiteral("2 marks"));
        bool said = false;
        for (const QLabel *label : window().stages()->findChildren<QLabel *>())
            said = said || label->text() == QStringLiteral("1 frame left out");
        QVERIFY(said);
        command(QStringLiteral("Shift+S"))->trigger(); // the same command leads back
        QVERIFY(!window().stages()->isVisible());
    }
    void everyGroupIsInItOnce()
    {
        std::set<std::string> keys;
        for (const SettingGroup &group : settingGroups()) {
            QVERIFY(keys.insert(group.key).second);
            QCOMPARE(window().stages()->row(QString::fromStdString(group.key)) != nullptr, group.stage != Stage::Write);
        }
        for (const char *key : {"alignment", "movement", "white_balance", "two_lights", "method", "zones", "curve"})
            QVERIFY2(keys.contains(key), key);
    }
    void switchedOffItIsAsAtTheStart()
    {
        const QImage start = picture();
        command(QStringLiteral("Shift+S"))->trigger();
        document().setTone(&ToneSettings::shadows, 60.0, QStringLiteral("shadows"));
        const QImage lifted = picture();
        QVERIFY(lifted != start);
        QTest::mouseClick(row("zones").on(), Qt::LeftButton, {}, QPoint(8, row("zones").on()->height() / 2));
        QCOMPARE(picture(), start);
        QCOMPARE(document().recipe().tone.shadows, 60.0); // keeps its settings
        document().undo();
        QCOMPARE(picture(), lifted);
    }
    void alignmentAndMovementToo() // what comes before the merge
    {
        Recipe next = document().recipe();
        next.movement.mode = MovementMode::Off;
        document().setRecipe(next, QStringLiteral("movement off"));
        window_->settle();
        document().setGroupOn(QStringLiteral("movement"), false);
        window_->settle();
        document().setGroupOn(QStringLiteral("movement"), true);
        window_->settle();
        QVERIFY(document().fullMergeReady());
    }
    void whatIsMovedActs() // in a group that was off
    {
        document().setTone(&ToneSettings::shadows, 60.0, QStringLiteral("shadows"));
        document().setGroupOn(QStringLiteral("zones"), false);
        QVERIFY(document().recipe().groups.off.contains("zones"));
        document().setTone(&ToneSettings::exposure, 1.0, QStringLiteral("exposure")); // another group
        QVERIFY(document().recipe().groups.off.contains("zones"));
        document().setTone(&ToneSettings::highlights, -10.0, QStringLiteral("highlights"));
        QVERIFY(!document().recipe().groups.off.contains("zones"));
    }
    void weakenedItGoesPartOfTheWay()
    {
        saturate(40);
        command(QStringLiteral("Shift+S"))->trigger();
        ValueSlider *strength = row("colour").strength();
        QVERIFY(strength->isVisible());
        type(strength->edit(), QStringLiteral("50"));
        QCOMPARE(document().recipe().groups.strength.at("colour"), 50.0);
        const QImage half = picture();
        QCOMPARE(settingsOf<Saturation>(document().recipe().adjustments).saturation, 40.0);
        type(strength->edit(), QStringLiteral("100"));
        QVERIFY(document().recipe().groups.strength.empty());
        saturate(20);
        QCOMPARE(picture(), half);
        QVERIFY(!row("alignment").strength()->isVisible()); // half of an alignment is nothing
    }
    void namedAsSomebodyLikes()
    {
        command(QStringLiteral("Shift+S"))->trigger();
        QLineEdit *name = row("colour").name();
        name->setFocus();
        name->setText(QStringLiteral("Warm boards"));
        QTest::keyClick(name, Qt::Key_Return);
        QCOMPARE(document().groupName(QStringLiteral("colour")), QStringLiteral("Warm boards"));
        document().setGroupOn(QStringLiteral("colour"), false);
        QCOMPARE(document().undoName(), QStringLiteral("Warm boards off"));
        document().undo();
        name->setText(QString());
        QTest::keyClick(name, Qt::Key_Return);
        QCOMPARE(document().groupName(QStringLiteral("colour")), QStringLiteral("Colour"));
    }
    void whatWasDoneIsAListToJumpIn()
    {
        const double start = document().recipe().tone.exposure;
        for (int i = 1; i <= 3; ++i)
            document().setTone(&ToneSettings::exposure, start + 0.1 * i, QStringLiteral("exposure"));
        command(QStringLiteral("Shift+U"))->trigger();
        QListView &list = *window().historyPanel()->list();
        QCOMPARE(list.model()->rowCount(), 4);
        QCOMPARE(list.model()->index(0, 0).data().toString(), QStringLiteral("As opened"));
        QCOMPARE(list.model()->index(3, 0).data().toString(), QStringLiteral("Exposure"));
        QTest::mouseClick(list.viewport(), Qt::LeftButton, {}, list.visualRect(list.model()->index(1, 0)).center());
        QCOMPARE(document().recipe().tone.exposure, start + 0.1);
        QCOMPARE(list.model()->rowCount(), 4); // forth again
        QTest::mouseClick(list.viewport(), Qt::LeftButton, {}, list.visualRect(list.model()->index(3, 0)).center());
        QCOMPARE(document().recipe().tone.exposure, start + 0.1 * 3);
        list.setCurrentIndex(list.model()->index(0, 0));
        QTest::keyClick(&list, Qt::Key_Return);
        QCOMPARE(document().recipe().tone.exposure, start);
        document().setTone(&ToneSettings::exposure, start + 1.0, QStringLiteral("exposure"));
        QCOMPARE(list.model()->rowCount(), 2); // what was undone is gone
        document().goToState(17);
        document().goToState(-1);
        QCOMPARE(document().recipe().tone.exposure, start + 1.0);
    }
    void settingsAreCopiedByParts()
    {
        saturate(30);
        const double start = document().copied().start.tone.exposure;
        document().setTone(&ToneSettings::exposure, start + 0.5, QStringLiteral("exposure"));
        command(QStringLiteral("Ctrl+Shift+C"))->trigger();
        const Recipe copied = document().recipe();
        QVERIFY(parseRecipe(QApplication::clipboard()->text().toStdString()).recipe == copied); // for any editor
        document().startAgain();
        document().startAgain(Step::Colour);
        QVERIFY(document().recipe() != copied);
        const auto paste = [&](const QStringList &without) {
            QTimer::singleShot(0, [&] {
                auto *dialog = qobject_cast<PasteDialog *>(QApplication::activeModalWidget());
                QVERIFY(dialog);
                for (int i = 0; i < dialog->list()->topLevelItemCount(); ++i)
                    if (without.contains(dialog->list()->topLevelItem(i)->text(0)))
                        dialog->list()->topLevelItem(i)->setCheckState(0, Qt::Unchecked);
                dialog->accept();
            });
            command(QStringLiteral("Ctrl+Shift+V"))->trigger();
        };
        paste({QStringLiteral("Colour")});
        QCOMPARE(document().recipe().tone.exposure, start + 0.5);
        QCOMPARE(settingsOf<Saturation>(document().recipe().adjustments).saturation, 0.0);
        QCOMPARE(document().undoName(), QStringLiteral("paste settings"));
        paste({});
        QCOMPARE(settingsOf<Saturation>(document().recipe().adjustments).saturation, 30.0);
    }
    void preferencesActAtOnce()
    {
        QAction *strip = command(QStringLiteral("Shift+K"));
        QTimer::singleShot(0, [&] {
            auto *dialog = qobject_cast<PreferencesDialog *>(QApplication::activeModalWidget());
            QVERIFY(dialog);
            QComboBox *theme = dialog->findChildren<QComboBox *>().first();
            theme->setCurrentIndex(1);
            Q_EMIT theme->activated(1);
            dialog->findChildren<QCheckBox *>().first()->click();
            dialog->cache()->setValue(3);
            dialog->threads()->setValue(1);
            dialog->reject();
        });
        command(QStringLiteral("Ctrl+Shift+P"))->trigger();
        QCOMPARE(Theme::instance().choice(), ThemeChoice::Dusk);
        QVERIFY(strip->isChecked());
        QCOMPARE(QSettings().value(QStringLiteral("cacheGigabytes")).toInt(), 3);
        QCOMPARE(QSettings().value(QStringLiteral("threads")).toInt(), 1);
        const QImage before = picture();
        document().setTone(&ToneSettings::contrast, 20.0, QStringLiteral("contrast")); // on one core
        QVERIFY(picture() != before);
        QSettings().remove(QStringLiteral("threads"));
        PreferencesDialog::apply();
        Theme::instance().set(ThemeChoice::Eggshell);
    }
    void aThousandChangesStaySmall() // 20 MB at most
    {
        const auto residentMegabytes = [] {
            QFile file(QStringLiteral("/proc/self/statm"));
            return file.open(QIODevice::ReadOnly) ? file.readAll().split(' ')[1].toDouble() * 4096.0 / 1e6 : 0.0;
        };
        constexpr double kMost = 20.0;
        const double start = document().recipe().tone.exposure;
        const auto change = [&](int i) {
            document().setTone(&ToneSettings::exposure, start + 0.001 * i, QStringLiteral("exposure"));
        };
        for (int i = 1; i <= 50; ++i) // caches of views fill first
            change(i);
        window_->settle();
        const double before = residentMegabytes();
        for (int i = 51; i <= 1050; ++i)
            change(i);
        window_->settle();
        const double grown = residentMegabytes() - before;
        QCOMPARE(document().history().states().size(), size_t(1051));
        QVERIFY2(grown <= kMost, qPrintable(QStringLiteral("%1 MB").arg(grown)));
    }
};

QTEST_MAIN(TestStages)
#include "tst_stages.moc"
