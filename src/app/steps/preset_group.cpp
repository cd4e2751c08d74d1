#include "steps/preset_group.h"

#include "tasting/preset_actions.h"
#include "widgets/panel.h"

#include <QHBoxLayout>
#include <QLabel>
#include <QMenu>
#include <QPushButton>

namespace yolk::app {

PresetGroup::PresetGroup(Document *document, PresetShelf *shelf, QWidget *parent)
    : FoldGroup(tr("Presets"), parent), document_(document), shelf_(shelf),
      actions_(new PresetActions(document, shelf, this)), inUse_(new QLabel(this)),
      amount_(new ValueSlider(sliderSpec(fieldOf<kPresetUseFields, &PresetUse::amount>()), this))
{
    const auto button = [this](const QString &text, const QString &help) {
        auto *made = new QPushButton(text, this);
        made->setToolTip(help);
        return made;
    };
    QPushButton *taste = button(tr("Taste"), tr("Shows the picture under every preset, to choose by eye. Y"));
    QPushButton *neighbours =
        button(tr("Neighbours"),
               tr("Shows nine pictures round the present one, darker to brighter and natural to dramatic. Shift+Y"));
    QPushButton *own = button(tr("Own"), tr("Your own presets: keep, change, bring in and hand out."));
    auto *menu = new QMenu(own);
    connect(menu, &QMenu::aboutToShow, this, [this, menu] {
        menu->clear();
        actions_->fill(menu, QString::fromStdString(document_->recipe().preset.name));
    });
    own->setMenu(menu);
    auto *buttons = new QWidget(this);
    auto *row = new QHBoxLayout(buttons);
    row->setContentsMargins(0, 0, 0, 0);
    row->setSpacing(6);
    for (QPushButton *b : {taste, neighbours, own})
        row->addWidget(b, b == neighbours ? 4 : 3);
    for (QWidget *widget : {static_cast<QWidget *>(inUse_), static_cast<QWidget *>(amount_), buttons})
        add(widget);

    connect(amount_, &ValueSlider::changed, this, [this](double value, const QString &gesture) {
        if (const auto preset = shelf_->find(QString::fromStdString(document_->recipe().preset.name)))
            document_->applyPreset(*preset, value, gesture);
    });
    connect(taste, &QPushButton::clicked, this, &PresetGroup::tasteAsked);
    connect(neighbours, &QPushButton::clicked, this, &PresetGroup::neighboursAsked);
    connect(actions_, &PresetActions::failed, this, &PresetGroup::failed);
    connect(shelf, &PresetShelf::changed, this, &PresetGroup::refresh);
    connect(document, &Document::recipeChanged, this, &PresetGroup::refresh);
    refresh();
}

QString PresetGroup::inUse() const
{
    return inUse_->text();
}

void PresetGroup::refresh()
{
    const PresetUse use = document_->isOpen() ? document_->recipe().preset : PresetUse();
    const auto preset = shelf_->find(QString::fromStdString(use.name));
    inUse_->setText(preset ? QString::fromStdString(preset->name) : tr("No preset"));
    inUse_->setToolTip(preset ? QString::fromStdString(preset->description) : QString());
    amount_->setVisible(preset.has_value());
    amount_->setStart(100.0);
    amount_->setValue(use.amount);
}

} // namespace yolk::app
