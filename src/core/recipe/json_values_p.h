// Settings as JSON values, for the files that write and read them.
#pragma once

#include "base/fields.h"

#include <nlohmann/json.hpp>

#include <string>

namespace yolk {

/// A kind of JSON text that says what it is and in which version it was written.
struct JsonKind {
    const char *format, *name, *versionKey;
    int newest; ///< version that this release reads
};

/// The object of a text. Throws ArgumentError: not of this kind, of a newer version.
inline nlohmann::json openedText(const std::string &text, const JsonKind &kind)
{
    nlohmann::json root = nlohmann::json::parse(text, nullptr, false);
    if (!root.is_object() || root.value("format", nlohmann::json()) != nlohmann::json(kind.format))
        throw ArgumentError(std::string("is not a Yolk ") + kind.name);
    const nlohmann::json version = root.value(kind.versionKey, nlohmann::json());
    if (!version.is_number_integer() || version.get<long long>() < 1)
        throw ArgumentError(std::string(kind.versionKey) + ": must be a whole number from 1");
    if (version.get<long long>() > kind.newest)
        throw ArgumentError("was written by a newer Yolk (version " + std::to_string(version.get<long long>()) +
                            ", this one reads up to " + std::to_string(kind.newest) + ")");
    return root;
}

inline std::string textOfValue(const nlohmann::json &value, const std::string &path)
{
    if (!value.is_string())
        throw ArgumentError(path + ": must be text");
    return value.get<std::string>();
}

inline double numberOfValue(const nlohmann::json &value, const std::string &path)
{
    if (!value.is_number())
        throw ArgumentError(path + ": must be a number");
    return value.get<double>();
}

inline PointList pointsOfValue(const nlohmann::json &value, const std::string &path)
{
    if (!value.is_array())
        throw ArgumentError(path + ": must be a list of pairs of numbers");
    std::vector<Point> out;
    for (const nlohmann::json &pair : value) {
        if (!pair.is_array() || pair.size() != 2)
            throw ArgumentError(path + ": must be pairs of numbers");
        out.push_back({numberOfValue(pair[0], path), numberOfValue(pair[1], path)});
    }
    return out;
}

template <class S, class Field>
void readField(S &settings, const Field &field, const nlohmann::json &value, const std::string &path);

/// All fields of an item of a list; those that are missing keep what they are, but must be allowed.
template <class Item, class Table>
void readItem(Item &item, const Table &table, const nlohmann::json &value, const std::string &path)
{
    if (!value.is_object())
        throw ArgumentError(path + ": must hold objects");
    forEachField(table, [&](const auto &field) {
        const std::string key(field.key), at = path + "." + key;
        if (value.contains(key))
            readField(item, field, value[key], at);
        else if constexpr (requires { field.least; })
            assign(item, field, item.*field.member, at);
    });
}

/// One field from JSON into its member. Throws ArgumentError naming the path.
template <class S, class Field>
void readField(S &settings, const Field &field, const nlohmann::json &value, const std::string &path)
{
    using Value = std::remove_cvref_t<decltype(settings.*field.member)>;
    Value &member = settings.*field.member;
    if constexpr (IsReal<Field>) {
        assign(settings, field, numberOfValue(value, path), path);
    } else if constexpr (IsChoice<Field>) {
        assign(settings, field, textOfValue(value, path), path);
    } else if constexpr (requires { field.items; }) {
        if (!value.is_array() || value.size() > field.most)
            throw ArgumentError(path + ": must be a list of at most " + std::to_string(field.most));
        std::vector<std::remove_cvref_t<decltype(*member.begin())>> items;
        for (const nlohmann::json &item : value) {
            items.emplace_back();
            readItem(items.back(), *field.items, item, path);
        }
        member = std::move(items);
    } else if constexpr (std::is_same_v<Value, bool>) {
        if (!value.is_boolean())
            throw ArgumentError(path + ": must be true or false");
        member = value.get<bool>();
    } else if constexpr (std::is_same_v<Value, PointList>) {
        assign(settings, field, pointsOfValue(value, path), path);
    } else if constexpr (std::is_same_v<Value, std::array<double, 3>>) {
        if (!value.is_array() || value.size() != 3)
            throw ArgumentError(path + ": must be three numbers");
        assign(settings, field,
               std::array{numberOfValue(value[0], path), numberOfValue(value[1], path), numberOfValue(value[2], path)},
               path);
    } else if constexpr (std::is_same_v<Value, std::string>) {
        member = textOfValue(value, path);
    } else if constexpr (std::is_same_v<Value, std::set<std::string>>) {
        if (!value.is_array())
            throw ArgumentError(path + ": must be a list of texts");
        for (const nlohmann::json &id : value)
            member.insert(textOfValue(id, path));
    } else if constexpr (std::is_same_v<Value, std::map<std::string, std::string>>) {
        if (!value.is_object())
            throw ArgumentError(path + ": must be an object of texts");
        for (const auto &[key, text] : value.items())
            member[key] = textOfValue(text, path);
    } else {
        if (!value.is_object())
            throw ArgumentError(path + ": must be an object of numbers");
        std::map<std::string, double> numbers;
        for (const auto &[id, number] : value.items())
            numbers[id] = numberOfValue(number, path);
        assign(settings, field, std::move(numbers), path);
    }
}

/// A field as JSON; null where it is nothing that a file needs to hold.
template <class S, class Field> nlohmann::json valueOf(const S &settings, const Field &field)
{
    using nlohmann::json;
    using Value = std::remove_cvref_t<decltype(settings.*field.member)>;
    const Value &member = settings.*field.member;
    if constexpr (IsChoice<Field>) {
        return std::string(keyOf(field, member));
    } else if constexpr (requires { field.items; }) {
        json out = json::array();
        for (const auto &item : member) {
            json &value = out.emplace_back(json::object());
            forEachField(*field.items, [&](const auto &part) {
                if (json v = valueOf(item, part); !v.is_null())
                    value[std::string(part.key)] = std::move(v);
            });
        }
        return out.empty() ? json() : out;
    } else if constexpr (std::is_same_v<Value, PointList>) {
        json out = json::array();
        for (const Point &p : member)
            out.push_back({p.x, p.y});
        return out;
    } else if constexpr (requires { member.empty(); } && !std::is_same_v<Value, std::array<double, 3>>) {
        return member.empty() ? json() : json(member); // text, texts, numbers by text
    } else {
        return member;
    }
}

} // namespace yolk
