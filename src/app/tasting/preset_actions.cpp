#include "tasting/preset_actions.h"

#include "widgets/words.h"

#include <QCheckBox>
#include <QComboBox>
#include <QDialog>
#include <QDialogButtonBox>
#include <QFileDialog>
#include <QFileInfo>
#include <QFormLayout>
#include <QLineEdit>
#include <QMenu>

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

PresetActions::PresetActions(Document *document, PresetShelf *shelf, QWidget *over)
    : QObject(over), document_(document), shelf_(shelf), over_(over)
{
}

void PresetActions::fill(QMenu *menu, const QString &name)
{
    const bool own = shelf_->isOwn(name);
    menu->addAction(tr("&Keep as a preset…"), this, &PresetActions::askAndKeep)->setEnabled(document_->isOpen());
    menu->addAction(tr("Change &name or group…"), this, [this, name] { askAndChange(name); })->setEnabled(own);
    menu->addAction(tr("&Remove"), this, [this, name] { attempt([&] { shelf_->remove(name); }); })->setEnabled(own);
    menu->addSeparator();
    menu->addAction(tr("&Import…"), this, &PresetActions::askAndImport);
    menu->addAction(tr("&Export…"), this, [this, name] { askAndExport(name); })
        ->setEnabled(shelf_->find(name).has_value());
}

void PresetActions::attempt(const std::function<void()> &work)
{
    try {
        work();
    } catch (const InputError &e) {
        Q_EMIT failed(inputErrorText(e));
    } catch (const Error &e) {
        Q_EMIT failed(QString::fromUtf8(e.what()));
    }
}

void PresetActions::keep(const QString &name, const QString &group, const std::set<std::string> &parts)
{
    attempt([&] {
        if (name.isEmpty() || parts.empty())
            throw ArgumentError(tr("A preset needs a name and something to decide: nothing was kept").toStdString());
        Preset preset = presetOf(document_->recipe(), document_->automaticRecipe(), parts);
        preset.name = name.toStdString();
        preset.group = (group.isEmpty() ? tr("Own") : group).toStdString();
        shelf_->keep(preset);
        Recipe named = document_->recipe();
        named.preset = {preset.name, 100.0};
        document_->setRecipe(named, tr("keeping of a preset"));
    });
}

void PresetActions::askAndKeep()
{
    PresetDialog dialog(tr("Keep as a preset"), tr("My preset"), tr("Own"), shelf_->groups() << tr("Own"), true, over_);
    if (document_->isOpen() && dialog.exec() == QDialog::Accepted)
        keep(dialog.name(), dialog.group(), dialog.parts());
}

void PresetActions::askAndChange(const QString &name)
{
    const auto preset = shelf_->find(name);
    if (!preset)
        return;
    PresetDialog dialog(tr("Change %1").arg(name), name, QString::fromStdString(preset->group), shelf_->groups(), false,
                        over_);
    if (dialog.exec() == QDialog::Accepted)
        attempt([&] { shelf_->change(name, dialog.name(), dialog.group()); });
}

void PresetActions::askAndImport()
{
    const QStringList paths = QFileDialog::getOpenFileNames(over_, tr("Import presets"), {}, tr("Presets (*.json)"));
    for (const QString &path : paths)
        attempt([&] { shelf_->import(path); });
}

void PresetActions::askAndExport(const QString &name)
{
    QString path = QFileDialog::getSaveFileName(over_, tr("Export %1").arg(name), name + QStringLiteral(".json"),
                                                tr("Presets (*.json)"));
    if (path.isEmpty())
        return;
    if (QFileInfo(path).suffix().isEmpty())
        path += QStringLiteral(".json");
    attempt([&] { shelf_->exportTo(name, path); });
}

} // namespace yolk::app
