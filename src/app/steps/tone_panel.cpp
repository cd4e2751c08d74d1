#include "steps/tone_panel.h"

#include "widgets/fold_group.h"

#include <QPushButton>

namespace yolk::app {

TonePanel::TonePanel(Document *document, QWidget *parent) : Panel(parent), document_(document)
{
    QHash<QString, FoldGroup *> groups;
    forEachField(kToneFields, [&](const auto &field) {
        FoldGroup *&group = groups[words(field.group)];
        if (!group) {
            group = new FoldGroup(words(field.group), this);
            add(group);
        }
        if constexpr (requires { field.minimum; }) {
            auto *slider = new ValueSlider(sliderSpec(field), this);
            connect(slider, &ValueSlider::changed, this, [this, &field](double value, const QString &gesture) {
                document_->setTone(field.member, value, words(field.name).toLower(), gesture);
            });
            group->add(slider);
            sliders_.insert(words(field.key), slider);
        } else {
            method_ = choiceRow(field, this);
            connect(method_, &ChoiceRow::chosen, this, [this, &field](int index) {
                Recipe next = document_->recipe();
                next.tone.*field.member = field.choices[size_t(index)].value;
                document_->setRecipe(next, words(field.name).toLower());
            });
            group->add(method_);
        }
    });
    auto *again = new QPushButton(tr("Start again"), this);
    again->setToolTip(tr("Returns all tone settings to the automatic start."));
    connect(again, &QPushButton::clicked, document, &Document::startAgain);
    add(again);
    addStretch();
    connect(document, &Document::recipeChanged, this, &TonePanel::refresh);
}

void TonePanel::refresh()
{
    const ToneSettings &tone = document_->recipe().tone, &start = document_->automatic();
    forEachField(kToneFields, [&](const auto &field) {
        if constexpr (requires { field.minimum; }) {
            ValueSlider *slider = sliders_.value(words(field.key));
            slider->setStart(start.*field.member);
            slider->setValue(tone.*field.member);
        } else {
            for (size_t i = 0; i < field.choices.size(); ++i)
                if (field.choices[i].value == tone.*field.member)
                    method_->setIndex(int(i));
        }
    });
    // Only what acts in the present method is shown.
    const bool plain = tone.method == ToneMethod::Plain;
    sliders_.value(QStringLiteral("gamma"))->setVisible(plain);
    sliders_.value(QStringLiteral("range"))->setVisible(!plain);
    sliders_.value(QStringLiteral("toe"))->setVisible(!plain);
}

} // namespace yolk::app
