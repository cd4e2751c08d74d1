// How files of radiance keep their values: what settings choose from.
#pragma once

namespace yolk {

enum class RadiancePixels { Float, Half };
enum class RadianceCompression { None, Zip, Piz };
enum class DngSamples { Float, Whole }; ///< 32-bit floating point, or whole numbers of 16 bits for readers without it

} // namespace yolk
