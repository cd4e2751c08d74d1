// Hot loops are compiled twice, for the x86-64 baseline and for the level with AVX2 and FMA, and the processor chooses
// when the program starts; the build never assumes the builder's processor. (A model's name, as in arch=haswell, would
// choose that model only.) What such a loop calls must be inlined into it, and what it writes must not overlap what it
// reads.
#pragma once

#include <bit>
#include <cstdint>
#include <cstring>

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__) && !defined(YOLK_SANITIZE)
#define YOLK_MULTIVERSION __attribute__((target_clones("arch=x86-64-v3", "default")))
#else
#define YOLK_MULTIVERSION
#endif
#define YOLK_INLINE inline __attribute__((always_inline))

namespace yolk {

/// Eight values that are worked on together, for loops that the compiler does not see through; plain operators work on
/// all of them, and ?: chooses one by one.
using Float4 = float __attribute__((vector_size(16)));
using Float8 = float __attribute__((vector_size(32)));
using Int8 = int32_t __attribute__((vector_size(32)));
using Short8 = uint16_t __attribute__((vector_size(16)));
using Byte8 = uint8_t __attribute__((vector_size(8)));

template <class Vector = Float8> YOLK_INLINE Vector loaded(const float *from)
{
    Vector out;
    std::memcpy(&out, from, sizeof out);
    return out;
}
template <class Vector> YOLK_INLINE void store(Vector value, float *to)
{
    std::memcpy(to, &value, sizeof value);
}
YOLK_INLINE Float8 least(Float8 a, Float8 b)
{
    return a < b ? a : b;
}
YOLK_INLINE Float8 most(Float8 a, Float8 b)
{
    return a > b ? a : b;
}
/// Zeros between: the processors' way from 16 to 32 bits, which the compiler does not find in a conversion.
YOLK_INLINE Float8 floatsOf(Short8 values)
{
    const auto wide = __builtin_shufflevector(values, Short8{}, 0, 8, 1, 9, 2, 10, 3, 11, 4, 12, 5, 13, 6, 14, 7, 15);
    return __builtin_convertvector(std::bit_cast<Int8>(wide), Float8);
}

} // namespace yolk
