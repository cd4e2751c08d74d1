#include "steps/export_panel.h"

#include "document/hand_over.h"
#include "render/files/output.h"
#include "steps/written_list.h"
#include "widgets/fold_group.h"

#include <QFileInfo>
#include <QGridLayout>
#include <QLabel>
#include <QLineEdit>
#include <QListWidget>
#include <QPushButton>
#include <QShortcut>

#include <algorithm>

namespace yolk::app {
namespace {

const QString kDepth = QStringLiteral("export.depth");

} // namespace

ExportPanel::ExportPanel(Document *document, ExportShelf *shelf, QWidget *parent)
    : Panel(parent), document_(document), shelf_(shelf), controls_(new FieldControls(document, this)),
      facts_(new QLabel(this)), nameShown_(quiet({}, this)), profileShown_(quiet({}, this)),
      returnedNote_(new QLabel(this)), chooseProfile_(new QPushButton(tr("Choose a profile…"), this)),
      handOver_(new QPushButton(this)), removeReturned_(new QPushButton(tr("Remove"), this)),
      screenLights_(new QCheckBox(tr("Show what a screen cuts"), this)),
      screenStops_(new ValueSlider(
          {tr("Screen"), tr("How far over white a screen can go, in stops"), tr("EV"), 0.0, 6.0, 0.0, 0.1, 1}, this)),
      presets_(new QListWidget(this)), written_(new WrittenList(this)),
      handed_(new ChoiceRow(
          tr("What is handed over"),
          {{tr("Picture"), tr("The finished picture, as 16-bit TIFF; what comes back stands for it.")},
           {tr("Light"), tr("The light before tone, as OpenEXR; tone and colour act on what comes back.")}},
          this)),
      command_(new QLineEdit(this))
{
    makePicture();
    makeHandOver();
    makeRadiance();
    addStretch();
    connect(document, &Document::recipeChanged, this, &ExportPanel::refresh);
    connect(document, &Document::lookChanged, this, &ExportPanel::refresh);
    connect(document, &Document::kept, this, [this](const QString &path, const QString &remark) {
        written_->add(path, remark);
        writtenGroup_->show();
    });
    for (const Handed what : {Handed::Picture, Handed::Light})
        connect(document->handOver(what), &HandOver::changed, this, &ExportPanel::refreshHandOver);
    connect(shelf, &ExportShelf::changed, this, &ExportPanel::refreshPresets);
    refreshPresets();
    refresh();
}

template <class Section>
void ExportPanel::addControls(const Section &section, const QHash<QString, FoldGroup *> &groups)
{
    forEachField(*section.fields, [&](const auto &field) {
        if constexpr (requires { field.group; }) {
            QWidget *control = controls_->make(section, field);
            if (!control)
                return;
            FoldGroup *group = groups.value(words(field.group), *groups.begin());
            if constexpr (IsChoice<std::remove_cvref_t<decltype(field)>>) {
                labels_.append({new QLabel(words(field.name), this), QString::fromStdString(pathOf(section, field))});
                group->add(labels_.back().first);
            }
            group->add(control);
        }
    });
}

void ExportPanel::makePicture()
{
    auto *picture = new FoldGroup(tr("Finished picture"), this), *colour = new FoldGroup(tr("Colour"), this),
         *size = new FoldGroup(tr("Size"), this), *saying = new FoldGroup(tr("Words"), this);
    facts_->setWordWrap(true);
    picture->add(facts_);
    forSectionsOf<&Recipe::output>([&](const auto &section) {
        addControls(section, {{QStringLiteral("Picture"), picture},
                              {QStringLiteral("Colour"), colour},
                              {QStringLiteral("Size"), size},
                              {QStringLiteral("Words"), saying}});
    });
    auto *save = new QPushButton(tr("Export picture…"), this);
    save->setToolTip(tr("Writes the picture as these settings say. Ctrl+E"));
    connect(save, &QPushButton::clicked, this, &ExportPanel::exportAsked);
    picture->add(save);

    auto *space = controls_->control(QStringLiteral("export.space"));
    chooseProfile_->setToolTip(tr("An ICC profile of a printer or another device, from a file."));
    colour->addAfter(space, chooseProfile_);
    colour->addAfter(chooseProfile_, profileShown_);
    connect(chooseProfile_, &QPushButton::clicked, this, &ExportPanel::profileAsked);
    screenLights_->setToolTip(tr("Hatches light that a screen which goes so far over white cannot show. Shift+L"));
    colour->add(screenLights_);
    colour->add(screenStops_);
    connect(screenLights_, &QCheckBox::clicked, this, [this](bool on) {
        document_->inspect(on ? std::optional(document_->lastInspection(InspectMode::Hdr)) : std::nullopt);
    });
    connect(screenStops_, &ValueSlider::changed, this, [this](double stops) {
        Inspection look = document_->lastInspection(InspectMode::Hdr);
        look.screenStops = stops;
        document_->inspect(look);
    });

    makeWords(saying);
    add(picture);
    makePresets();
    makeWritten();
    for (FoldGroup *group : {colour, size, saying})
        add(group);
}

void ExportPanel::makeWords(FoldGroup *group)
{
    addText(group, &ExportSettings::copyright, "export.copyright", tr("Copyright"), tr("Written into the file"));
    addText(group, &ExportSettings::caption, "export.caption", tr("Caption"), tr("Written into the file"));
    QStringList fields;
    for (const NameField &field : kNameFields)
        fields << QStringLiteral("{%1} %2").arg(words(field.key), words(field.help));
    addText(group, &ExportSettings::name, "export.name", tr("File name"),
            tr("Words in braces are filled in:") + QLatin1Char('\n') + fields.join(QLatin1Char('\n')));
    group->add(nameShown_);
    group->setOpen(false);
}

void ExportPanel::makeWritten()
{
    writtenGroup_ = new FoldGroup(tr("Written"), this);
    auto *folder = new QPushButton(tr("Show in folder"), this);
    folder->setToolTip(tr("Opens the folder of the chosen file."));
    connect(folder, &QPushButton::clicked, written_, &WrittenList::showInFolder);
    writtenGroup_->add(written_);
    writtenGroup_->add(folder);
    writtenGroup_->hide();
    add(writtenGroup_);
}

void ExportPanel::addText(FoldGroup *group, std::string ExportSettings::*member, const char *key, const QString &name,
                          const QString &help)
{
    auto *edit = new QLineEdit(this);
    makeField(edit);
    edit->setAccessibleName(name);
    edit->setToolTip(help + (help.contains(QLatin1Char('\n')) ? QString() : QStringLiteral(".")));
    group->add(new QLabel(name, this));
    group->add(edit);
    texts_.insert(QString::fromLatin1(key), edit);
    connect(edit, &QLineEdit::editingFinished, this, [this, edit, member, name] {
        if (!document_->isOpen() || edit->text().toStdString() == document_->recipe().output.*member)
            return;
        change([&](ExportSettings &s) { s.*member = edit->text().toStdString(); }, name.toLower());
    });
}

void ExportPanel::change(const std::function<void(ExportSettings &)> &edit, const QString &what)
{
    Recipe next = document_->recipe();
    edit(next.output);
    document_->setRecipe(std::move(next), what);
}

void ExportPanel::makePresets()
{
    constexpr int kRows = 4;
    auto *group = new FoldGroup(tr("Presets"), this);
    presets_->setAccessibleName(tr("Export presets"));
    presets_->setToolTip(tr("What is ticked is written in one go; double-click takes its settings."));
    presets_->setTextElideMode(Qt::ElideRight);
    presets_->setUniformItemSizes(true);
    presets_->setFixedHeight(kRows * (fontMetrics().height() + 8) + 4);
    auto *all = new QPushButton(tr("Export ticked"), this), *keep = new QPushButton(tr("Keep as preset…"), this),
         *take = new QPushButton(tr("Take"), this), *remove = new QPushButton(tr("Remove"), this);
    all->setToolTip(tr("Writes the picture as each ticked preset says. Ctrl+Alt+E"));
    keep->setToolTip(tr("Keeps the settings above under a name, and the folder that its files go to."));
    take->setToolTip(tr("Takes the settings of the chosen preset."));
    remove->setToolTip(tr("Removes the chosen preset. Delete"));
    group->add(presets_);
    group->add(all);
    group->add(sideBySide(take, remove, this));
    group->add(keep);
    add(group);
    connect(all, &QPushButton::clicked, this, &ExportPanel::presetsAsked);
    connect(keep, &QPushButton::clicked, this, &ExportPanel::presetToKeepAsked);
    connect(take, &QPushButton::clicked, this, [this] { takePreset(presets_->currentRow()); });
    const auto removeChosen = [this] {
        if (const QListWidgetItem *item = presets_->currentItem())
            shelf_->remove(item->data(Qt::UserRole).toString());
    };
    connect(remove, &QPushButton::clicked, this, removeChosen);
    auto *gone = new QShortcut(QKeySequence::Delete, presets_, nullptr, nullptr, Qt::WidgetShortcut);
    connect(gone, &QShortcut::activated, this, removeChosen);
    connect(presets_, &QListWidget::itemDoubleClicked, this,
            [this](QListWidgetItem *item) { takePreset(presets_->row(item)); });
    connect(presets_, &QListWidget::itemChanged, this, [this](QListWidgetItem *item) {
        if (!filling_)
            shelf_->setTicked(item->data(Qt::UserRole).toString(), item->checkState() == Qt::Checked);
    });
}

void ExportPanel::takePreset(int row)
{
    if (row < 0 || !document_->isOpen())
        return;
    const ExportPreset preset = shelf_->all()[size_t(row)];
    change([&](ExportSettings &s) { s = preset.settings; },
           tr("export preset %1").arg(QString::fromStdString(preset.name)));
}

void ExportPanel::keepPreset(const QString &name, const QString &folder)
{
    shelf_->keep({name.trimmed().toStdString(), folder.toStdString(), document_->recipe().output});
}

void ExportPanel::makeHandOver()
{
    auto *group = new FoldGroup(tr("Another program"), this);
    handed_->setIndex(0);
    makeField(command_);
    command_->setText(hand()->command());
    command_->setPlaceholderText(tr("program {file}"));
    command_->setAccessibleName(tr("Command"));
    command_->setToolTip(tr("What is run on the file; {file} stands for its path."));
    returnedNote_->setWordWrap(true);
    removeReturned_->setToolTip(tr("Shows again what the settings make."));
    group->add(handed_);
    group->add(command_);
    group->add(returnedNote_);
    group->add(handOver_);
    group->add(removeReturned_);
    add(group);
    connect(command_, &QLineEdit::textChanged, this, [this](const QString &text) {
        hand()->setCommand(text);
        refreshHandOver();
    });
    connect(handed_, &ChoiceRow::chosen, this, [this] {
        command_->setText(hand()->command());
        refreshHandOver();
    });
    connect(handOver_, &QPushButton::clicked, this, [this] { hand()->start(); });
    connect(removeReturned_, &QPushButton::clicked, this, [this] { hand()->remove(); });
}

HandOver *ExportPanel::hand() const
{
    return document_->handOver(Handed(handed_->index()));
}

void ExportPanel::handOverAs(Handed what)
{
    handed_->setIndex(int(what));
    Q_EMIT handed_->chosen(int(what));
    hand()->start();
}

void ExportPanel::refreshHandOver()
{
    const HandOver *hand = this->hand();
    const bool isPicture = Handed(handed_->index()) == Handed::Picture;
    handOver_->setText(hand->isBack() ? tr("Renew") : tr("Hand over"));
    handOver_->setToolTip(isPicture ? tr("Writes the picture beside the frames and runs the command on it. What that "
                                         "leaves in the file then stands for the picture. Ctrl+Shift+H")
                                    : tr("Writes the light before tone beside the frames and runs the command on it. "
                                         "What that leaves in the file then stands for the merge. Ctrl+Alt+H"));
    handOver_->setEnabled(document_->isOpen() && !command_->text().trimmed().isEmpty());
    removeReturned_->setVisible(hand->isBack());
    returnedNote_->setVisible(hand->isBack() || hand->isUnderWay());
    const QString is = (isPicture ? tr("The picture is %1 as it came back.") : tr("The light is %1 as it came back."))
                           .arg(hand->file());
    returnedNote_->setText(hand->isOutdated()
                               ? is + QLatin1Char(' ') +
                                     tr("Settings that were changed since are not seen: renew it, or remove it.")
                           : hand->isBack() ? is
                                            : tr("Waiting for %1 to change.").arg(hand->file()));
}

void ExportPanel::makeRadiance()
{
    auto *radiance = new FoldGroup(tr("Radiance"), this);
    radiance->add(quiet(tr("The merged light before any tone: OpenEXR, Radiance HDR, 32-bit TIFF, or a DNG that raw "
                           "programs open."),
                        this));
    forSectionsOf<&Recipe::radiance>([&](const auto &section) {
        addControls(section, {{QStringLiteral("Radiance"), radiance}});
    });
    auto *save = new QPushButton(tr("Save radiance…"), this);
    save->setToolTip(tr("Writes the merged light as it is, for any other program. Ctrl+Shift+E"));
    connect(save, &QPushButton::clicked, this, &ExportPanel::radianceAsked);
    radiance->add(save);
    add(radiance);
}

QString ExportPanel::facts() const
{
    return facts_->text();
}

QString ExportPanel::returnedNote() const
{
    return returnedNote_->isHidden() ? QString() : returnedNote_->text();
}

void ExportPanel::refresh()
{
    const bool isOpen = document_->isOpen();
    const ExportSettings settings = isOpen ? document_->recipe().output : ExportSettings();
    const FormatTraits &traits = traitsOf(settings.format);
    for (const auto &[label, path] : labels_)
        label->setVisible(!controls_->control(path)->isHidden());
    for (size_t i = 1; i < kDepthChoices.size(); ++i) // the first is the usual one
        controls_->choice(kDepth)->setAvailable(int(i), std::ranges::find(traits.depths, int(kDepthChoices[i].value)) !=
                                                            traits.depths.end());
    const bool throughProfile = usesProfile(settings);
    chooseProfile_->setVisible(throughProfile);
    profileShown_->setVisible(throughProfile);
    profileShown_->setText(settings.profile.empty() ? tr("No profile is chosen yet.")
                                                    : QFileInfo(QString::fromStdString(settings.profile)).fileName());
    screenLights_->setVisible(isHdr(settings));
    const bool looksAtScreen = document_->inspection() && document_->inspection()->mode == InspectMode::Hdr;
    screenLights_->setChecked(looksAtScreen);
    screenStops_->setVisible(isHdr(settings) && looksAtScreen);
    screenStops_->setValue(document_->lastInspection(InspectMode::Hdr).screenStops);
    for (const auto &[key, member] :
         {std::pair{"export.copyright", &ExportSettings::copyright},
          std::pair{"export.caption", &ExportSettings::caption}, std::pair{"export.name", &ExportSettings::name}})
        if (QLineEdit *edit = texts_.value(QString::fromLatin1(key)); edit && !edit->hasFocus())
            edit->setText(QString::fromStdString(settings.*member));
    refreshHandOver();
    if (!isOpen)
        return facts_->setText({});
    const QSize whole = document_->pictureArea().size();
    const yolk::Shape size = sizeUnder(settings, std::max(1, whole.width()), std::max(1, whole.height()));
    const int bits =
        settings.format == PictureFormat::Tiff && isHdr(settings) ? 32 : depthFor(settings.format, int(settings.depth));
    facts_->setText(
        tr("%1 × %2 pixels of %3 bit").arg(size.width).arg(size.height).arg(bits) +
        (size.width == whole.width() ? QString() : tr(", from %1 × %2").arg(whole.width()).arg(whole.height())));
    QString name;
    try {
        name = QFileInfo(document_->pathFor(settings)).fileName();
    } catch (const Error &e) {
        name = QString::fromUtf8(e.what());
    }
    nameShown_->setText(name);
}

void ExportPanel::refreshPresets()
{
    filling_ = true;
    const QString chosen = presets_->currentItem() ? presets_->currentItem()->data(Qt::UserRole).toString() : QString();
    presets_->clear();
    for (const ExportPreset &preset : shelf_->all()) {
        const QString name = QString::fromStdString(preset.name);
        auto *item = new QListWidgetItem(name + QStringLiteral("  ·  ") + wordsOf(preset.settings));
        item->setData(Qt::UserRole, name);
        item->setFlags(item->flags() | Qt::ItemIsUserCheckable);
        item->setCheckState(shelf_->isTicked(name) ? Qt::Checked : Qt::Unchecked);
        item->setToolTip(preset.folder.empty() ? tr("Beside the frames") : QString::fromStdString(preset.folder));
        presets_->addItem(item);
        if (name == chosen)
            presets_->setCurrentItem(item);
    }
    filling_ = false;
}

} // namespace yolk::app
