// From finished code values to those of a monitor, through Little CMS.
#pragma once

#include "colour/icc.h"

#include <array>
#include <cstdint>
#include <mutex>

namespace yolk {

/// Converts sRGB-coded values of one of our output spaces to a monitor's code values, relative colorimetric.
/// Cheap to copy. Threads: any number may convert at once.
class MonitorTransform {
public:
    /// `monitor` is an ICC profile, matrix or table. Throws ArgumentError with the reason when it is none, or not RGB.
    /// With `proof`, colours first become what a file of that profile would hold.
    MonitorTransform(OutputSpace from, std::span<const std::byte> monitor, const TargetProfile *proof = nullptr);
    /// Interleaved RGB, 16 bit in and 8 bit out; both of the same length, a multiple of 3. By Little CMS, 16-bit input;
    /// within 1 of 255 of its own result in floats (a test).
    void convert(std::span<const uint16_t> rgb, std::span<uint8_t> out) const;

private:
    std::shared_ptr<void> transform_;
};

/// A monitor by its ICC profile. Threads: any number may ask at once.
class MonitorProfile {
public:
    MonitorProfile() = default; ///< a monitor that takes sRGB
    /// Throws as MonitorTransform.
    explicit MonitorProfile(std::vector<std::byte> profile);

    const std::string &name() const { return name_; }
    /// The smallest of our output spaces that holds the monitor's primaries: pictures are brought into it with their
    /// hue before the conversion cuts what is left. A profile without primaries (tables only) counts as sRGB.
    OutputSpace space() const { return space_; }
    /// Made when it is first asked for; null: the monitor takes these values as they are.
    const MonitorTransform *from(OutputSpace space) const;
    /// What pictures made within Rec. 2020 become in a file of that profile. Throws as MonitorTransform.
    std::shared_ptr<const MonitorTransform> proofOf(const TargetProfile &profile) const;

private:
    std::vector<std::byte> bytes_;
    std::string name_ = "sRGB";
    OutputSpace space_ = OutputSpace::Srgb;
    static constexpr size_t kSpaces = size_t(OutputSpace::Profile) + 1;
    mutable std::array<std::once_flag, kSpaces> made_;
    mutable std::array<std::unique_ptr<const MonitorTransform>, kSpaces> from_;
};

} // namespace yolk
