// The picture as another program gave it back, in place of all that the settings make.
#pragma once

#include "render/plan/render_plan.h"

namespace yolk {

/// Whether a returned file stands for the picture.
inline bool isReturned(const Recipe &recipe)
{
    return !recipe.returned.file.empty();
}

/// What the file says of the picture that `recipe` makes: its path, and which settings and which area it stands for.
/// Throws InputError: it cannot be read as a picture.
ReturnedPicture returnedAs(const std::string &file, const Recipe &recipe, const RenderPlan &plan);
/// Whether settings were changed since it was handed over, so that it does not show them.
bool isOutdated(const Recipe &recipe);

/// Display-linear RGB of a space in [0, 1] of a request in the picture's plane; beyond what the file shows its edge goes on.
/// The file is read once and kept with the views. Throws InputError (gone, another one, damaged), Cancelled.
Image<float> returnedPicture(const RenderPlan &plan, OutputSpace space, const RenderRequest &request, ExecContext &ctx);

} // namespace yolk
