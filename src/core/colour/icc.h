// ICC profiles through Little CMS: what a file's code values mean, and the profiles that go into our files.
#pragma once

#include "colour/primaries.h"
#include "colour/transfer.h"

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

/// Spaces for finished pictures.
enum class OutputSpace {
    Srgb,
    DisplayP3,
    Rec2020, ///< these three are coded by the sRGB function
    OpRgb,
    Romm,
    Profile ///< that of an ICC profile from a file, from pictures made within Rec. 2020
};

const Primaries &primariesOf(OutputSpace space);
Transfer transferOf(OutputSpace space);
std::vector<std::byte> iccProfile(OutputSpace space);
/// Of any primaries. Throws ArgumentError: PQ, which is no share of white.
std::vector<std::byte> iccProfile(const Primaries &primaries, Transfer transfer, const std::string &description);
/// How an ICC profile brings in what it cannot hold. Source: [ICC1] 6.2.
enum class RenderingIntent { Perceptual, Relative, Saturation, Absolute };

/// A profile to be written with, and how colours come into it.
struct TargetProfile {
    std::vector<std::byte> bytes;
    RenderingIntent intent = RenderingIntent::Relative;
};
/// Reads an ICC file of RGB devices. Throws InputError: unreadable, no profile, not RGB, cannot be written with.
std::vector<std::byte> readTargetProfile(const std::string &path);

/// From linear Rec. 2020 in [0, 1] to the code values of a profile, through Little CMS in floats, with black point
/// compensation where the intent is relative. Cheap to copy. Threads: any number may convert at once.
class ProfileTransform {
public:
    explicit ProfileTransform(const TargetProfile &target); ///< Throws ArgumentError with the reason.
    /// Interleaved, three values a pixel, as many in as out; codes in [0, 1].
    void convert(std::span<const float> linear, std::span<float> codes) const;

private:
    std::shared_ptr<void> transform_;
};

/// For linear floating point files.
std::vector<std::byte> linearIccProfile(const Primaries &primaries, const std::string &description);

} // namespace yolk
