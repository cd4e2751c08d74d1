#include "keeping/preferences_dialog.h"

#include "document/merge_store.h"
#include "jobs/lane.h"

#include <QAction>
#include <QCheckBox>
#include <QComboBox>
#include <QDialogButtonBox>
#include <QFormLayout>
#include <QLabel>
#include <QMenu>
#include <QPushButton>
#include <QSettings>
#include <QSpinBox>
#include <QThread>

#include <algorithm>

namespace yolk::app {
namespace {

const QString kThreads = QStringLiteral("threads");

QString plain(QString text)
{
    return text.remove(QLatin1Char('&'));
}

int storedThreads()
{
    return std::clamp(QSettings().value(kThreads, 0).toInt(), 0, QThread::idealThreadCount());
}

} // namespace

void PreferencesDialog::apply()
{
    Lane::setThreads(storedThreads());
}

PreferencesDialog::PreferencesDialog(const QList<std::pair<QString, QMenu *>> &choices, const QList<QAction *> &strips,
                                     QWidget *parent)
    : QDialog(parent), threads_(new QSpinBox(this)), cache_(new QSpinBox(this)), used_(new QLabel(this))
{
    setWindowTitle(tr("Preferences"));
    auto *form = new QFormLayout(this);
    form->setHorizontalSpacing(16);
    form->setVerticalSpacing(10);
    for (const auto &[name, menu] : choices)
        addChoice(form, name, menu);
    for (QAction *strip : strips) {
        auto *box = new QCheckBox(plain(strip->text()), this);
        box->setToolTip(strip->toolTip());
        box->setChecked(strip->isChecked());
        connect(box, &QCheckBox::toggled, strip, &QAction::setChecked);
        form->addRow(strip == strips.first() ? tr("Shown") : QString(), box);
    }
    threads_->setRange(0, QThread::idealThreadCount());
    threads_->setSpecialValueText(tr("All"));
    threads_->setValue(storedThreads());
    threads_->setToolTip(tr("How many processor cores Yolk works on; fewer leave the machine to other programs."));
    form->addRow(tr("Cores to work on"), threads_);
    cache_->setRange(0, kMostCacheGigabytes);
    cache_->setSpecialValueText(tr("Nothing"));
    cache_->setSuffix(tr(" GB"));
    cache_->setValue(cacheGigabytes());
    cache_->setToolTip(tr("How much merged light may stay on the disk, so that work is there at once when it is opened "
                          "again. What was used longest ago goes first."));
    form->addRow(tr("Merges on the disk"), cache_);
    auto *empty = new QPushButton(tr("Empty it now"), this);
    empty->setToolTip(tr("Deletes all merges that are kept on the disk; they are made again when they are needed."));
    auto *line = new QHBoxLayout;
    line->setSpacing(12);
    line->addWidget(used_, 1);
    line->addWidget(empty);
    form->addRow(QString(), line);
    auto *buttons = new QDialogButtonBox(QDialogButtonBox::Close);
    form->addRow(buttons);
    connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    connect(threads_, &QSpinBox::valueChanged, this, [](int threads) {
        QSettings().setValue(kThreads, threads);
        apply();
    });
    connect(cache_, &QSpinBox::valueChanged, this, [](int size) { setCacheGigabytes(size); });
    connect(empty, &QPushButton::clicked, this, [this] {
        mergeStore()->clear();
        refreshUsed();
    });
    refreshUsed();
}

void PreferencesDialog::addChoice(QFormLayout *form, const QString &name, QMenu *menu)
{
    auto *box = new QComboBox(this);
    QList<QAction *> actions;
    for (QAction *action : menu->actions())
        if (action->isCheckable() && action->actionGroup())
            actions << action;
    for (const QAction *action : actions) {
        box->addItem(plain(action->text()));
        if (action->isChecked())
            box->setCurrentIndex(box->count() - 1);
    }
    box->setToolTip(actions.isEmpty() ? QString() : actions.first()->toolTip());
    connect(box, &QComboBox::activated, this, [actions](int index) { actions[index]->trigger(); });
    form->addRow(name, box);
}

void PreferencesDialog::refreshUsed()
{
    const double used = double(mergeStore()->bytes()) / double(size_t(1) << 30);
    used_->setText(used == 0.0 ? tr("Nothing is there now.") : tr("%1 GB are there now.").arg(used, 0, 'f', 2));
}

} // namespace yolk::app
