#include "steps/tone_panel.h"

#include "steps/preset_group.h"
#include "widgets/fold_group.h"

#include <QPushButton>

namespace yolk::app {

TonePanel::TonePanel(Document *document, PresetShelf *shelf, QWidget *parent)
    : Panel(parent), document_(document), presets_(new PresetGroup(document, shelf, this))
{
    add(presets_);
    addControls(&Recipe::tone, kToneFields);
    addControls(&Recipe::colour, kColourFields);
    auto *again = new QPushButton(tr("Start again"), this);
    again->setToolTip(tr("Returns all settings of this step to the automatic start."));
    connect(again, &QPushButton::clicked, document, &Document::startAgain);
    add(again);
    addStretch();
    connect(document, &Document::recipeChanged, this, &TonePanel::refresh);
}

template <class S, class Table> void TonePanel::addControls(S Recipe::*section, const Table &table)
{
    forEachField(table, [&](const auto &field) {
        FoldGroup *&group = groups_[words(field.group)];
        if (!group) {
            group = new FoldGroup(words(field.group), this);
            add(group);
        }
        const QString key = words(field.key), name = words(field.name).toLower();
        if constexpr (requires { field.minimum; }) {
            auto *slider = new ValueSlider(sliderSpec(field), this);
            connect(slider, &ValueSlider::changed, this, [=, this, &field](double value, const QString &gesture) {
                if constexpr (std::is_same_v<S, ToneSettings>)
                    return document_->setTone(field.member, value, name, gesture);
                Recipe next = document_->recipe();
                next.*section.*field.member = value;
                document_->setRecipe(next, name, gesture);
            });
            group->add(slider);
            sliders_.insert(key, slider);
        } else {
            ChoiceRow *row = choiceRow(field, this);
            connect(row, &ChoiceRow::chosen, this, [=, this, &field](int index) {
                Recipe next = document_->recipe();
                next.*section.*field.member = field.choices[size_t(index)].value;
                document_->setRecipe(next, name);
            });
            group->add(row);
            choices_.insert(key, row);
        }
    });
}

template <class S, class Table> void TonePanel::showValues(const S &settings, const S &start, const Table &table)
{
    forEachField(table, [&](const auto &field) {
        const QString key = words(field.key);
        QWidget *control = nullptr;
        if constexpr (requires { field.minimum; }) {
            ValueSlider *slider = sliders_.value(key);
            slider->setStart(start.*field.member);
            slider->setValue(settings.*field.member);
            control = slider;
        } else {
            ChoiceRow *row = choices_.value(key);
            for (size_t i = 0; i < field.choices.size(); ++i)
                if (field.choices[i].value == settings.*field.member)
                    row->setIndex(int(i));
            control = row;
        }
        if constexpr (std::is_same_v<S, ToneSettings>)
            control->setVisible(actsUnder(settings.method, field.key)); // only what acts in the present method
    });
}

void TonePanel::refresh()
{
    const Recipe &recipe = document_->recipe(), start = document_->automaticRecipe();
    showValues(recipe.tone, start.tone, kToneFields);
    showValues(recipe.colour, start.colour, kColourFields);
}

} // namespace yolk::app
