// The path from frames to a finished picture, as the window walks it.
#pragma once

namespace yolk {

enum class Step { Frames, Merge, Tone, Colour, Finish, Areas, Geometry, Export };

} // namespace yolk
