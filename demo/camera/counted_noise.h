// Random numbers from a counter: sample n of a seed is the same whoever asks for it, in any order.
#pragma once

#include <cmath>
#include <cstdint>
#include <numbers>

namespace yolk::demo {

/// SplitMix64 of a counter, a fixed hash. [Steele2014]
inline uint64_t hashed(uint64_t n)
{
    n += 0x9E3779B97F4A7C15ull;
    n = (n ^ (n >> 30)) * 0xBF58476D1CE4E5B9ull;
    n = (n ^ (n >> 27)) * 0x94D049BB133111EBull;
    return n ^ (n >> 31);
}

/// In [0, 1).
inline double uniform(uint64_t seed, uint64_t n)
{
    return double(hashed(seed * 0xD1342543DE82EF95ull + n) >> 11) * 0x1p-53;
}

/// Standard normal (Box-Muller).
inline double normal(uint64_t seed, uint64_t n)
{
    const double u = uniform(seed, 2 * n) + 0x1p-53, v = uniform(seed, 2 * n + 1);
    return std::sqrt(-2.0 * std::log(u)) * std::cos(2.0 * std::numbers::pi * v);
}

} // namespace yolk::demo
