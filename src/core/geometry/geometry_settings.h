// The frame around the picture.
#pragma once

#include "base/fields.h"

#include <array>
#include <tuple>

namespace yolk {

enum class CropMode { Whole, Common };

struct GeometrySettings {
    CropMode crop = CropMode::Whole;
    bool operator==(const GeometrySettings &) const = default;
};

inline constexpr std::array kCropModes{
    Choice<CropMode>{CropMode::Whole, "whole", "Whole frame",
                     "All of the reference frame; edges may come from few frames"},
    Choice<CropMode>{CropMode::Common, "common", "Common area", "Only what all frames in use show"},
};

inline constexpr auto kGeometryFields = std::tuple{
    ChoiceField<GeometrySettings, CropMode>{"crop", &GeometrySettings::crop, kCropModes, "Crop", "Crop",
                                            "What of the reference frame is kept"},
};

} // namespace yolk
