// Settings from words, as on a command line.
#pragma once

#include "base/fields.h"

#include <utility>

namespace yolk {

inline double numberFrom(std::string_view text, const std::string &path)
{
    const auto number = numberOfText(text);
    if (!number)
        throw ArgumentError(path + " = " + std::string(text) + ": must be a number");
    return *number;
}

/// Sets a member from text: a number, the key of a choice, on or off, "x,y x,y", "r,g,b". Throws ArgumentError naming
/// path and what is allowed.
template <class S, class Field>
void assignText(S &settings, const Field &field, std::string_view text, const std::string &path)
{
    using Value = std::remove_cvref_t<decltype(settings.*field.member)>;
    if constexpr (IsReal<Field>) {
        assign(settings, field, numberFrom(text, path), path);
    } else if constexpr (IsChoice<Field>) {
        assign(settings, field, text, path);
    } else if constexpr (std::is_same_v<Value, bool>) {
        if (text != "on" && text != "off")
            throw ArgumentError(path + " = " + std::string(text) + ": must be on or off");
        settings.*field.member = text == "on";
    } else if constexpr (std::is_same_v<Value, PointList>) {
        std::vector<Point> points;
        for (const std::string_view pair : partsOf(text, ' ')) {
            const auto numbers = partsOf(pair, ',');
            if (numbers.size() != 2)
                throw ArgumentError(path + " = " + std::string(text) + ": must be pairs of numbers, as 0,0 1,1");
            points.push_back({numberFrom(numbers[0], path), numberFrom(numbers[1], path)});
        }
        assign(settings, field, PointList(std::move(points)), path);
    } else if constexpr (std::is_same_v<Value, std::array<double, 3>>) {
        const auto numbers = partsOf(text, ',');
        if (numbers.size() != 3)
            throw ArgumentError(path + " = " + std::string(text) + ": must be three numbers, as 1,0.5,0");
        assign(settings, field,
               std::array{numberFrom(numbers[0], path), numberFrom(numbers[1], path), numberFrom(numbers[2], path)},
               path);
    } else if constexpr (std::is_same_v<Value, std::string>) {
        settings.*field.member = std::string(text);
    } else {
        throw ArgumentError(path + ": is more than a word can say; it can be set in a settings file");
    }
}

} // namespace yolk
