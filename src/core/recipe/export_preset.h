// Ways of writing a picture under a name, and names of files by a pattern.
#pragma once

#include "recipe/export_settings.h"

#include <map>
#include <string>

namespace yolk {

struct ExportPreset {
    std::string name;
    std::string folder; ///< where its files go; empty: beside the frames
    ExportSettings settings;
    bool operator==(const ExportPreset &) const = default;
};

/// JSON text and back. Throws ArgumentError: no such preset, a newer version, or the path of a bad value.
std::string exportPresetText(const ExportPreset &preset);
ExportPreset parseExportPreset(const std::string &text);

/// The keys that a pattern may have in braces, each with one sentence about it.
struct NameField {
    std::string_view key, help;
};
inline constexpr std::array kNameFields{
    NameField{"name", "the reference frame's file name, without its suffix"},
    NameField{"set", "the folder of the frames"},
    NameField{"date", "when it was taken, as 2026-05-01"},
    NameField{"time", "the same, as 06-12-00"},
    NameField{"number", "the number of the set in a run over many, of three digits"},
    NameField{"camera", "what the frame says of its camera"},
    NameField{"rating", "how many eggs it has"},
    NameField{"width", "pixels"},
    NameField{"height", "pixels"},
};
/// A file name of a pattern, without a suffix: fields in braces become their values, what no file name may hold becomes "-",
/// and what is empty is left out. Never empty. Throws ArgumentError naming an unknown field and those there are.
std::string fileNameOf(const std::string &pattern, const std::map<std::string, std::string, std::less<>> &values);

} // namespace yolk
