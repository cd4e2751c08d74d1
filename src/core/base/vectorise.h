// Hot loops are compiled twice, for the x86-64 baseline and for AVX2+FMA, and the processor chooses when the program
// starts; the build never assumes the builder's processor. What such a loop calls must be inlined into it.
#pragma once

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(YOLK_SANITIZE)
#define YOLK_MULTIVERSION __attribute__((target_clones("arch=haswell", "default")))
#else
#define YOLK_MULTIVERSION
#endif
#define YOLK_INLINE inline __attribute__((always_inline))
