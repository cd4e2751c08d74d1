// What was measured of a set, as text and as an identity.
#pragma once

#include "base/hash.h"
#include "render/set/measured.h"

#include <string>

namespace yolk {

/// JSON; numbers come back bit for bit.
std::string measuredText(const Measured &measured);

/// Throws ArgumentError: no such text, written by a newer process than kProcessVersion, the path of a bad value. What
/// an older one measured is read as it stands; its processVersion says so.
Measured parseMeasured(const std::string &text);

/// Identity of all that decoding, aligning and merging read of it.
Hash128 generationOf(const Measured &measured);

} // namespace yolk
