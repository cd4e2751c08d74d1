// 128-bit content hashes (XXH3, package libxxhash-dev): the identity of files and of cached results.
#pragma once

#include <cstddef> // first: moc cannot read <compare> before it

#include <compare>
#include <cstdint>
#include <memory>
#include <span>
#include <string>
#include <string_view>
#include <type_traits>

namespace yolk {

struct Hash128 {
    uint64_t high = 0, low = 0;
    auto operator<=>(const Hash128 &) const = default;
    std::string hex() const; ///< 32 lower-case digits
};

/// Collects values and bytes into one hash. Equal sequences of calls give equal hashes.
class Hasher {
public:
    Hasher();
    ~Hasher();
    Hasher &bytes(std::span<const std::byte> data);
    Hasher &text(std::string_view text); ///< with its length, so that "ab","c" differs from "a","bc"
    template <class T> Hasher &value(const T &v)
    {
        static_assert(std::is_arithmetic_v<T> || std::is_enum_v<T>, "padding must not be hashed");
        return bytes(std::as_bytes(std::span(&v, 1)));
    }
    Hash128 finish() const;

private:
    struct State;
    std::unique_ptr<State> state_;
};

/// The hash of a file's bytes. Throws InputError when it cannot be read.
Hash128 hashFile(const std::string &path);

} // namespace yolk
