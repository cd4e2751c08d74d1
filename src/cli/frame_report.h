// What is known of frames, as JSON: for info and for the report of a merge.
#pragma once

#include "frames/measure.h"
#include "render/render.h"

#include <nlohmann/json.hpp>

namespace yolk::cli {

const char *wordOf(Fringes::Source source);

/// notices, coverage, response, fringes, whites, and per frame what it is, how it was exposed and how it counts.
nlohmann::json reportJson(const Bracket &bracket, const Measured &measured);

/// How a frame was brought onto the reference frame. Lengths in pixels of the full picture.
nlohmann::json jsonOf(const FrameAlignment &alignment, const Frame &reference);

} // namespace yolk::cli
