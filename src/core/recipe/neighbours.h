// Nine pictures round the present one, to choose from by eye.
#pragma once

#include "recipe/recipe.h"

#include <array>

namespace yolk {

inline constexpr size_t kPresentNeighbour = 4; ///< the middle one

/// In rows of three: from left to right darker to brighter, from top to bottom natural to dramatic; the middle one is
/// `recipe` itself. `step` 1 is a coarse look round, halves of it are finer. Values stay within their ranges.
std::array<Recipe, 9> neighboursOf(const Recipe &recipe, double step);

} // namespace yolk
