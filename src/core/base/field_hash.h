// Hashes of settings, by their tables.
#pragma once

#include "base/fields.h"
#include "base/hash.h"

namespace yolk {

inline void hashValue(Hasher &hasher, const std::string &text)
{
    hasher.text(text);
}

inline void hashValue(Hasher &hasher, const PointList &points)
{
    hasher.value(points.hash().high).value(points.hash().low);
}

template <class T>
    requires std::is_arithmetic_v<T> || std::is_enum_v<T>
void hashValue(Hasher &hasher, const T &value)
{
    hasher.value(value);
}

inline void hashValue(Hasher &hasher, const std::pair<const std::string, double> &named)
{
    hasher.text(named.first).value(named.second);
}

inline void hashValue(Hasher &hasher, const std::pair<const std::string, std::string> &named)
{
    hasher.text(named.first).text(named.second);
}

template <class T>
    requires requires(const T &values)
    {
        values.size();
    }
void hashValue(Hasher &hasher, const T &values)
{
    hasher.value(values.size());
    for (const auto &value : values)
        hashValue(hasher, value);
}

/// Of the settings that do something beside the others.
template <class S, class Table> void hashFields(Hasher &hasher, const S &settings, const Table &table)
{
    forEachField(table, [&](const auto &field) {
        const bool counts = isVisible(settings, field);
        hasher.value(counts);
        if (!counts)
            return;
        if constexpr (requires { field.items; }) {
            hasher.value((settings.*field.member).size());
            for (const auto &item : settings.*field.member)
                hashFields(hasher, item, *field.items);
        } else {
            hashValue(hasher, settings.*field.member);
        }
    });
}

} // namespace yolk
