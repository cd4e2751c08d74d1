// Controls of one struct that is no part of the recipe's settings by itself, as a shape or a brush, made from its table.
#pragma once

#include "widgets/panel.h"
#include "widgets/words.h"

#include <QCheckBox>
#include <QHash>

#include <functional>
#include <vector>

namespace yolk::app {

template <class Struct> class StructControls {
public:
    using Edit = std::function<void(Struct &)>;
    /// Does to the struct what a control asks for; `what` names it for undo, as does `gesture` one movement of the hand.
    using Change = std::function<void(const Edit &edit, const QString &what, const QString &gesture)>;

    StructControls(QWidget *parent, Change change) : parent_(parent), change_(std::move(change)) {}

    /// The control of a row of the table, which must live on; null where a row has none. A track ends at `most` at the
    /// latest.
    template <class Field> QWidget *make(const Field &field, double most = 1e30)
    {
        QWidget *control = nullptr;
        if constexpr (IsReal<Field>) {
            SliderSpec spec = sliderSpec(field);
            spec.maximum = std::min(spec.maximum, most);
            auto *slider = new ValueSlider(spec, parent_);
            QObject::connect(
                slider, &ValueSlider::changed, parent_, [this, &field](double value, const QString &gesture) {
                    change_([&](Struct &s) { s.*field.member = value; }, words(field.name).toLower(), gesture);
                });
            shown_.push_back([slider, &field](const Struct &s) { slider->setValue(s.*field.member); });
            control = slider;
        } else if constexpr (IsSwitch<Field>) {
            auto *box = new QCheckBox(words(field.name), parent_);
            box->setToolTip(words(field.help));
            QObject::connect(box, &QCheckBox::clicked, parent_, [this, &field](bool on) {
                change_([&](Struct &s) { s.*field.member = on; }, words(field.name).toLower(), {});
            });
            shown_.push_back([box, &field](const Struct &s) { box->setChecked(s.*field.member); });
            control = box;
        }
        if constexpr (IsChoice<Field>) {
            ChoiceRow *row = choiceRow(field, parent_);
            QObject::connect(row, &ChoiceRow::chosen, parent_, [this, &field](int index) {
                change_([&](Struct &s) { s.*field.member = field.choices[size_t(index)].value; },
                        words(field.name).toLower(), {});
            });
            shown_.push_back([row, &field](const Struct &s) {
                for (size_t i = 0; i < field.choices.size(); ++i)
                    if (field.choices[i].value == s.*field.member)
                        row->setIndex(int(i));
            });
            control = row;
        }
        if (!control)
            return nullptr;
        if constexpr (requires(const Struct &s) { yolk::isVisible(s, field); })
            shown_.push_back([control, &field](const Struct &s) { control->setVisible(yolk::isVisible(s, field)); });
        controls_.insert(QString::fromUtf8(field.key.data(), qsizetype(field.key.size())), control);
        return control;
    }
    QWidget *control(const QString &key) const { return controls_.value(key); } ///< null: none
    void show(const Struct &now) const                                          ///< brings all up to date
    {
        for (const auto &shown : shown_)
            shown(now);
    }

private:
    QWidget *parent_;
    Change change_;
    QHash<QString, QWidget *> controls_;
    std::vector<std::function<void(const Struct &)>> shown_;
};

} // namespace yolk::app
