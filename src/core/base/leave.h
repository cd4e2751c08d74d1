// Work that cannot be stopped, and that nobody has to wait for.
#pragma once

#include "base/exec_context.h"

#include <functional>

namespace yolk {

/// Calls `work` on a thread of its own and waits for it; when a stop is asked for, it is left to end by itself and what it
/// did or threw is forgotten. So it must own all that it uses. Throws Cancelled, some milliseconds after the stop, and what
/// `work` throws.
void waitOrLeave(ExecContext &ctx, std::function<void()> work);

} // namespace yolk
