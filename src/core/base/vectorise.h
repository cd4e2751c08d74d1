// Hot loops are compiled twice, for the x86-64 baseline and for the level with AVX2 and FMA, and the processor chooses
// when the program starts; the build never assumes the builder's processor. (A model's name, as in arch=haswell, would
// choose that model only.) What such a loop calls must be inlined into it, and what it writes must not overlap what it
// reads.
#pragma once

#include <bit>
#include <cstdint>
#include <cstring>

#if defined(__x86_64__) && defined(__GNUC__) && !defined(__clang__)
#define YOLK_CHOOSES_LEVEL
#endif
#if defined(YOLK_CHOOSES_LEVEL) && !defined(YOLK_SANITIZE) // sanitizers do not bear what the choice is made by
#define YOLK_MULTIVERSION __attribute__((target_clones("arch=x86-64-v3", "default")))
#else
#define YOLK_MULTIVERSION
#endif
/// For loops over Float16, where hasWideVectors(): without such processors the compiler takes them apart, value by
/// value.
#ifdef YOLK_CHOOSES_LEVEL
#define YOLK_WIDE_VECTORS __attribute__((target("arch=x86-64-v4")))
#else
#define YOLK_WIDE_VECTORS
#endif
#define YOLK_INLINE inline __attribute__((always_inline))

namespace yolk {

/// Values that are worked on together, for loops that the compiler does not see through; plain operators work on all of
/// them, and ?: chooses one by one.
using Float4 = float __attribute__((vector_size(16)));
using Float8 = float __attribute__((vector_size(32)));
using Float16 = float __attribute__((vector_size(64)));
using Int8 = int32_t __attribute__((vector_size(32)));
using Int16 = int32_t __attribute__((vector_size(64)));
using Short8 = uint16_t __attribute__((vector_size(16)));
using Short16 = uint16_t __attribute__((vector_size(32)));
using Byte8 = uint8_t __attribute__((vector_size(8)));
using Byte16 = uint8_t __attribute__((vector_size(16)));

/// As many integers as a vector has floats.
template <class Floats> struct With;
template <> struct With<Float8> {
    static constexpr int kCount = 8;
    using Ints = Int8;
    using Shorts = Short8;
    using Bytes = Byte8;
};
template <> struct With<Float16> {
    static constexpr int kCount = 16;
    using Ints = Int16;
    using Shorts = Short16;
    using Bytes = Byte16;
};

/// Whether the processor has vectors of 16 floats.
inline bool hasWideVectors()
{
#ifdef YOLK_CHOOSES_LEVEL
    return __builtin_cpu_supports("x86-64-v4");
#else
    return false;
#endif
}

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
template <class Floats> YOLK_INLINE Floats least(Floats a, Floats b)
{
    return a < b ? a : b;
}
template <class Floats> YOLK_INLINE Floats most(Floats a, Floats b)
{
    return a > b ? a : b;
}
template <class Floats = Float8> YOLK_INLINE Floats floatsOf(typename With<Floats>::Shorts values)
{
    using Ints = typename With<Floats>::Ints;
    if constexpr (With<Floats>::kCount == 8) {
        // Zeros between: the processors' way from 16 to 32 bits, which the compiler does not find in a conversion.
        const auto wide =
            __builtin_shufflevector(values, decltype(values){}, 0, 8, 1, 9, 2, 10, 3, 11, 4, 12, 5, 13, 6, 14, 7, 15);
        return __builtin_convertvector(std::bit_cast<Ints>(wide), Floats);
    } else {
        return __builtin_convertvector(__builtin_convertvector(values, Ints), Floats);
    }
}

} // namespace yolk
