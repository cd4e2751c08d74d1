// Recipes as JSON text.
#pragma once

#include "recipe/recipe.h"

#include <string>
#include <vector>

namespace yolk {

inline constexpr int kRecipeVersion = 2;

struct ReadRecipe {
    Recipe recipe;
    std::string unknown; ///< JSON object of keys this release does not know; empty when there are none
    std::vector<std::string> unknownPaths; ///< for a message
};

/// Missing keys take the defaults of that version; numbers come back bit for bit; unknown keys are kept.
/// Throws ArgumentError naming the path of a bad value, or that the text is no recipe, or one of a newer version.
ReadRecipe parseRecipe(const std::string &text);

/// With the unknown keys of the file it was read from written back.
std::string recipeText(const Recipe &recipe, const std::string &unknown = {});

} // namespace yolk
