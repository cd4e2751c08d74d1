// ICC profiles through Little CMS: what a file's code values mean, and the profiles that go into our files.
#pragma once

#include "colour/primaries.h"

#include <cstddef>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace yolk {

/// How to come from a file's code values to linear light: one curve per channel, then one matrix.
struct CodeValues {
    std::string name;     ///< of the profile
    bool assumed = false; ///< no profile was embedded
    std::array<std::vector<float>, 3>
        curves;                ///< code value i / (n - 1) to linear 0..1, n = 4096; monotone; none for raw
    Matrix3 toRec2020;         ///< linear RGB of the file to linear Rec. 2020
    Vector3 neutral{1, 1, 1};  ///< linear RGB of the file that stands for white; the largest is 1
    Vector3 daylight{1, 1, 1}; ///< linear RGB that D65 leaves on a white surface; the largest is 1
    bool operator==(const CodeValues &) const = default;
};

/// sRGB, for files that carry no profile.
const CodeValues &assumedSrgb();

/// Reads an RGB matrix profile or a grey profile. An empty span gives assumedSrgb().
/// Throws ArgumentError with the reason when the bytes are no profile, or one of another kind (lookup tables, CMYK).
CodeValues codeValuesOf(std::span<const std::byte> profile);

/// Spaces for finished pictures; all are coded with the sRGB transfer function.
enum class OutputSpace { Srgb, DisplayP3, Rec2020 };

const Primaries &primariesOf(OutputSpace space);
std::vector<std::byte> iccProfile(OutputSpace space);
/// For linear floating point files.
std::vector<std::byte> linearIccProfile(const Primaries &primaries, const std::string &description);

} // namespace yolk
