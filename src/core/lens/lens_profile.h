// What lens data say of how a lens draws: distortion and vignetting.
#pragma once

#include "lens/lens_names.h"
#include "lens/radial_curve.h"

#include <memory>
#include <string>
#include <vector>

namespace yolk {

/// Of one lens at one focal length and aperture.
struct LensProfile {
    std::string name;       ///< as it is listed
    RadialCurve distortion; ///< by what share of its distance light lies further out than it should; 0 in the middle
    RadialCurve vignetting; ///< EV that light lacks; 0 in the middle
};
using LensProfilePtr = std::shared_ptr<const LensProfile>;

/// By the names of the metadata, or of the lens that is `chosen`, as listedLenses() names it. Null when it is not listed.
/// What was found once is kept. `dataFile` is read in place of the data files that came with the library.
/// Threads: any at once. Source: lensfun, whose models are asked at many radii.
LensProfilePtr lensProfile(const LensNames &names, const std::string &chosen = {}, const std::string &dataFile = {});

/// Names of all lenses that are listed, sorted.
std::vector<std::string> listedLenses(const std::string &dataFile = {});

} // namespace yolk
