// What is mended: spots and strokes that are filled with what lies elsewhere in the picture.
#pragma once

#include "base/fields.h"
#include "base/shared_list.h"

#include <array>
#include <string>
#include <tuple>
#include <type_traits>

namespace yolk {

enum class MendWay {
    Seamless, ///< its detail, under the light of the place
    Copy      ///< as it lies there
};

struct MendSpot {
    PointList points{};    ///< one is a spot, more are a stroke; pixels of the frame that it was drawn on
    std::string drawnOn{}; ///< content id of that frame
    double radius = 20.0;
    double sourceX = 0.0, sourceY = 0.0; ///< the way from there to what it is mended with
    double turn = 0.0;                   ///< of what it is mended with, degrees clockwise
    MendWay way = MendWay::Seamless;
    double feather = 15.0, strength = 100.0; ///< percent; a wide feather blurs texture, two of which are mixed there
    bool on = true;
    bool operator==(const MendSpot &) const = default;
};
inline constexpr size_t kMostMendPoints = 4000, kMostMends = 2000;

struct MendSettings {
    SharedList<MendSpot> spots; ///< later ones see what earlier ones mended
    bool operator==(const MendSettings &) const = default;
};

inline constexpr std::array kMendWays{
    Choice<MendWay>{MendWay::Seamless, "seamless", "Seamless",
                    "Takes the detail of the other place and keeps the light of this one"},
    Choice<MendWay>{MendWay::Copy, "copy", "Copy", "Takes the other place as it is"},
};

inline constexpr auto kMendSpotFields = std::tuple{
    PointsField<MendSpot>{"points",
                          &MendSpot::points,
                          {-1e6, -1e6},
                          {1e6, 1e6},
                          1,
                          kMostMendPoints,
                          "Mend",
                          "Points",
                          "Pixels of the picture"},
    TextField<MendSpot>{"drawn_on", &MendSpot::drawnOn},
    RealField<MendSpot>{"radius", &MendSpot::radius, 1, 2000, 20, 1, 0, "px", "Mend", "Size",
                        "Radius of the spot, or half the width of the stroke, in pixels of the picture"},
    ChoiceField<MendSpot, MendWay>{"way", &MendSpot::way, kMendWays, "Mend", "How",
                                   "Whether the light of the place is kept"},
    RealField<MendSpot>{"feather", &MendSpot::feather, 0, 100, 15, 1, 0, "", "Mend", "Feather",
                        "How soft the rim is, in percent of the radius"},
    RealField<MendSpot>{"strength", &MendSpot::strength, 0, 100, 100, 1, 0, "", "Mend", "Strength",
                        "How much of it is mended, in percent"},
    RealField<MendSpot>{"source_x", &MendSpot::sourceX, -20000, 20000, 0, 1, 1, "px", "Mend", "Source across",
                        "How far to the right what it is mended with lies"},
    RealField<MendSpot>{"source_y", &MendSpot::sourceY, -20000, 20000, 0, 1, 1, "px", "Mend", "Source down",
                        "How far below what it is mended with lies"},
    RealField<MendSpot>{"turn", &MendSpot::turn, -180, 180, 0, 1, 1, "\u00b0", "Mend", "Turn",
                        "Turns what it is mended with, clockwise"},
    SwitchField<MendSpot>{"on", &MendSpot::on, "Mend", "On", "Whether it is mended"},
};

inline constexpr auto kMendFields = std::tuple{
    ListField<MendSettings, MendSpot, std::remove_const_t<decltype(kMendSpotFields)>, SharedList<MendSpot>>{
        "spots", &MendSettings::spots, &kMendSpotFields, kMostMends, nullptr, "Spots"},
};

/// Whether it changes a pixel.
inline bool acts(const MendSpot &spot)
{
    return spot.on && spot.strength > 0.0 && !spot.points.empty() && (spot.sourceX != 0.0 || spot.sourceY != 0.0);
}

} // namespace yolk
