// A setting that is a number, of any recipe.
#pragma once

#include "recipe/recipe.h"
#include "widgets/value_slider.h"

#include <functional>

namespace yolk::app {

struct NumericSetting {
    SliderSpec spec;
    std::function<double(const Recipe &)> get;
    std::function<void(Recipe &, double)> set;
};

} // namespace yolk::app
