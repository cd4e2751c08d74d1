#include "io/quiet_p.h"

#include <cstdio>
#include <fcntl.h>
#include <mutex>
#include <unistd.h>

namespace yolk {
namespace {

std::mutex mutex;
int living = 0, kept = -1; // the real standard error while any lives

} // namespace

Quiet::Quiet()
{
    const std::scoped_lock lock(mutex);
    if (living++ > 0)
        return;
    std::fflush(stderr);
    kept = fcntl(STDERR_FILENO, F_DUPFD_CLOEXEC, 10);
    const int nothing = open("/dev/null", O_WRONLY | O_CLOEXEC);
    if (kept >= 0 && nothing >= 0)
        dup2(nothing, STDERR_FILENO);
    if (nothing >= 0)
        close(nothing);
}

Quiet::~Quiet()
{
    const std::scoped_lock lock(mutex);
    if (--living > 0 || kept < 0)
        return;
    std::fflush(stderr);
    dup2(kept, STDERR_FILENO);
    close(kept);
    kept = -1;
}

} // namespace yolk
