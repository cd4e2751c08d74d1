#include "render/files/written_metadata.h"

#include "base/leave.h"
#include "io/atomic_file.h"

namespace yolk {

void writeMetadata(const std::string &source, const std::string &temporary, const FinishedPicture &picture,
                   ExecContext &ctx)
{
    const auto held = heldPath(temporary);
    if (!held) { // a file with a name may not be left to it: it would come back
        ctx.throwIfStopped();
        return copyMetadata(source, temporary, picture);
    }
    waitOrLeave(ctx, [held, source, picture] { copyMetadata(source, *held, picture); });
}

} // namespace yolk
