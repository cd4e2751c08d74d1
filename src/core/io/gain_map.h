// A JPEG that carries a second picture: by how much each pixel is brighter on a screen that can show it.
#pragma once

#include <array>
#include <cstddef>
#include <span>
#include <string>
#include <vector>

namespace yolk {

/// How the codes of a gain map are read. With g = min + (max - min) code^(1 / gamma), code in [0, 1], for each channel:
/// HDR = (standard + offset) 2^(g w) - offset, both linear with white 1, w the share of the headroom that a screen has.
/// Source: [ISO21496-1].
struct GainMap {
    std::array<double, 3> least{}, most{}; ///< log2 of gains
    double gamma = 1.0, offset = 1.0 / 64.0;
    double headroom = 1.0; ///< stops above white from which on w is 1
};

/// The packet that goes into the standard picture: that there is a map, and how many bytes long it is.
std::string gainMapDirectoryXmp(size_t mapBytes);
/// A map as a file of its own: a JPEG with what its codes mean, in the form of the standard and as XMP.
std::vector<std::byte> withGainMapMetadata(std::span<const std::byte> mapJpeg, const GainMap &map);
/// Standard picture and map in one file, which other programs show as the standard picture. Source of the index of
/// pictures: [CIPA-DC-007]. Throws ArgumentError when `standard` is no JPEG.
std::vector<std::byte> joinedWithMap(std::span<const std::byte> standard, std::span<const std::byte> map);

} // namespace yolk
