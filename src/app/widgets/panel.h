// What the panels of the steps share: one scrolling column, and sliders and choices made from the core's field tables.
#pragma once

#include "base/fields.h"
#include "widgets/choice_row.h"
#include "widgets/value_slider.h"
#include "widgets/words.h"

#include <QScrollArea>
#include <QVBoxLayout>

class QLabel;
class QLineEdit;
class QPushButton;

namespace yolk::app {

template <class S> SliderSpec sliderSpec(const RealField<S> &field)
{
    return {words(field.name), words(field.help), words(field.unit), field.minimum,
            field.maximum,     field.neutral,     field.step,        field.decimals};
}

template <class S, class E> ChoiceRow *choiceRow(const ChoiceField<S, E> &field, QWidget *parent, int columns = 0)
{
    QList<ChoiceRow::Item> items;
    for (const Choice<E> &choice : field.choices)
        items << ChoiceRow::Item{words(choice.name), words(choice.help)};
    return new ChoiceRow(words(field.name), items, parent, columns);
}

/// In how many columns choices stand whose names do not fit beside each other in a panel; 0: they do.
template <class S, class E> int columnsFor(const ChoiceField<S, E> &field)
{
    constexpr size_t kMostLetters = 38, kAround = 3; // of one row; what a button is wider than its name
    size_t letters = 0;
    for (const Choice<E> &choice : field.choices)
        letters += choice.name.size() + kAround;
    return letters > kMostLetters ? 3 : 0;
}

/// Two buttons side by side.
QWidget *sideBySide(QPushButton *left, QPushButton *right, QWidget *parent);
/// Gives a field of words a frame; those of values have none.
void makeField(QLineEdit *edit);
/// A sentence that explains.
QLabel *quiet(const QString &text, QWidget *parent);

/// A column of groups that scrolls when the window is low.
class Panel : public QScrollArea {
    Q_OBJECT
public:
    explicit Panel(QWidget *parent = nullptr);

protected:
    void add(QWidget *widget);
    void addStretch() { column_->addStretch(); }

private:
    QVBoxLayout *column_;
};

} // namespace yolk::app
