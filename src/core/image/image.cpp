#include "image/image.h"

#include <sys/mman.h>

namespace yolk {

void askForLargePages(void *block, size_t bytes)
{
    constexpr size_t kLarge = size_t(8) << 20, kPage = 4096;
    if (bytes < kLarge)
        return;
    const auto first = (reinterpret_cast<uintptr_t>(block) + kPage - 1) / kPage * kPage;
    madvise(reinterpret_cast<void *>(first), (bytes - kPage) / kPage * kPage, MADV_HUGEPAGE);
}

} // namespace yolk
