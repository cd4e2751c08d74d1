#include "render/stages/merged_store.h"

#include "base/errors.h"
#include "io/atomic_file.h"

#include <algorithm>
#include <array>
#include <cstring>
#include <fcntl.h>
#include <filesystem>
#include <fstream>
#include <sys/mman.h>
#include <sys/stat.h>
#include <system_error>
#include <unistd.h>
#include <vector>

namespace yolk {
namespace {

namespace fs = std::filesystem;

constexpr std::string_view kMagic = "yolk merge 1\n";
constexpr std::string_view kSuffix = ".merge";
constexpr int kLongestSide = 1 << 17; // pixels; also the most of anything else that is counted
constexpr size_t kHashBytes = 16;
constexpr size_t kChunk = size_t(8) << 20; // between two looks at the stop token

/// A merge that is not what was written.
struct Damaged {};

// ---- one description of what is in a file, for writing and for reading

class Writer {
public:
    Writer(std::ofstream &file, ExecContext &ctx) : file_(file), ctx_(ctx) {}
    void bytes(const void *data, size_t size)
    {
        sinceLook_ += size;
        if (sinceLook_ > kChunk) {
            ctx_.throwIfStopped();
            sinceLook_ = 0;
        }
        hasher_.bytes({static_cast<const std::byte *>(data), size});
        file_.write(static_cast<const char *>(data), std::streamsize(size));
    }
    size_t count(size_t size)
    {
        const uint64_t written = size;
        bytes(&written, sizeof written);
        return size;
    }
    Hash128 finish() const { return hasher_.finish(); }

private:
    std::ofstream &file_;
    ExecContext &ctx_;
    Hasher hasher_;
    size_t sinceLook_ = 0;
};

class Reader {
public:
    Reader(std::span<const std::byte> data, ExecContext &ctx) : rest_(data), ctx_(ctx) {}
    void bytes(void *out, size_t size)
    {
        if (size > rest_.size())
            throw Damaged();
        if (size > 0)
            std::memcpy(out, rest_.data(), size);
        rest_ = rest_.subspan(size);
    }
    size_t count(size_t)
    {
        uint64_t read = 0;
        bytes(&read, sizeof read);
        if (read > rest_.size() || read > uint64_t(kLongestSide))
            throw Damaged();
        return size_t(read);
    }
    bool atEnd() const { return rest_.empty(); }
    size_t left() const { return rest_.size(); }
    void look() { ctx_.throwIfStopped(); }

private:
    std::span<const std::byte> rest_;
    ExecContext &ctx_;
};

template <class T>
    requires std::is_arithmetic_v<T> || std::is_enum_v<T>
void visit(Writer &to, const T &value)
{
    to.bytes(&value, sizeof value);
}
template <class T>
    requires std::is_arithmetic_v<T> || std::is_enum_v<T>
void visit(Reader &from, T &value)
{
    if constexpr (std::is_same_v<T, bool>) {
        uint8_t byte = 0;
        from.bytes(&byte, 1);
        value = byte != 0;
    } else {
        from.bytes(&value, sizeof value);
    }
}

template <class T> void visit(Writer &to, const Image<T> &image)
{
    const Shape shape = image.shape();
    visit(to, shape.width);
    visit(to, shape.height);
    visit(to, shape.planes);
    for (int plane = 0; plane < shape.planes; ++plane)
        for (int y = 0; y < shape.height; ++y)
            to.bytes(image.row(plane, y), size_t(shape.width) * sizeof(T));
}
template <class T> void visit(Reader &from, Image<T> &image)
{
    Shape shape;
    visit(from, shape.width);
    visit(from, shape.height);
    visit(from, shape.planes);
    for (const int side : {shape.width, shape.height, shape.planes})
        if (side < 0 || side > kLongestSide)
            throw Damaged();
    const size_t rowBytes = size_t(shape.width) * sizeof(T);
    const size_t rows = size_t(shape.height) * size_t(shape.planes);
    if (rowBytes > 0 && rows > from.left() / rowBytes)
        throw Damaged();
    image = Image<T>(shape, Fill::Anything);
    for (int plane = 0; plane < shape.planes; ++plane)
        for (int y = 0; y < shape.height; ++y) {
            if (y % kBandRows == 0)
                from.look();
            from.bytes(image.row(plane, y), rowBytes);
        }
}

// S is the struct, constant where it is written.
template <class S, class T>
concept Is = std::is_same_v<std::remove_const_t<S>, T>;

template <class A, class C>
    requires requires(C &list)
    {
        list.size();
        list.begin();
    }
void visit(A &archive, C &list);
template <class A, Is<Registration> S> void visit(A &archive, S &r);
template <class A, Is<FrameAlignment> S> void visit(A &archive, S &alignment);
template <class A, Is<Agreement> S> void visit(A &archive, S &agreement);
template <class A, Is<MovedPlace> S> void visit(A &archive, S &place);

template <class A, class... T> void visitAll(A &archive, T &...values)
{
    (visit(archive, values), ...);
}

template <class A, class C>
    requires requires(C &list)
    {
        list.size();
        list.begin();
    }
void visit(A &archive, C &list) // text too
{
    const size_t size = archive.count(list.size());
    if constexpr (!std::is_const_v<C>)
        list.resize(size);
    for (auto &item : list)
        visit(archive, item);
}
template <class A, Is<Registration> S> void visit(A &archive, S &r)
{
    for (auto &m : r.transform.m.m)
        visit(archive, m);
    visitAll(archive, r.model, r.residual, r.agreement, r.overlap, r.fit, r.places);
}
template <class A, Is<FrameAlignment> S> void visit(A &archive, S &alignment)
{
    visitAll(archive, alignment.found, alignment.toReference);
}
template <class A, Is<Agreement> S> void visit(A &archive, S &agreement)
{
    visitAll(archive, agreement.share, agreement.differenceEv, agreement.sigmas);
}
template <class A, Is<MovedPlace> S> void visit(A &archive, S &place)
{
    visitAll(archive, place.area.x0, place.area.y0, place.area.x1, place.area.y1, place.pixels, place.frame,
             place.counts, place.keeperHolds, place.slight, place.byHand, place.removed);
}
/// All but what the reference frame says of itself.
template <class A, Is<MergedSet> S> void visit(A &archive, S &set)
{
    visitAll(archive, set.pixels.radiance, set.pixels.variance, set.pixels.shares, set.pixels.clipped, set.reduction,
             set.fullWidth, set.fullHeight, set.frameIds, set.clippedShare, set.agreement, set.alignment, set.believed,
             set.movement.keeper, set.movement.places, set.movement.cell, set.movement.cells, set.movement.standing,
             set.movement.grids, set.seconds);
}

std::array<uint64_t, 2> numbersOf(const Hash128 &hash)
{
    return {hash.high, hash.low};
}

/// A file as bytes, for as long as it lives.
class Mapped {
public:
    explicit Mapped(const std::string &path)
    {
        const int file = open(path.c_str(), O_RDONLY | O_CLOEXEC);
        struct stat status {};
        if (file < 0)
            return;
        if (fstat(file, &status) == 0 && status.st_size > 0) {
            void *data = mmap(nullptr, size_t(status.st_size), PROT_READ, MAP_PRIVATE, file, 0);
            if (data != MAP_FAILED)
                bytes_ = {static_cast<const std::byte *>(data), size_t(status.st_size)};
        }
        close(file);
    }
    ~Mapped()
    {
        if (!bytes_.empty())
            munmap(const_cast<std::byte *>(bytes_.data()), bytes_.size());
    }
    Mapped(const Mapped &) = delete;
    Mapped &operator=(const Mapped &) = delete;
    std::span<const std::byte> bytes() const { return bytes_; }

private:
    std::span<const std::byte> bytes_;
};

/// The hash of all that stands before it.
bool isWhole(std::span<const std::byte> file, ExecContext &ctx)
{
    if (file.size() < kHashBytes)
        return false;
    Hasher hasher;
    const size_t size = file.size() - kHashBytes;
    for (size_t at = 0; at < size; at += kChunk) {
        ctx.throwIfStopped();
        hasher.bytes(file.subspan(at, std::min(kChunk, size - at)));
    }
    const auto found = numbersOf(hasher.finish());
    return std::memcmp(file.data() + size, found.data(), kHashBytes) == 0;
}

} // namespace

std::string MergedStore::pathOf(const Hash128 &key) const
{
    return folder_ + "/" + key.hex() + std::string(kSuffix);
}

bool MergedStore::holds(const Hash128 &key) const
{
    std::error_code ignored;
    return fs::exists(pathOf(key), ignored);
}

std::optional<MergedSet> MergedStore::find(const Hash128 &key, ExecContext &ctx) const
{
    const std::string path = pathOf(key);
    const Mapped file(path);
    const size_t head = kMagic.size() + kHashBytes;
    if (file.bytes().size() < head + kHashBytes || std::memcmp(file.bytes().data(), kMagic.data(), kMagic.size()) != 0)
        return std::nullopt;
    const auto wanted = numbersOf(key); // a file may have been renamed
    if (std::memcmp(file.bytes().data() + kMagic.size(), wanted.data(), kHashBytes) != 0 || !isWhole(file.bytes(), ctx))
        return std::nullopt;
    MergedSet out;
    try {
        Reader reader(file.bytes().subspan(head, file.bytes().size() - head - kHashBytes), ctx);
        visit(reader, out);
        if (!reader.atEnd())
            return std::nullopt;
    } catch (const Damaged &) {
        return std::nullopt;
    }
    std::error_code ignored;
    fs::last_write_time(path, fs::file_time_type::clock::now(), ignored); // was used now
    return out;
}

void MergedStore::keep(const Hash128 &key, const MergedSet &set, ExecContext &ctx) const
{
    if (set.bytes() > limit_ || holds(key))
        return;
    std::error_code failed;
    fs::create_directories(folder_, failed);
    makeRoom(set.bytes());
    writeAtomically(
        pathOf(key),
        [&](const std::string &temporary) {
            std::ofstream file(temporary, std::ios::binary | std::ios::trunc);
            Writer writer(file, ctx);
            writer.bytes(kMagic.data(), kMagic.size());
            const auto name = numbersOf(key);
            writer.bytes(name.data(), kHashBytes);
            visit(writer, set);
            const auto hash = numbersOf(writer.finish());
            file.write(reinterpret_cast<const char *>(hash.data()), std::streamsize(kHashBytes));
            file.flush();
            if (!file)
                throw OutputError(temporary, "cannot be written: is the disk full?");
        },
        Durability::Renamed);
}

namespace {

struct KeptMerge {
    fs::path path;
    size_t bytes;
    fs::file_time_type used;
};

std::vector<KeptMerge> mergesIn(const std::string &folder)
{
    std::vector<KeptMerge> out;
    std::error_code failed;
    for (const fs::directory_entry &entry : fs::directory_iterator(folder, failed)) {
        std::error_code gone; // another process may delete at any time
        const size_t bytes = entry.path().extension() == kSuffix ? size_t(entry.file_size(gone)) : 0;
        const fs::file_time_type used = entry.last_write_time(gone);
        if (bytes > 0 && !gone)
            out.push_back({entry.path(), bytes, used});
    }
    return out;
}

} // namespace

void MergedStore::makeRoom(size_t bytes) const
{
    std::vector<KeptMerge> kept = mergesIn(folder_);
    std::ranges::sort(kept, {}, &KeptMerge::used);
    size_t used = bytes;
    for (const KeptMerge &merge : kept)
        used += merge.bytes;
    for (auto oldest = kept.begin(); used > limit_ && oldest != kept.end(); ++oldest) {
        std::error_code ignored;
        fs::remove(oldest->path, ignored);
        used -= oldest->bytes;
    }
}

size_t MergedStore::bytes() const
{
    size_t out = 0;
    for (const KeptMerge &merge : mergesIn(folder_))
        out += merge.bytes;
    return out;
}

void MergedStore::clear() const
{
    std::error_code ignored;
    for (const KeptMerge &merge : mergesIn(folder_))
        fs::remove(merge.path, ignored);
}

void keepMerged(const RenderPlan &plan, ExecContext &ctx)
{
    const auto &store = plan.sources.store;
    if (!store || plan.reference().isRadiance())
        return;
    const int preview = previewReduction(plan.sources);
    const Recipe layers = layersRecipe(plan.recipe);
    const RenderPlan below(plan.sources, plan.measured, layers);
    for (const Hash128 &key : {below.mergedKey(preview), plan.mergedKey(preview), plan.mergedKey(1)})
        if (const auto held = plan.sources.cache->held<MergedSet>(key))
            store->keep(key, *held, ctx);
}

} // namespace yolk
