// The picture, or its light, on the way through another program: what is handed over, and what came back.
#pragma once

#include "render/plan/render_plan.h"

namespace yolk {

/// Where a recipe keeps what came back.
constexpr ReturnedPicture Recipe::*returnedIn(Handed what)
{
    return what == Handed::Picture ? &Recipe::returned : &Recipe::returnedLight;
}

/// The settings that what is handed over is written under, without what came back before: the finished picture for
/// exportPicture(), as all that a further program can use; the light for exportRadiance(), as floating EXR of the whole
/// frame under the camera's own white balance, so that what acts on light later still does.
Recipe toHandOver(const Recipe &recipe, Handed what);
/// What the file says of what `recipe` makes: its path, and which settings and which area it stands for.
/// Throws InputError: it cannot be read as a picture, or as light (a picture of display codes is none).
ReturnedPicture returnedAs(const std::string &file, const Recipe &recipe, const RenderPlan &plan, Handed what);
/// Whether settings of what made it were changed since it was handed over, so that it does not show them.
bool isOutdated(const Recipe &recipe, Handed what);

/// Display-linear RGB of a space in [0, 1] of a request in the picture's plane; beyond what the file shows its edge goes on.
/// The file is read once and kept with the views. Throws InputError (gone, another one, damaged), Cancelled.
Image<float> returnedPicture(const RenderPlan &plan, OutputSpace space, const RenderRequest &request, ExecContext &ctx);

} // namespace yolk
