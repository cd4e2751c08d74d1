// The path from frames to a finished picture, as the window walks it.
#pragma once

namespace yolk {

enum class Step { Frames, Merge, Mend, Tone, Colour, Finish, Areas, Geometry, Export };

inline constexpr int kSteps = int(Step::Export) + 1;

} // namespace yolk
