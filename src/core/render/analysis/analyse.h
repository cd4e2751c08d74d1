// Measuring a set: what is found once of it.
#pragma once

#include "render/set/measured.h"

namespace yolk {

/// Measures a set: exposures, response, noise, fringes, motions, whites, anchor, start of the tone.
/// Throws InputError, ArgumentError (no frames), Cancelled.
Measured analyse(const Sources &sources, const Recipe &recipe, ExecContext &ctx);
/// The same from what is known of the frames already: motions, whites, anchor and start of the tone are found for it.
Measured analyseWith(const Sources &sources, const Recipe &recipe, const MeasuredSet &known, ExecContext &ctx);

} // namespace yolk
