#include "base/memory.h"

#include <algorithm>
#include <limits>
#include <malloc.h>
#include <unistd.h>

namespace yolk {

void keepFreedMemory()
{
    const long long machine = static_cast<long long>(sysconf(_SC_PHYS_PAGES)) * sysconf(_SC_PAGESIZE);
    mallopt(M_MMAP_MAX, 0); // a mapping of its own for each large block is what the system takes back at once
    mallopt(M_TRIM_THRESHOLD, int(std::clamp<long long>(machine / 16, 64 << 20, std::numeric_limits<int>::max())));
}

void giveBackFreedMemory()
{
    malloc_trim(0);
}

} // namespace yolk
