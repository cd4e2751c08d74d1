#include "sets/sets_panel.h"

#include "project/project.h"
#include "widgets/egg_rating.h"
#include "widgets/fold_group.h"
#include "widgets/number_text.h"

#include <QCheckBox>
#include <QDesktopServices>
#include <QHBoxLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QProgressBar>
#include <QPushButton>
#include <QUrl>

namespace yolk::app {
namespace {

constexpr int kUsualSet = 5, kLeastSet = 2, kLargestSet = 15;

QPushButton *button(const QString &text, const QString &help, QWidget *parent)
{
    auto *out = new QPushButton(text, parent);
    out->setToolTip(help);
    return out;
}

} // namespace

SetsPanel::SetsPanel(Collection *collection, PresetShelf *presets, ExportShelf *exports, SetRun *run, QWidget *parent)
    : Panel(parent), collection_(collection), presets_(presets), shelf_(exports), running_(run)
{
    setObjectName(QStringLiteral("setsPanel"));
    makeShown();
    makeSettings();
    makeRun();
    addStretch();
    connect(presets, &PresetShelf::changed, this, &SetsPanel::fillPresets);
    connect(exports, &ExportShelf::changed, this, &SetsPanel::fillWays);
    connect(run, &SetRun::changed, this, &SetsPanel::refreshRun);
    connect(collection, &Collection::editsChanged, this, [this] { refresh(selected_, shown_); });
    fillPresets();
    fillWays();
    refresh(0, 0);
}

void SetsPanel::makeShown()
{
    auto *group = new FoldGroup(tr("Shown"), this);
    show_ =
        new ChoiceRow(tr("Which sets are shown"),
                      {{tr("All"), tr("All sets of the folder")},
                       {tr("Chosen"), tr("Sets that are marked as chosen")},
                       {tr("In trouble"), tr("Sets with a frame left out, with range missing, or that cannot be used")},
                       {tr("Untouched"), tr("Sets that nobody worked on by hand")}},
                      this, 2);
    order_ = new ChoiceRow(tr("Order"),
                           {{tr("Taken"), tr("In the order of taking")},
                            {tr("Name"), tr("By the name of the first frame")},
                            {tr("Eggs"), tr("The best rated first")},
                            {tr("Range"), tr("The largest span of exposures first")}},
                           this, 2);
    least_ = new EggRating(kBestRating, this);
    least_->setToolTip(tr("Shows sets that have so many eggs at least; the last one again shows all."));
    split_ = new ChoiceRow(tr("How frames are split into sets"),
                           {{tr("By time"), tr("By pauses, exposures and sizes")},
                            {tr("By number"), tr("So many frames a set, in the order of taking")}},
                           this);
    framesOfOne_ = new ValueSlider(
        {tr("Frames a set"), tr("How many frames make a set"), {}, kLeastSet, kLargestSet, kUsualSet, 1.0, 0}, this);
    show_->setIndex(0);
    order_->setIndex(0);
    split_->setIndex(0);
    framesOfOne_->setValue(kUsualSet);
    framesOfOne_->hide();
    group->add(show_);
    group->add(new QLabel(tr("Eggs at least"), this));
    group->add(least_);
    group->add(new QLabel(tr("Order"), this));
    group->add(order_);
    group->add(new QLabel(tr("Split"), this));
    group->add(split_);
    group->add(framesOfOne_);
    add(group);
    connect(show_, &ChoiceRow::chosen, this, [this](int index) {
        filter_.show = SetFilter::Show(index);
        Q_EMIT filterChanged(filter_);
    });
    connect(order_, &ChoiceRow::chosen, this, [this](int index) {
        filter_.order = SetFilter::Order(index);
        Q_EMIT filterChanged(filter_);
    });
    connect(least_, &EggRating::rated, this, [this](int eggs) {
        filter_.leastRating = eggs;
        Q_EMIT filterChanged(filter_);
    });
    const auto split = [this] {
        framesOfOne_->setVisible(split_->index() == 1);
        collection_->split(split_->index() == 1 ? int(framesOfOne_->value()) : 0);
    };
    connect(split_, &ChoiceRow::chosen, this, split);
    connect(framesOfOne_, &ValueSlider::changed, this, split);
}

void SetsPanel::makeSettings()
{
    auto *group = new FoldGroup(tr("Settings"), this);
    actsOn_ = quiet({}, this);
    preset_ =
        button(tr("Preset…"), tr("Takes a preset in these sets; each is reckoned from its own automatic start."), this);
    preset_->setMenu(new QMenu(preset_));
    copy_ = button(tr("Copy"), tr("Copies the settings of the set at hand. Ctrl+Shift+C"), this);
    paste_ = button(tr("Paste…"), tr("Takes the copied settings, as a whole or by parts. Ctrl+Shift+V"), this);
    asLast_ = button(tr("As the last one"), tr("Takes the settings of the set that was open last."), this);
    sameRoom_ =
        button(tr("Same room"), tr("Gives sets of one place one white, and one brightness for the same light."), this);
    group->add(actsOn_);
    group->add(sideBySide(preset_, asLast_, this));
    group->add(sideBySide(copy_, paste_, this));
    group->add(sameRoom_);
    add(group);
    connect(copy_, &QPushButton::clicked, this, &SetsPanel::copyAsked);
    connect(paste_, &QPushButton::clicked, this, &SetsPanel::pasteAsked);
    connect(asLast_, &QPushButton::clicked, this, &SetsPanel::asLastAsked);
    connect(sameRoom_, &QPushButton::clicked, this, &SetsPanel::sameRoomAsked);
}

void SetsPanel::makeRun()
{
    constexpr int kRows = 3;
    auto *group = new FoldGroup(tr("Run"), this);
    ways_ = new QListWidget(this);
    ways_->setAccessibleName(tr("Export presets"));
    ways_->setToolTip(tr("Every set is written once for each that is ticked. They are kept in the Export step."));
    ways_->setUniformItemSizes(true);
    ways_->setFixedHeight(kRows * (fontMetrics().height() + 8) + 4);
    folder_ = new QLineEdit(this);
    makeField(folder_);
    folder_->setAccessibleName(tr("Folder of the files"));
    folder_->setToolTip(tr("Where the files go, unless an export preset has a folder of its own."));
    choose_ = button(tr("Choose a folder…"), tr("Where the files go."), this);
    anew_ = new QCheckBox(tr("Do again what is done"), this);
    anew_->setToolTip(tr("Else what was done before and did not change since stays."));
    state_ = quiet({}, this);
    bar_ = new QProgressBar(this);
    bar_->setTextVisible(false);
    bar_->setFixedHeight(6);
    bar_->setRange(0, 1000);
    start_ = button(tr("Run"), tr("Writes the pictures of these sets in the background. Ctrl+R"), this);
    pause_ = button(tr("Pause"), tr("Sets that have begun are finished; the others wait."), this);
    stop_ = button(tr("Stop"), tr("Ends the run. What is done stays, and Run goes on with the rest."), this);
    report_ = button(tr("Report"), tr("Opens the page about this run."), this);
    sheet_ = button(tr("Contact sheet…"), tr("Writes before and after of every set as a PDF."), this);
    for (QWidget *widget :
         {static_cast<QWidget *>(start_), static_cast<QWidget *>(bar_), static_cast<QWidget *>(state_),
          sideBySide(pause_, stop_, this), sideBySide(report_, sheet_, this), static_cast<QWidget *>(ways_),
          static_cast<QWidget *>(folder_), static_cast<QWidget *>(choose_), static_cast<QWidget *>(anew_)})
        group->add(widget);
    add(group);
    connect(ways_, &QListWidget::itemChanged, this, [this](QListWidgetItem *item) {
        if (!filling_)
            shelf_->setTicked(item->data(Qt::UserRole).toString(), item->checkState() == Qt::Checked);
    });
    connect(choose_, &QPushButton::clicked, this, &SetsPanel::folderAsked);
    connect(start_, &QPushButton::clicked, this, &SetsPanel::runAsked);
    connect(pause_, &QPushButton::clicked, this, [this] { running_->setPaused(!running_->isPaused()); });
    connect(stop_, &QPushButton::clicked, running_, &SetRun::stop);
    connect(report_, &QPushButton::clicked, this,
            [this] { QDesktopServices::openUrl(QUrl::fromLocalFile(running_->reportPath())); });
    connect(sheet_, &QPushButton::clicked, this, &SetsPanel::sheetAsked);
}

void SetsPanel::fillPresets()
{
    QMenu *menu = preset_->menu();
    menu->clear();
    const auto fill = [&](const QString &title, const std::vector<Preset> &presets) {
        if (presets.empty())
            return;
        QMenu *group = menu->addMenu(title);
        for (const Preset &preset : presets) {
            const QString name = QString::fromStdString(preset.name);
            QAction *action = group->addAction(name, this, [this, name] { Q_EMIT presetAsked(name); });
            action->setToolTip(QString::fromStdString(preset.description));
        }
        group->setToolTipsVisible(true);
    };
    fill(tr("Own"), presets_->ownOnes());
    for (const QString &group : presets_->ourGroups())
        fill(group, presets_->oursIn(group));
}

void SetsPanel::fillWays()
{
    filling_ = true;
    ways_->clear();
    for (const ExportPreset &preset : shelf_->all()) {
        const QString name = QString::fromStdString(preset.name);
        auto *item = new QListWidgetItem(QStringLiteral("%1  ·  %2").arg(name, wordsOf(preset.settings)), ways_);
        item->setData(Qt::UserRole, name);
        item->setFlags(Qt::ItemIsEnabled | Qt::ItemIsSelectable | Qt::ItemIsUserCheckable);
        item->setCheckState(shelf_->isTicked(name) ? Qt::Checked : Qt::Unchecked);
    }
    filling_ = false;
}

void SetsPanel::setFolder(const QString &folder)
{
    folder_->setText(folder);
}

void SetsPanel::refresh(int selected, int shown)
{
    selected_ = selected;
    shown_ = shown;
    const int left = collection_->editsLeft();
    actsOn_->setText(left > 0       ? tr("%1 sets are still to be changed.").arg(left)
                     : shown == 0   ? tr("There is no set to act on.")
                     : selected > 1 ? tr("On the %1 sets that are selected.").arg(selected)
                                    : tr("On all %1 sets that are shown; select some to act on those.").arg(shown));
    for (QPushButton *each : {preset_, copy_, paste_, asLast_})
        each->setEnabled(shown > 0);
    sameRoom_->setEnabled((selected > 1 ? selected : shown) > 1);
    refreshRun();
}

QString SetsPanel::actsOn() const
{
    return actsOn_->text();
}

QString SetsPanel::state() const
{
    return state_->isHidden() ? QString() : state_->text();
}

void SetsPanel::refreshRun()
{
    const bool runs = running_->isRunning(), wasThere = !running_->results().empty();
    const BatchProgress &progress = running_->progress();
    size_t bad = 0;
    for (const JobResult &result : running_->results())
        bad += !result.error.empty();
    start_->setText(tr("Run %1 sets").arg(selected_ > 1 ? selected_ : shown_));
    start_->setEnabled(!runs && shown_ > 0);
    bar_->setVisible(runs);
    pause_->parentWidget()->setVisible(runs);
    for (QWidget *widget :
         {static_cast<QWidget *>(start_), static_cast<QWidget *>(ways_), static_cast<QWidget *>(folder_),
          static_cast<QWidget *>(choose_), static_cast<QWidget *>(anew_)})
        widget->setVisible(!runs); // they are for the next one
    report_->parentWidget()->setVisible(!runs && wasThere);
    pause_->setText(running_->isPaused() ? tr("Go on") : tr("Pause"));
    bar_->setValue(int(1000.0 * progress.fraction));
    state_->setVisible(runs || wasThere || running_->wasStopped());
    QStringList words;
    if (runs) {
        words << tr("%1 of %2").arg(progress.done).arg(progress.all);
        if (running_->isPaused())
            words << tr("waits");
        else if (progress.secondsLeft)
            words << tr("%1 left").arg(durationText(*progress.secondsLeft));
        if (bad > 0)
            words << tr("%1 not done").arg(bad);
    } else {
        words << tr("%1 done").arg(running_->results().size() - bad);
        if (bad > 0)
            words << tr("%1 not").arg(bad);
        if (running_->wasStopped())
            words << tr("stopped; Run goes on with the rest");
    }
    state_->setText(words.join(QStringLiteral(" · ")));
}

} // namespace yolk::app
