#include "steps/preset_group.h"

#include "steps/panel.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QGridLayout>
#include <QLineEdit>
#include <QListWidget>
#include <QMenu>
#include <QPushButton>
#include <QSignalBlocker>

namespace yolk::app {
namespace {

/// Name, group and, for a new preset, its parts.
class PresetDialog : public QDialog {
public:
    PresetDialog(const QString &title, const QString &name, const QString &group, const QStringList &groups,
                 bool withParts, QWidget *parent)
        : QDialog(parent), name_(new QLineEdit(name, this)), group_(new QComboBox(this))
    {
        setWindowTitle(title);
        group_->setEditable(true);
        group_->addItems(groups);
        group_->setCurrentText(group);
        name_->setMinimumWidth(220);
        name_->selectAll();
        auto *form = new QFormLayout(this);
        form->addRow(tr("Name"), name_);
        form->addRow(tr("Group"), group_);
        for (const PresetPart &part : presetParts()) {
            auto *box = new QCheckBox(words(part.name), this);
            box->setChecked(true);
            box->setVisible(withParts);
            if (withParts)
                form->addRow(parts_.isEmpty() ? tr("It decides") : QString(), box);
            parts_.insert(QString::fromStdString(part.key), box);
        }
        auto *buttons = new QDialogButtonBox(QDialogButtonBox::Ok | QDialogButtonBox::Cancel, this);
        form->addRow(buttons);
        connect(buttons, &QDialogButtonBox::accepted, this, &QDialog::accept);
        connect(buttons, &QDialogButtonBox::rejected, this, &QDialog::reject);
    }
    QString name() const { return name_->text().trimmed(); }
    QString group() const { return group_->currentText().trimmed(); }
    std::set<std::string> parts() const
    {
        std::set<std::string> out;
        for (auto it = parts_.begin(); it != parts_.end(); ++it)
            if (it.value()->isChecked())
                out.insert(it.key().toStdString());
        return out;
    }

private:
    QLineEdit *name_;
    QComboBox *group_;
    QHash<QString, QCheckBox *> parts_;
};

} // namespace

PresetGroup::PresetGroup(Document *document, PresetShelf *shelf, QWidget *parent)
    : FoldGroup(tr("Presets"), parent), document_(document), shelf_(shelf), groups_(new QComboBox(this)),
      list_(new QListWidget(this)),
      amount_(new ValueSlider(sliderSpec(fieldOf<kPresetUseFields, &PresetUse::amount>()), this)),
      taste_(new QPushButton(tr("Taste"), this)), variations_(new QPushButton(tr("Variations"), this)),
      own_(new QPushButton(tr("Own"), this))
{
    groups_->setAccessibleName(tr("Group of presets"));
    groups_->setToolTip(tr("Which presets are listed."));
    list_->setAccessibleName(tr("Presets"));
    list_->setHorizontalScrollBarPolicy(Qt::ScrollBarAlwaysOff);
    taste_->setToolTip(tr("Shows the picture under every preset of the group, to choose by eye. Y"));
    variations_->setToolTip(tr("Shows nine pictures round the present one, darker to brighter and natural to dramatic. "
                               "Shift+Y"));
    own_->setToolTip(tr("Your own presets: keep, change, bring in and hand out."));
    auto *menu = new QMenu(own_);
    menu->addAction(tr("&Keep as a preset…"), this, &PresetGroup::askAndKeep);
    QAction *change = menu->addAction(tr("Change &name or group…"), this, &PresetGroup::askAndChange);
    QAction *remove = menu->addAction(tr("&Remove"), this, [this] { attempt([this] { shelf_->remove(chosen()); }); });
    menu->addSeparator();
    menu->addAction(tr("&Import…"), this, &PresetGroup::askAndImport);
    QAction *hand = menu->addAction(tr("&Export…"), this, &PresetGroup::askAndExport);
    connect(menu, &QMenu::aboutToShow, this, [this, change, remove, hand] {
        const bool own = shelf_->isOwn(chosen());
        change->setEnabled(own);
        remove->setEnabled(own);
        hand->setEnabled(!chosen().isEmpty());
    });
    own_->setMenu(menu);
    auto *buttons = new QWidget(this);
    auto *row = new QGridLayout(buttons);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(6);
    row->addWidget(taste_, 0, 0);
    row->addWidget(variations_, 0, 1);
    row->addWidget(own_, 0, 2);
    for (QWidget *widget :
         {static_cast<QWidget *>(groups_), static_cast<QWidget *>(list_), static_cast<QWidget *>(amount_), buttons})
        add(widget);

    connect(groups_, &QComboBox::currentTextChanged, this, &PresetGroup::takePresets);
    const auto take = [this](QListWidgetItem *item) {
        if (const auto preset = shelf_->find(item->text()))
            document_->applyPreset(*preset, 100.0);
    };
    connect(list_, &QListWidget::itemClicked, this, take);
    connect(list_, &QListWidget::itemActivated, this, [this, take](QListWidgetItem *item) {
        if (document_->isOpen() && document_->recipe().preset.name != item->text().toStdString())
            take(item);
    });
    connect(amount_, &ValueSlider::changed, this, [this](double value, const QString &gesture) {
        if (const auto preset = shelf_->find(QString::fromStdString(document_->recipe().preset.name)))
            document_->applyPreset(*preset, value, gesture);
    });
    connect(taste_, &QPushButton::clicked, this, &PresetGroup::tasteAsked);
    connect(variations_, &QPushButton::clicked, this, &PresetGroup::variationsAsked);
    connect(shelf, &PresetShelf::changed, this, &PresetGroup::takeGroups);
    connect(document, &Document::recipeChanged, this, &PresetGroup::refresh);
    takeGroups();
}

QString PresetGroup::group() const
{
    return groups_->currentText();
}

void PresetGroup::setGroup(const QString &group)
{
    groups_->setCurrentText(group);
}

QString PresetGroup::chosen() const
{
    return list_->currentItem() ? list_->currentItem()->text() : QString();
}

void PresetGroup::takeGroups()
{
    const QString before = group();
    {
        const QSignalBlocker quiet(groups_);
        groups_->clear();
        groups_->addItems(shelf_->groups());
        groups_->setCurrentIndex(std::max(0, groups_->findText(before)));
    }
    takePresets();
}

void PresetGroup::takePresets()
{
    list_->clear();
    for (const Preset &preset : shelf_->inGroup(group())) {
        auto *item = new QListWidgetItem(QString::fromStdString(preset.name), list_);
        const QString description = QString::fromStdString(preset.description);
        item->setToolTip(description.isEmpty() ? tr("One of your own.") : description + QLatin1Char('.'));
    }
    constexpr int kRow = 23, kLeastRows = 3, kMostRows = 6;
    list_->setFixedHeight(kRow * std::clamp(list_->count(), kLeastRows, kMostRows) + 4);
    refresh();
}

void PresetGroup::refresh()
{
    const PresetUse use = document_->isOpen() ? document_->recipe().preset : PresetUse();
    const QString name = QString::fromStdString(use.name);
    const bool known = shelf_->find(name).has_value();
    const auto items = list_->findItems(name, Qt::MatchExactly);
    list_->setCurrentItem(items.isEmpty() || name.isEmpty() ? nullptr : items.front());
    amount_->setVisible(known);
    amount_->setStart(100.0);
    amount_->setValue(use.amount);
}

void PresetGroup::attempt(const std::function<void()> &work)
{
    try {
        work();
    } catch (const InputError &e) {
        Q_EMIT failed(inputErrorText(e));
    } catch (const Error &e) {
        Q_EMIT failed(QString::fromUtf8(e.what()));
    }
}

void PresetGroup::keep(const QString &name, const QString &group, const std::set<std::string> &parts)
{
    attempt([&] {
        if (name.isEmpty() || parts.empty())
            throw ArgumentError(tr("A preset needs a name and something to decide: nothing was kept").toStdString());
        Preset preset = presetOf(document_->recipe(), document_->automaticRecipe(), parts);
        preset.name = name.toStdString();
        preset.group = (group.isEmpty() ? tr("Own") : group).toStdString();
        shelf_->keep(preset);
        setGroup(QString::fromStdString(preset.group));
        Recipe named = document_->recipe();
        named.preset = {preset.name, 100.0};
        document_->setRecipe(named, tr("keeping of a preset"));
    });
}

void PresetGroup::askAndKeep()
{
    PresetDialog dialog(tr("Keep as a preset"), tr("My preset"), tr("Own"), shelf_->groups() << tr("Own"), true, this);
    if (document_->isOpen() && dialog.exec() == QDialog::Accepted)
        keep(dialog.name(), dialog.group(), dialog.parts());
}

void PresetGroup::askAndChange()
{
    const QString name = chosen();
    PresetDialog dialog(tr("Change %1").arg(name), name, group(), shelf_->groups(), false, this);
    if (dialog.exec() == QDialog::Accepted)
        attempt([&] {
            shelf_->change(name, dialog.name(), dialog.group());
            setGroup(dialog.group());
        });
}

void PresetGroup::askAndImport()
{
    const QStringList paths = QFileDialog::getOpenFileNames(this, tr("Import presets"), {}, tr("Presets (*.json)"));
    for (const QString &path : paths)
        attempt([&] {
            const QString name = shelf_->import(path);
            if (const auto preset = shelf_->find(name))
                setGroup(QString::fromStdString(preset->group));
        });
}

void PresetGroup::askAndExport()
{
    const QString name = chosen();
    QString path = QFileDialog::getSaveFileName(this, tr("Export %1").arg(name), name + QStringLiteral(".json"),
                                                tr("Presets (*.json)"));
    if (path.isEmpty())
        return;
    if (QFileInfo(path).suffix().isEmpty())
        path += QStringLiteral(".json");
    attempt([&] { shelf_->exportTo(name, path); });
}

} // namespace yolk::app
