// Hot loops are compiled twice, for the x86-64 baseline and for the level with AVX2 and FMA, and the processor chooses
// when the program starts; the build never assumes the builder's processor. (A model's name, as in arch=haswell, would
// choose that model only.) What such a loop calls must be inlined into it, and what it writes must not overlap what it
// reads.
#pragma once

#include <cstdint>

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(YOLK_SANITIZE)
#define YOLK_MULTIVERSION __attribute__((target_clones("arch=x86-64-v3", "default")))
#else
#define YOLK_MULTIVERSION
#endif
#define YOLK_INLINE inline __attribute__((always_inline))

namespace yolk {

/// Eight values that are worked on together, for loops that the compiler does not see through; plain operators work on
/// all of them, and ?: chooses one by one.
using Float8 = float __attribute__((vector_size(32)));
using Int8 = int32_t __attribute__((vector_size(32)));
using Short8 = uint16_t __attribute__((vector_size(16)));
using Byte8 = uint8_t __attribute__((vector_size(8)));

} // namespace yolk
