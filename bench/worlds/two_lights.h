// Rooms between a lamp and a window: worlds that two lights share, with how much of each falls on every place.
#pragma once

#include "worlds/leaves.h"

#include "frames/white_balance.h"

namespace yolk::worlds {

struct TwoLights {
    Image<float> seen;         ///< linear Rec. 709, with the noise of a merge
    Image<float> white;        ///< the same under one white light, without noise
    Image<float> lamp;         ///< one plane: share of the lamp in the luminance that falls there
    Image<uint8_t> grey;       ///< 1 where the surface is neutral
    WhitePoint lampLight, day; ///< as they are
    Vector3 lampPick, dayPick; ///< what a photographer finds by clicking something neutral near each
};

/// Grey and coloured things of all sizes, some woods and skins among them; the lamp falls off from a place, daylight from
/// a side, and every thing turns its own way towards them.
TwoLights twoLightsOf(uint64_t seed, int width, int height, ExecContext &ctx);

/// How well two clicks did.
struct TwoLightsVerdict {
    double greys = 0.0;                          ///< share of the neutral pixels within CIEDE2000 3 of neutral at L* 60
    double underLamp = 0.0, underDay = 0.0;      ///< of those on which more than half is lamp, or daylight
    double oneLight = 0.0;                       ///< the same share where daylight alone is made white
    double colours = 0.0, coloursOneLight = 0.0; ///< median CIEDE2000 of coloured places to what they are
};
TwoLightsVerdict judgeTwoLights(const TwoLights &world, ExecContext &ctx);

} // namespace yolk::worlds
