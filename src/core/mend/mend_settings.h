// What is mended: spots and strokes that are filled with what lies elsewhere in the picture, or with what another frame
// shows; and dust on the sensor.
#pragma once

#include "base/fields.h"
#include "base/shared_list.h"

#include <array>
#include <string>
#include <tuple>
#include <type_traits>

namespace yolk {

enum class MendWay {
    Seamless, ///< detail of another place, under the light of this one
    Copy,     ///< as it lies there
    Woven,    ///< of many small pieces from all round
    Frame     ///< the same place in another frame
};

struct MendSpot {
    PointList points{};    ///< one is a spot, more are a stroke; pixels of the frame that it was drawn on
    std::string drawnOn{}; ///< content id of that frame
    double radius = 20.0;
    double sourceX = 0.0, sourceY = 0.0; ///< the way from there to what it is mended with
    double turn = 0.0;                   ///< of what it is mended with, degrees clockwise
    MendWay way = MendWay::Seamless;
    double weave = 0.0;                      ///< which of several ways to weave it
    std::string frame{};                     ///< of MendWay::Frame: content id
    double feather = 15.0, strength = 100.0; ///< percent; a wide feather blurs texture, two of which are mixed there
    bool on = true;
    bool operator==(const MendSpot &) const = default;
};
inline constexpr size_t kMostMendPoints = 4000, kMostMends = 2000, kMostDust = 2000;

/// Dust lies on the sensor: at the same pixel in all frames, whatever these show.
struct DustSpot {
    double x = 0.0, y = 0.0; ///< pixels of the frames
    double radius = 8.0;
    bool on = true;
    double depth = 0.0; ///< share of the light that it takes in its middle, less towards its rim; 0: not known
    bool operator==(const DustSpot &) const = default;
};

struct MendSettings {
    SharedList<MendSpot> spots; ///< later ones see what earlier ones mended
    SharedList<DustSpot> dust;
    bool operator==(const MendSettings &) const = default;
};

inline constexpr std::array kMendWays{
    Choice<MendWay>{MendWay::Seamless, "seamless", "Seamless",
                    "Takes the detail of the other place and keeps the light of this one"},
    Choice<MendWay>{MendWay::Copy, "copy", "Copy", "Takes the other place as it is"},
    Choice<MendWay>{MendWay::Woven, "woven", "Woven", "Weaves it of many small pieces from all round"},
    Choice<MendWay>{MendWay::Frame, "frame", "Frame", "Takes what another frame shows there"},
};

constexpr bool isFromPlace(const MendSpot &spot)
{
    return spot.way == MendWay::Seamless || spot.way == MendWay::Copy;
}
constexpr bool isWoven(const MendSpot &spot)
{
    return spot.way == MendWay::Woven;
}
constexpr bool isFromFrame(const MendSpot &spot)
{
    return spot.way == MendWay::Frame;
}
constexpr bool isPatched(const MendSpot &spot)
{
    return spot.way != MendWay::Frame;
}

inline constexpr double kMostWeaves = 8;

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
                                   "Where what is shown there comes from"},
    RealField<MendSpot>{"weave", &MendSpot::weave, 0, kMostWeaves - 1, 0, 1, 0, "", "Mend", "Weave",
                        "Which of several ways to weave it", isWoven},
    TextField<MendSpot>{"frame", &MendSpot::frame, isFromFrame},
    RealField<MendSpot>{"feather", &MendSpot::feather, 0, 100, 15, 1, 0, "", "Mend", "Feather",
                        "How soft the rim is, in percent of the radius", isPatched},
    RealField<MendSpot>{"strength", &MendSpot::strength, 0, 100, 100, 1, 0, "", "Mend", "Strength",
                        "How much of it is mended, in percent", isPatched},
    RealField<MendSpot>{"source_x", &MendSpot::sourceX, -20000, 20000, 0, 1, 1, "px", "Mend", "Source across",
                        "How far to the right what it is mended with lies", isFromPlace},
    RealField<MendSpot>{"source_y", &MendSpot::sourceY, -20000, 20000, 0, 1, 1, "px", "Mend", "Source down",
                        "How far below what it is mended with lies", isFromPlace},
    RealField<MendSpot>{"turn", &MendSpot::turn, -180, 180, 0, 1, 1, "\u00b0", "Mend", "Turn",
                        "Turns what it is mended with, clockwise", isFromPlace},
    SwitchField<MendSpot>{"on", &MendSpot::on, "Mend", "On", "Whether it is mended"},
};

inline constexpr auto kDustSpotFields = std::tuple{
    RealField<DustSpot>{"x", &DustSpot::x, -1e6, 1e6, 0, 1, 1, "px", "Dust", "Across", "Pixels of the frames"},
    RealField<DustSpot>{"y", &DustSpot::y, -1e6, 1e6, 0, 1, 1, "px", "Dust", "Down", "Pixels of the frames"},
    RealField<DustSpot>{"radius", &DustSpot::radius, 0.5, 1000, 8, 1, 1, "px", "Dust", "Size",
                        "Radius of the speck, in pixels of the frames"},
    RealField<DustSpot>{"depth", &DustSpot::depth, 0, 0.9, 0, 0.01, 3, "", "Dust", "Depth",
                        "Share of the light that it takes in its middle; 0: not known"},
    SwitchField<DustSpot>{"on", &DustSpot::on, "Dust", "On", "Whether it is mended"},
};

inline constexpr auto kMendFields = std::tuple{
    ListField<MendSettings, MendSpot, std::remove_const_t<decltype(kMendSpotFields)>, SharedList<MendSpot>>{
        "spots", &MendSettings::spots, &kMendSpotFields, kMostMends, nullptr, "Spots"},
};

/// What frames are prepared by: where its depth is known their light is given back. The merge reads it too.
inline constexpr auto kDustFields = std::tuple{
    ListField<MendSettings, DustSpot, std::remove_const_t<decltype(kDustSpotFields)>, SharedList<DustSpot>>{
        "dust", &MendSettings::dust, &kDustSpotFields, kMostDust, nullptr, "Dust"},
};

/// Whether it changes a pixel.
inline bool acts(const MendSpot &spot)
{
    if (!spot.on || spot.points.empty())
        return false;
    if (isFromFrame(spot))
        return !spot.frame.empty();
    return spot.strength > 0.0 && (isWoven(spot) || spot.sourceX != 0.0 || spot.sourceY != 0.0);
}

} // namespace yolk
