// One table per settings struct: key, member, range, unit and words. Checks, JSON, hashes, the command line's --set,
// sliders and tooltips all read that table, so that they cannot drift apart. A table is a tuple of the row types below.
// All rows have `key`, `member` and `visible`; those that stand in the window have words too.
#pragma once

#include "base/errors.h"
#include "base/point.h"
#include "base/text.h"

#include <array>
#include <cmath>
#include <map>
#include <set>
#include <span>
#include <string>
#include <string_view>
#include <tuple>
#include <vector>

namespace yolk {

/// Whether a setting does something beside the others of its struct; null: always. One that does nothing is neither
/// shown nor part of a cache's key.
template <class S> using Visible = bool (*)(const S &);

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
    Visible<S> visible = nullptr;
    bool local = false; ///< may vary inside an area
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
    Visible<S> visible = nullptr;
};

/// Something that is on or off.
template <class S> struct SwitchField {
    std::string_view key;
    bool S::*member;
    std::string_view group, name, help;
    Visible<S> visible = nullptr;
};

/// Points: of a curve, marks on a ring, a stroke. Pairs of numbers in files; "x,y x,y" on the command line.
template <class S> struct PointsField {
    std::string_view key;
    PointList S::*member;
    Point low, high;    ///< the least and the greatest of both numbers
    size_t least, most; ///< how many
    std::string_view group, name, help;
    Visible<S> visible = nullptr;
};

/// A colour: linear Rec. 2020, each channel in [0, 1]. Three numbers in files; "r,g,b" on the command line.
template <class S> struct ColourField {
    std::string_view key;
    std::array<double, 3> S::*member;
    std::string_view group, name, help;
    Visible<S> visible = nullptr;
    bool local = false;
};

/// Text without a control of its own, as a frame's content id. Empty is nothing, and left out of files.
template <class S> struct TextField {
    std::string_view key;
    std::string S::*member;
    Visible<S> visible = nullptr;
};

/// A set of such texts.
template <class S> struct TextSetField {
    std::string_view key;
    std::set<std::string> S::*member;
    Visible<S> visible = nullptr;
};

/// Numbers by such texts.
template <class S> struct NumberMapField {
    std::string_view key;
    std::map<std::string, double> S::*member;
    double least, most;
    Visible<S> visible = nullptr;
};

/// Texts by such texts: names that somebody gave.
template <class S> struct TextMapField {
    std::string_view key;
    std::map<std::string, std::string> S::*member;
    Visible<S> visible = nullptr;
};

/// Many of one thing, each described by a table of its own.
template <class S, class Item, class Table, class List = std::vector<Item>> struct ListField {
    std::string_view key;
    List S::*member;
    const Table *items;
    size_t most; ///< how many
    Visible<S> visible = nullptr;
    std::string_view group{}; ///< of those that stand in the window
};

/// Rows that a slider can stand for.
template <class Field>
concept IsReal = requires(const Field &field)
{
    field.minimum;
};
/// Rows of one of several named values.
template <class Field>
concept IsChoice = requires(const Field &field)
{
    field.choices;
};

/// Rows of something that is on or off.
template <class Field> constexpr bool kIsSwitch = false;
template <class S> constexpr bool kIsSwitch<SwitchField<S>> = true;
template <class Field>
concept IsSwitch = kIsSwitch<std::remove_cvref_t<Field>>;

/// Calls visit(row) for each row of a table.
template <class Table, class Visit> void forEachField(const Table &table, Visit &&visit)
{
    std::apply([&](const auto &...row) { (visit(row), ...); }, table);
}

/// The row of a member: fieldOf<kToneFields, &ToneSettings::range>().
template <const auto &kTable, auto kMember, size_t I = 0> constexpr const auto &fieldOf()
{
    static_assert(I < std::tuple_size_v<std::remove_cvref_t<decltype(kTable)>>, "no row of the table has this member");
    constexpr const auto &row = std::get<I>(kTable);
    if constexpr (std::is_same_v<std::remove_cvref_t<decltype(row.member)>, decltype(kMember)>) {
        if constexpr (row.member == kMember)
            return row;
        else
            return fieldOf<kTable, kMember, I + 1>();
    } else {
        return fieldOf<kTable, kMember, I + 1>();
    }
}

template <class S, class Field> bool isVisible(const S &settings, const Field &field)
{
    return !field.visible || field.visible(settings);
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

/// Throws ArgumentError naming path, value and range; NaN is out of range.
inline double checkedWithin(double value, double least, double most, const std::string &path)
{
    if (!(value >= least && value <= most))
        throw ArgumentError(path + " = " + shortestText(value) + ": must lie in " + shortestText(least) + " to " +
                            shortestText(most));
    return value;
}

/// Set the member. Throw ArgumentError naming path, value and what is allowed.
template <class S> void assign(S &settings, const RealField<S> &field, double value, const std::string &path)
{
    settings.*field.member = checkedWithin(value, field.minimum, field.maximum, path);
}

template <class S> void assign(S &settings, const PointsField<S> &field, PointList points, const std::string &path)
{
    if (points.size() < field.least || points.size() > field.most)
        throw ArgumentError(path + ": must have " + std::to_string(field.least) + " to " + std::to_string(field.most) +
                            " points");
    for (const Point &p : points) {
        checkedWithin(p.x, field.low.x, field.high.x, path);
        checkedWithin(p.y, field.low.y, field.high.y, path);
    }
    settings.*field.member = std::move(points);
}

template <class S>
void assign(S &settings, const ColourField<S> &field, const std::array<double, 3> &colour, const std::string &path)
{
    for (const double channel : colour)
        checkedWithin(channel, 0.0, 1.0, path);
    settings.*field.member = colour;
}

template <class S>
void assign(S &settings, const NumberMapField<S> &field, std::map<std::string, double> numbers, const std::string &path)
{
    for (const auto &[key, number] : numbers)
        checkedWithin(number, field.least, field.most, path);
    settings.*field.member = std::move(numbers);
}

} // namespace yolk
