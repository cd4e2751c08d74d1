// Metadata on its way into a file that is being written.
#pragma once

#include "base/exec_context.h"
#include "io/metadata.h"

#include <string>

namespace yolk {

/// copyMetadata() into the temporary file of an AtomicFile. A stop is obeyed at once, though a whole TIFF is rewritten and
/// nothing can stop that. Throws OutputError, Cancelled.
void writeMetadata(const std::string &source, const std::string &temporary, const FinishedPicture &picture,
                   ExecContext &ctx);

} // namespace yolk
