#include "recipe/areas_json.h"

#include "recipe/json_values_p.h"

namespace yolk {
namespace {

constexpr JsonKind kKind{"yolk-areas", "list of areas", "version", 1};
constexpr const auto &kList = std::get<0>(kAreasFields);

} // namespace

std::string areasText(const std::vector<Area> &areas)
{
    nlohmann::json root = {{"format", kKind.format}, {kKind.versionKey, kKind.newest}};
    root[std::string(kList.key)] = valueOf(AreasSettings{areas}, kList);
    return root.dump(2) + "\n";
}

std::vector<Area> parseAreas(const std::string &text)
{
    const nlohmann::json root = openedText(text, kKind);
    AreasSettings out;
    if (const auto list = root.find(std::string(kList.key)); list != root.end() && !list->is_null())
        readField(out, kList, *list, "areas");
    return out.areas.all();
}

} // namespace yolk
