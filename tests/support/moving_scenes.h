// Scenes in which something moves from frame to frame, with the truth of each state.
#pragma once

#include "image/image.h"

#include <string>
#include <vector>

namespace yolk::test {

/// What a tripod sees: one radiance picture for each state, linear Rec. 709, and where they differ.
struct MovingScene {
    std::string name;
    std::vector<Image<float>> states;
    Image<uint8_t> mask; ///< 255 where a channel of two states differs by more than 2 %
};

enum class Moving {
    SmallFast, ///< a disc of a hundredth of the width that leaps
    LargeSlow, ///< a quarter of the width, by less than its size
    Clouds,    ///< soft-edged, brighter and darker by less than a stop
    Doorway,   ///< dark before light that clips in all but the darkest frames
    Leaves,    ///< some hundred small ones, each by less than its size
    Lamp,      ///< so bright that only the darker frames hold it
};
inline constexpr Moving kAllMoving[]{Moving::SmallFast, Moving::LargeSlow, Moving::Clouds,
                                     Moving::Doorway,   Moving::Leaves,    Moving::Lamp};

/// Over the demo scene, of its size divided by `reduction`; `states` of them.
MovingScene movingScene(Moving kind, int states, int reduction = 1);

/// The demo scene with its things in state 0..4, seen from the tripod's place; the mask is where any of them is or its
/// shadow.
MovingScene movingDemo();

} // namespace yolk::test
