// Areas that go from one picture to another.
#pragma once

#include "areas/area.h"

#include <string>
#include <vector>

namespace yolk {

/// JSON text and back. Throws ArgumentError: no such text, a newer version, the path of a bad value.
std::string areasText(const std::vector<Area> &areas);
std::vector<Area> parseAreas(const std::string &text);

} // namespace yolk
