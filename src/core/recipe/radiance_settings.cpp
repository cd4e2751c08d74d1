#include "recipe/recipe.h"

#include <charconv>

namespace yolk {
namespace {

double numberOf(std::string_view text, const std::string &path)
{
    double value = 0.0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value);
    if (error != std::errc() || end != text.data() + text.size())
        throw ArgumentError(path + " = " + std::string(text) + ": must be a number");
    return value;
}

} // namespace

void setByPath(Recipe &recipe, std::string_view path, std::string_view value)
{
    const std::string name(path);
    bool found = false;
    forEachSection(recipe, [&](std::string_view section, auto &settings, const auto &table) {
        forEachField(table, [&](const auto &field) {
            if (name != std::string(section) + "." + std::string(field.key))
                return;
            found = true;
            if constexpr (requires { field.minimum; })
                assign(settings, field, numberOf(value, name), name);
            else
                assign(settings, field, value, name);
        });
    });
    if (!found)
        throw ArgumentError(name + ": there is no such setting");
}

const Primaries &primariesOf(RadianceSpace space)
{
    switch (space) {
    case RadianceSpace::Rec2020:
        return kRec2020;
    case RadianceSpace::Ap1:
        return kAp1;
    case RadianceSpace::Rec709:
        break;
    }
    return kRec709;
}

} // namespace yolk
