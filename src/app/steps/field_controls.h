// Controls of the recipe's settings, made from the rows of their tables: how one looks, what it says, what it changes and
// when it is there at all.
#pragma once

#include "document/document.h"
#include "document/numeric_setting.h"
#include "recipe/sections.h"
#include "widgets/panel.h"

#include <QCheckBox>
#include <QHash>

#include <functional>
#include <map>
#include <vector>

namespace yolk::app {

class FieldControls : public QObject {
    Q_OBJECT
public:
    /// They follow the document's recipe, and change it.
    FieldControls(Document *document, QWidget *parent);

    /// The control of a setting, for a layout; null where a row has none (points, colours and names have their own
    /// places). Section and row must live on, as those of kSections do.
    template <class Section, class Field> QWidget *make(const Section &section, const Field &field);

    /// By path, as in "tone.exposure"; null when there is none.
    ValueSlider *slider(const QString &path) const { return qobject_cast<ValueSlider *>(controls_.value(path)); }
    ChoiceRow *choice(const QString &path) const { return qobject_cast<ChoiceRow *>(controls_.value(path)); }
    QWidget *control(const QString &path) const { return controls_.value(path); }
    QString pathAt(const QWidget *widget) const;              ///< of the control that holds a widget; empty: none does
    const NumericSetting *setting(const QString &path) const; ///< null: no number; lives as long as this

private:
    template <class Section, class Field, class Value>
    void set(const Section &section, const Field &field, Value value, const QString &gesture = {});
    void refresh();

    Document *document_;
    QWidget *parent_;
    QHash<QString, QWidget *> controls_;
    std::map<QString, NumericSetting> settings_;
    std::vector<std::function<void(const Recipe &now, const Recipe &start)>> shown_; ///< brings each up to date
};

template <class Section, class Field, class Value>
void FieldControls::set(const Section &section, const Field &field, Value value, const QString &gesture)
{
    Recipe next = document_->recipe();
    section.of(next).*field.member = value;
    document_->setRecipe(std::move(next), words(field.name).toLower(), gesture);
}

template <class Section, class Field> QWidget *FieldControls::make(const Section &section, const Field &field)
{
    QWidget *control = nullptr;
    if constexpr (IsReal<Field>) {
        auto *slider = new ValueSlider(sliderSpec(field), parent_);
        connect(slider, &ValueSlider::changed, this, [this, &section, &field](double value, const QString &gesture) {
            set(section, field, value, gesture);
        });
        shown_.push_back([slider, &section, &field](const Recipe &now, const Recipe &start) {
            slider->setStart(section.of(start).*field.member);
            slider->setValue(section.of(now).*field.member);
        });
        settings_.emplace(
            QString::fromStdString(pathOf(section, field)),
            NumericSetting{sliderSpec(field),
                           [&section, &field](const Recipe &of) { return section.of(of).*field.member; },
                           [&section, &field](Recipe &of, double value) { section.of(of).*field.member = value; }});
        control = slider;
    } else if constexpr (IsChoice<Field>) {
        ChoiceRow *row = choiceRow(field, parent_, columnsFor(field));
        connect(row, &ChoiceRow::chosen, this,
                [this, &section, &field](int index) { set(section, field, field.choices[size_t(index)].value); });
        shown_.push_back([row, &section, &field](const Recipe &now, const Recipe &) {
            for (size_t i = 0; i < field.choices.size(); ++i)
                if (field.choices[i].value == section.of(now).*field.member)
                    row->setIndex(int(i));
        });
        control = row;
    } else if constexpr (requires(typename std::remove_cvref_t<decltype(section.of(Recipe()))> s) {
                             requires std::is_same_v<decltype(s.*field.member), bool &>;
                         }) {
        auto *box = new QCheckBox(words(field.name), parent_);
        box->setToolTip(words(field.help));
        connect(box, &QCheckBox::clicked, this, [this, &section, &field](bool on) { set(section, field, on); });
        shown_.push_back([box, &section, &field](const Recipe &now, const Recipe &) {
            box->setChecked(section.of(now).*field.member);
        });
        control = box;
    }
    if (!control)
        return nullptr;
    shown_.push_back([control, &section, &field](const Recipe &now, const Recipe &) {
        control->setVisible(isVisible(section.of(now), field));
    });
    controls_.insert(QString::fromStdString(pathOf(section, field)), control);
    return control;
}

} // namespace yolk::app
