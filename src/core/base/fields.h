// One table per settings struct: key, member, range, unit and words. Checks, JSON, the command line's --set, sliders
// and tooltips all read that table, so that they cannot drift apart. A table is a tuple of the row types below.
#pragma once

#include "base/errors.h"
#include "base/text.h"

#include <span>
#include <string>
#include <string_view>
#include <tuple>

namespace yolk {

/// A real number of settings struct S.
template <class S> struct RealField {
    std::string_view key;
    double S::*member;
    double minimum, maximum;
    double neutral;        ///< where the control does nothing; the fill of its track starts here
    double step;           ///< of an arrow key; a tenth of it with Shift
    int decimals;          ///< shown
    std::string_view unit; ///< shown behind the value; may be empty
    std::string_view group, name, help;
};

/// One value of an enumeration: key in files, name and one sentence in the window.
template <class E> struct Choice {
    E value;
    std::string_view key, name, help;
};

/// An enumerated member of settings struct S.
template <class S, class E> struct ChoiceField {
    std::string_view key;
    E S::*member;
    std::span<const Choice<E>> choices;
    std::string_view group, name, help;
};

/// Calls visit(row) for each row of a table.
template <class Table, class Visit> void forEachField(const Table &table, Visit &&visit)
{
    std::apply([&](const auto &...row) { (visit(row), ...); }, table);
}

/// The key of `value`, which must be one of the choices.
template <class S, class E> std::string_view keyOf(const ChoiceField<S, E> &field, E value)
{
    for (const Choice<E> &choice : field.choices)
        if (choice.value == value)
            return choice.key;
    throw ArgumentError(std::string(field.key) + ": value " + std::to_string(int(value)) + " has no name");
}

/// Sets the member from its key. Throws ArgumentError naming path and allowed keys.
template <class S, class E>
void assign(S &settings, const ChoiceField<S, E> &field, std::string_view key, const std::string &path)
{
    std::string allowed;
    for (const Choice<E> &choice : field.choices) {
        if (choice.key == key) {
            settings.*field.member = choice.value;
            return;
        }
        allowed += (allowed.empty() ? "" : ", ") + std::string(choice.key);
    }
    throw ArgumentError(path + " = " + std::string(key) + ": must be one of " + allowed);
}

/// Sets the member. Throws ArgumentError naming path, value and range; NaN is out of range.
template <class S> void assign(S &settings, const RealField<S> &field, double value, const std::string &path)
{
    if (!(value >= field.minimum && value <= field.maximum))
        throw ArgumentError(path + " = " + shortestText(value) + ": must lie in " + shortestText(field.minimum) +
                            " to " + shortestText(field.maximum));
    settings.*field.member = value;
}

} // namespace yolk
