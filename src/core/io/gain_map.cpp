#include "io/gain_map.h"

#include "base/errors.h"
#include "base/text.h"

#include <algorithm>
#include <cmath>
#include <cstdint>
#include <iterator>
#include <string_view>

namespace yolk {
namespace {

// Identifiers of the public form; readers look for them.
constexpr std::string_view kIso = "urn:iso:std:iso:ts:21496:-1";
constexpr std::string_view kXmp = "http://ns.adobe.com/xap/1.0/";

/// Bytes of a file being put together, most significant first.
class Bytes {
public:
    void add(std::span<const std::byte> bytes) { std::ranges::copy(bytes, std::back_inserter(all_)); }
    void text(std::string_view text) { add(std::as_bytes(std::span(text))); }
    void u8(unsigned v) { all_.push_back(std::byte(v)); }
    void u16(unsigned v)
    {
        u8(v >> 8 & 255);
        u8(v & 255);
    }
    void u32(uint32_t v)
    {
        u16(v >> 16);
        u16(v & 0xffff);
    }
    /// Numerator and denominator.
    void fraction(double v)
    {
        constexpr uint32_t kDenominator = 1000000;
        u32(uint32_t(int32_t(std::lround(v * kDenominator))));
        u32(kDenominator);
    }
    const std::vector<std::byte> &all() const { return all_; }

private:
    std::vector<std::byte> all_;
};

Bytes segment(unsigned marker, const Bytes &content)
{
    Bytes out;
    out.u8(0xFF);
    out.u8(marker);
    out.u16(unsigned(content.all().size()) + 2);
    out.add(content.all());
    return out;
}

constexpr unsigned kApp1 = 0xE1, kApp2 = 0xE2;

/// The layout of the standard's metadata, from memory: versions, flags, headrooms, then for each channel least, most,
/// gamma and both offsets.
Bytes isoSegment(const GainMap *map)
{
    Bytes content;
    content.text(kIso);
    content.u8(0);
    content.u16(0); // the version that a reader must know
    content.u16(0); // the one that wrote it
    if (map) {
        constexpr unsigned kManyChannels = 0x80, kColoursOfBase = 0x40;
        content.u8(kManyChannels | kColoursOfBase);
        content.fraction(0.0); // stops from which on the map counts
        content.fraction(map->headroom);
        for (size_t c = 0; c < 3; ++c)
            for (const double v : {map->least[c], map->most[c], map->gamma, map->offset, map->offset})
                content.fraction(v);
    }
    return segment(kApp2, content);
}

std::string packetOf(const std::string &inside)
{
    return "<?xpacket begin=\"\xEF\xBB\xBF\" id=\"W5M0MpCehiHzreSzNTczkc9d\"?>"
           "<x:xmpmeta xmlns:x=\"adobe:ns:meta/\"><rdf:RDF xmlns:rdf=\"http://www.w3.org/1999/02/22-rdf-syntax-ns#\">" +
           inside + "</rdf:RDF></x:xmpmeta><?xpacket end=\"w\"?>";
}

std::string listOf(const char *name, const std::array<double, 3> &values)
{
    std::string out = textOf("<hdrgm:%s><rdf:Seq>", name);
    for (const double v : values)
        out += textOf("<rdf:li>%.6f</rdf:li>", v);
    return out + textOf("</rdf:Seq></hdrgm:%s>", name);
}

std::string mapXmp(const GainMap &map)
{
    return packetOf(
        textOf("<rdf:Description rdf:about=\"\" xmlns:hdrgm=\"http://ns.adobe.com/hdr-gain-map/1.0/\" "
               "hdrgm:Version=\"1.0\" hdrgm:Gamma=\"%.6f\" hdrgm:OffsetSDR=\"%.6f\" hdrgm:OffsetHDR=\"%.6f\" "
               "hdrgm:HDRCapacityMin=\"0\" hdrgm:HDRCapacityMax=\"%.6f\" hdrgm:BaseRenditionIsHDR=\"False\">",
               map.gamma, map.offset, map.offset, map.headroom) +
        listOf("GainMapMin", map.least) + listOf("GainMapMax", map.most) + "</rdf:Description>");
}

/// Where further segments of ours may stand: behind the first ones for applications.
size_t behindFirstSegments(std::span<const std::byte> jpeg)
{
    const auto at = [&](size_t i) { return unsigned(jpeg[i]); };
    if (jpeg.size() < 4 || at(0) != 0xFF || at(1) != 0xD8)
        throw ArgumentError("gain map: what it is joined to is no JPEG");
    size_t i = 2;
    while (i + 4 <= jpeg.size() && at(i) == 0xFF && (at(i + 1) == 0xE0 || at(i + 1) == 0xE1))
        i += 2 + (at(i + 2) << 8 | at(i + 3));
    if (i > jpeg.size())
        throw ArgumentError("gain map: what it is joined to is a damaged JPEG");
    return i;
}

/// Two pictures, the second behind the first; offsets count from the byte order mark.
Bytes indexSegment(size_t firstBytes, size_t secondBytes, size_t secondAt)
{
    Bytes content;
    content.text(std::string_view("MPF\0", 4));
    content.text(std::string_view("MM\0*", 4));
    content.u32(8); // where the directory starts
    content.u16(3); // entries
    const auto entry = [&](unsigned tag, unsigned type, uint32_t count) {
        content.u16(tag);
        content.u16(type);
        content.u32(count);
    };
    constexpr unsigned kUndefined = 7, kLong = 4;
    entry(0xB000, kUndefined, 4); // version
    content.text("0100");
    entry(0xB001, kLong, 1); // pictures
    content.u32(2);
    entry(0xB002, kUndefined, 32); // their list, behind the directory
    constexpr uint32_t kListAt = 8 + 2 + 3 * 12 + 4;
    content.u32(kListAt);
    content.u32(0); // no further directory
    constexpr uint32_t kPrimary = 0x00030000;
    content.u32(kPrimary);
    content.u32(uint32_t(firstBytes));
    content.u32(0);
    content.u32(0); // depends on nothing
    content.u32(0);
    content.u32(uint32_t(secondBytes));
    content.u32(uint32_t(secondAt));
    content.u32(0);
    return segment(kApp2, content);
}

} // namespace

std::string gainMapDirectoryXmp(size_t mapBytes)
{
    return packetOf(
        textOf("<rdf:Description rdf:about=\"\" xmlns:hdrgm=\"http://ns.adobe.com/hdr-gain-map/1.0/\" "
               "xmlns:Container=\"http://ns.google.com/photos/1.0/container/\" "
               "xmlns:Item=\"http://ns.google.com/photos/1.0/container/item/\" hdrgm:Version=\"1.0\">"
               "<Container:Directory><rdf:Seq>"
               "<rdf:li rdf:parseType=\"Resource\"><Container:Item Item:Semantic=\"Primary\" "
               "Item:Mime=\"image/jpeg\"/></rdf:li>"
               "<rdf:li rdf:parseType=\"Resource\"><Container:Item Item:Semantic=\"GainMap\" Item:Mime=\"image/jpeg\" "
               "Item:Length=\"%zu\"/></rdf:li>"
               "</rdf:Seq></Container:Directory></rdf:Description>",
               mapBytes));
}

std::vector<std::byte> withGainMapMetadata(std::span<const std::byte> mapJpeg, const GainMap &map)
{
    Bytes xmp;
    xmp.text(kXmp);
    xmp.u8(0);
    xmp.text(mapXmp(map));
    const size_t at = behindFirstSegments(mapJpeg);
    Bytes out;
    out.add(mapJpeg.first(at));
    out.add(segment(kApp1, xmp).all());
    out.add(isoSegment(&map).all());
    out.add(mapJpeg.subspan(at));
    return out.all();
}

std::vector<std::byte> joinedWithMap(std::span<const std::byte> standard, std::span<const std::byte> map)
{
    const size_t at = behindFirstSegments(standard);
    const Bytes iso = isoSegment(nullptr);
    const size_t indexBytes = indexSegment(0, 0, 0).all().size();
    const size_t first = standard.size() + iso.all().size() + indexBytes;
    constexpr size_t kToMark = 4 + 4; // marker, length and name before the byte order mark
    const size_t markAt = at + iso.all().size() + kToMark;
    Bytes out;
    out.add(standard.first(at));
    out.add(iso.all());
    out.add(indexSegment(first, map.size(), first - markAt).all());
    out.add(standard.subspan(at));
    out.add(map);
    return out.all();
}

} // namespace yolk
