// By what a lens is known.
#pragma once

#include <string>

namespace yolk {

/// What metadata say of camera and lens, and how large the picture is.
struct LensNames {
    std::string camera, lens;
    double focalLength = 0.0; ///< mm; 0 when it is not known
    int width = 0, height = 0;
    double fNumber = 0.0; ///< 0 when it is not known
};

} // namespace yolk
