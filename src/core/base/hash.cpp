#include "base/hash.h"

#include "base/errors.h"
#include "base/text.h"

#include <cerrno>
#include <cstdio>
#include <cstring>
#include <vector>
#include <xxhash.h>

namespace yolk {

struct Hasher::State {
    XXH3_state_t *xxh = XXH3_createState();
    State() { XXH3_128bits_reset(xxh); }
    ~State() { XXH3_freeState(xxh); }
};

std::string Hash128::hex() const
{
    return textOf("%016llx%016llx", static_cast<unsigned long long>(high), static_cast<unsigned long long>(low));
}

Hasher::Hasher() : state_(std::make_unique<State>())
{
}
Hasher::~Hasher() = default;

Hasher &Hasher::bytes(std::span<const std::byte> data)
{
    XXH3_128bits_update(state_->xxh, data.data(), data.size());
    return *this;
}

Hasher &Hasher::text(std::string_view text)
{
    value(text.size());
    return bytes(std::as_bytes(std::span(text)));
}

Hash128 Hasher::finish() const
{
    const XXH128_hash_t hash = XXH3_128bits_digest(state_->xxh);
    return {hash.high64, hash.low64};
}

Hash128 hashFile(const std::string &path)
{
    const std::unique_ptr<FILE, int (*)(FILE *)> file(std::fopen(path.c_str(), "rb"), &std::fclose);
    if (!file)
        throw InputError(path, std::strerror(errno));
    Hasher hasher;
    std::vector<std::byte> buffer(1 << 20);
    while (const size_t got = std::fread(buffer.data(), 1, buffer.size(), file.get()))
        hasher.bytes(std::span(buffer).first(got));
    if (std::ferror(file.get()))
        throw InputError(path, std::strerror(errno));
    return hasher.finish();
}

} // namespace yolk
