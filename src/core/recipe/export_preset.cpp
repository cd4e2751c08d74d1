#include "recipe/export_preset.h"

#include "recipe/json_values_p.h"

namespace yolk {
namespace {

constexpr JsonKind kKind{"yolk-export", "export preset", "version", 1};

} // namespace

std::string exportPresetText(const ExportPreset &preset)
{
    nlohmann::json root{{"format", kKind.format}, {"version", kKind.newest}, {"name", preset.name}};
    if (!preset.folder.empty())
        root["folder"] = preset.folder;
    nlohmann::json &settings = root["settings"] = nlohmann::json::object();
    forEachField(kExportFields, [&](const auto &field) {
        if (nlohmann::json value = valueOf(preset.settings, field); !value.is_null())
            settings[std::string(field.key)] = std::move(value);
    });
    return root.dump(2) + "\n";
}

ExportPreset parseExportPreset(const std::string &text)
{
    const nlohmann::json root = openedText(text, kKind);
    ExportPreset out;
    out.name = textOfValue(root.value("name", nlohmann::json()), "name");
    if (root.contains("folder"))
        out.folder = textOfValue(root["folder"], "folder");
    if (!root.contains("settings"))
        throw ArgumentError("settings: are missing");
    readItem(out.settings, kExportFields, root["settings"], "settings");
    return out;
}

std::string fileNameOf(const std::string &pattern, const std::map<std::string, std::string, std::less<>> &values)
{
    std::string out;
    for (size_t i = 0; i < pattern.size(); ++i) {
        if (pattern[i] != '{') {
            out += pattern[i];
            continue;
        }
        const size_t end = pattern.find('}', i);
        const std::string key = pattern.substr(i + 1, end == std::string::npos ? end : end - i - 1);
        std::string possible;
        bool known = end != std::string::npos;
        if (known) {
            known = false;
            for (const NameField &field : kNameFields) {
                known |= field.key == key;
                possible += (possible.empty() ? "{" : ", {") + std::string(field.key) + "}";
            }
        }
        if (!known)
            throw ArgumentError("file name " + pattern + ": {" + key + "} is no field; there are " + possible);
        if (const auto at = values.find(key); at != values.end())
            out += at->second;
        i = end;
    }
    for (char &c : out)
        if (c == '/' || c == '\\' || c == ':' || c == '*' || c == '?' || c == '"' || c == '<' || c == '>' || c == '|' ||
            (static_cast<unsigned char>(c) < 32))
            c = '-';
    const size_t first = out.find_first_not_of(" ."), last = out.find_last_not_of(" .");
    out = first == std::string::npos ? "picture" : out.substr(first, last - first + 1);
    constexpr size_t kLongest = 200; // bytes: file systems end at 255, and a suffix follows
    while (out.size() > kLongest ||
           (out.size() > 1 && (static_cast<unsigned char>(out.back()) & 0xC0) == 0x80 && out.size() >= kLongest))
        out.pop_back();
    return out;
}

} // namespace yolk
