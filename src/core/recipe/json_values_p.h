// Settings as JSON values, for the files that write and read them.
#pragma once

#include "base/fields.h"

#include <nlohmann/json.hpp>

#include <string>

namespace yolk {

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

/// One field from JSON into its member.
template <class S, class Field>
void readField(S &settings, const Field &field, const nlohmann::json &value, const std::string &path)
{
    if constexpr (requires { field.minimum; })
        assign(settings, field, numberOfValue(value, path), path);
    else
        assign(settings, field, textOfValue(value, path), path);
}

template <class S, class Field> nlohmann::json valueOf(const S &settings, const Field &field)
{
    if constexpr (requires { field.minimum; })
        return settings.*field.member;
    else
        return std::string(keyOf(field, settings.*field.member));
}

} // namespace yolk
