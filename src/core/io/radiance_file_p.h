// Shared by the codecs of radiance files.
#pragma once

#include "io/codec.h"
#include "io/radiance_file.h"

#include <cstring>

namespace yolk {

/// Calls `work`; what the libraries throw becomes an error of type E with the path and `reason`, or their own words
/// when that is empty.
template <class E, class Work> auto translated(const std::string &path, const char *reason, Work &&work)
{
    try {
        return work();
    } catch (const Error &) {
        throw;
    } catch (const std::bad_alloc &) {
        throw;
    } catch (const std::exception &e) {
        throw E(path, *reason ? reason : e.what());
    }
}

template <size_t N> bool startsWith(std::span<const std::byte> head, const char (&magic)[N])
{
    return head.size() >= N - 1 && std::memcmp(head.data(), magic, N - 1) == 0;
}

PictureInfo radianceInfo(Shape shape, const Primaries &primaries);
void deliver(const RadianceFile &file, const RowSink &sink, ExecContext &ctx);

/// Throws ArgumentError unless a picture of this shape can be written.
void checkRgb(Shape shape, const std::string &path);
/// Fills strips from a picture that stands in memory.
FillStrip copying(ImageView<const float> rgb);
/// So many that a stop takes effect soon: packing them takes a tenth of a second at most.
inline constexpr int kStripRows = 16;
/// Calls fill for strips of kStripRows rows and hands each one on.
void forEachStrip(int width, int height, bool variance, int shares, const FillStrip &fill, const FillStrip &use);

} // namespace yolk
