// The texts of assets/presets, which the build puts into the library.
#pragma once

#include <span>
#include <string_view>

namespace yolk {

extern const std::span<const std::string_view> kBuiltInPresets;

} // namespace yolk
