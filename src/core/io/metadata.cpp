#include "io/metadata.h"

#include "base/errors.h"
#include "io/tiff_p.h"

#include <exiv2/exiv2.hpp>

#include <cmath>
#include <mutex>

namespace yolk {
namespace {

// exiv2's XMP part is not reentrant, so all calls share one lock.
std::mutex &lock()
{
    static std::mutex mutex;
    static const bool silenced = [] {
        Exiv2::LogMsg::setLevel(Exiv2::LogMsg::mute);
        return true;
    }();
    static_cast<void>(silenced);
    return mutex;
}

std::optional<double> numberOf(const Exiv2::ExifData &exif, const char *key, bool mustBePositive = true)
{
    const auto found = exif.findKey(Exiv2::ExifKey(key));
    if (found == exif.end() || found->count() == 0)
        return std::nullopt;
    double value = 0.0; // 0/0 and 1/0 fall out below
    if (const auto *unsignedValue = dynamic_cast<const Exiv2::URationalValue *>(&found->value())) {
        const auto [numerator, denominator] = unsignedValue->value_[0]; // may pass what the signed reading holds
        value = double(numerator) / double(denominator);
    } else {
        const auto [numerator, denominator] = found->toRational(0);
        value = double(numerator) / double(denominator);
    }
    if (!std::isfinite(value) || (mustBePositive && value <= 0.0))
        return std::nullopt;
    return value;
}

std::string wordsOf(const Exiv2::ExifData &exif, const char *key)
{
    const auto found = exif.findKey(Exiv2::ExifKey(key));
    if (found == exif.end())
        return {};
    std::string text = found->toString();
    text.resize(std::min(text.find('\0'), text.size()));
    const size_t end = text.find_last_not_of(' ');
    return end == std::string::npos ? std::string() : text.substr(0, std::min<size_t>(end + 1, 200));
}

// What is copied: who, when and how it was taken. Not what describes the source's pixels, its thumbnail or the
// maker's private notes.
bool isAboutThePicture(const Exiv2::Exifdatum &datum)
{
    const std::string group = datum.groupName(), tag = datum.tagName();
    if (group == "Image")
        return tag == "Make" || tag == "Model" || tag == "DateTime" || tag == "Artist" || tag == "Copyright" ||
               tag == "ImageDescription";
    return group == "GPSInfo" || (group == "Photo" && tag != "MakerNote" && tag != "ColorSpace");
}

} // namespace

Metadata readMetadata(const std::string &path)
{
    const std::scoped_lock guard(lock());
    Metadata out;
    try {
        // Raw files in boxes (ISO base media, ISO/IEC 14496-12) are read only when that is asked for.
        [[maybe_unused]] static const bool boxes = Exiv2::enableBMFF(true);
        if (Exiv2::ImageFactory::getType(path) == Exiv2::ImageType::none)
            return out; // a format without such data
        const auto image = Exiv2::ImageFactory::open(path);
        image->readMetadata();
        const Exiv2::ExifData &exif = image->exifData();
        out.exposureSeconds = numberOf(exif, "Exif.Photo.ExposureTime");
        out.shutterApex = numberOf(exif, "Exif.Photo.ShutterSpeedValue", false);
        out.fNumber = numberOf(exif, "Exif.Photo.FNumber");
        out.iso = numberOf(exif, "Exif.Photo.ISOSpeedRatings");
        out.focalLength = numberOf(exif, "Exif.Photo.FocalLength");
        out.focalLength35 = numberOf(exif, "Exif.Photo.FocalLengthIn35mmFilm");
        out.camera = wordsOf(exif, "Exif.Image.Model");
        out.lens = wordsOf(exif, "Exif.Photo.LensModel");
        out.dateTime = wordsOf(exif, "Exif.Photo.DateTimeOriginal");
        if (const std::string part = wordsOf(exif, "Exif.Photo.SubSecTimeOriginal"); !part.empty())
            out.dateTime += "." + part;
        if (const auto turn = numberOf(exif, "Exif.Image.Orientation"); turn && *turn >= 1.0 && *turn <= 8.0)
            out.turned = Orientation(int(*turn));
    } catch (const std::exception &) {
        out.problem = "what the file says of its exposure is damaged and was not read in full";
    }
    return out;
}

void complete(Metadata &m, const Metadata &other)
{
    const auto fill = [](auto &to, const auto &from) {
        if (!to)
            to = from;
    };
    fill(m.exposureSeconds, other.exposureSeconds);
    fill(m.fNumber, other.fNumber);
    fill(m.iso, other.iso);
    fill(m.focalLength, other.focalLength);
    fill(m.focalLength35, other.focalLength35);
    fill(m.turned, other.turned);
    if (m.camera.empty())
        m.camera = other.camera;
    if (m.dateTime.empty())
        m.dateTime = other.dateTime;
}

namespace {

Exiv2::ExifData exifOf(const std::string &source)
{
    try {
        const auto from = Exiv2::ImageFactory::open(source);
        from->readMetadata();
        return from->exifData();
    } catch (const std::exception &) {
        return {}; // nothing to copy; size and software are still written
    }
}

/// ASCII as Exif asks; what is not becomes a question mark there, and stays whole in XMP.
std::string asciiOf(const std::string &text)
{
    std::string out;
    for (const char c : text)
        if ((c & 0xC0) != 0x80) // further bytes of a character
            out += (c & 0x80) ? '?' : c;
    return out;
}

void fillExif(Exiv2::ExifData &exif, const std::string &source, const FinishedPicture &picture)
{
    if (picture.kept != KeptMetadata::None)
        for (const Exiv2::Exifdatum &datum : exifOf(source))
            if (isAboutThePicture(datum) &&
                (picture.kept == KeptMetadata::All || datum.groupName() != std::string("GPSInfo")))
                exif[datum.key()] = datum.value();
    exif["Exif.Image.Orientation"] = uint16_t(1);
    exif["Exif.Image.Software"] = picture.software;
    exif["Exif.Photo.PixelXDimension"] = uint32_t(picture.width);
    exif["Exif.Photo.PixelYDimension"] = uint32_t(picture.height);
    if (!picture.copyright.empty())
        exif["Exif.Image.Copyright"] = asciiOf(picture.copyright);
    if (!picture.caption.empty())
        exif["Exif.Image.ImageDescription"] = asciiOf(picture.caption);
    if (picture.pixelsPerInch > 0.0) {
        const Exiv2::Rational perInch(int32_t(std::lround(picture.pixelsPerInch * 100.0)), 100);
        exif["Exif.Image.XResolution"] = perInch;
        exif["Exif.Image.YResolution"] = perInch;
        exif["Exif.Image.ResolutionUnit"] = uint16_t(2); // inches
    }
}

void fillXmp(Exiv2::XmpData &xmp, const FinishedPicture &picture)
{
    if (!picture.xmp.empty() && Exiv2::XmpParser::decode(xmp, picture.xmp) != 0)
        throw ArgumentError("metadata: what is to be added is no XMP packet");
    const auto setText = [&](const char *key, const std::string &text) {
        if (text.empty())
            return;
        const Exiv2::Value::AutoPtr value = Exiv2::Value::create(Exiv2::langAlt);
        value->read("lang=\"x-default\" " + text);
        xmp.add(Exiv2::XmpKey(key), value.get());
    };
    setText("Xmp.dc.rights", picture.copyright);
    setText("Xmp.dc.description", picture.caption);
    if (picture.rating > 0)
        xmp["Xmp.xmp.Rating"] = picture.rating;
}

} // namespace

MetadataBlobs metadataFor(const std::string &source, const FinishedPicture &picture)
{
    const std::scoped_lock guard(lock());
    Exiv2::ExifData exif;
    fillExif(exif, source, picture);
    Exiv2::XmpData xmp;
    fillXmp(xmp, picture);
    MetadataBlobs out;
    Exiv2::Blob blob;
    Exiv2::ExifParser::encode(blob, Exiv2::littleEndian, exif);
    const auto *first = reinterpret_cast<const std::byte *>(blob.data());
    out.exif.assign(first, first + blob.size());
    if (!xmp.empty() && Exiv2::XmpParser::encode(out.xmp, xmp, Exiv2::XmpParser::useCompactFormat) != 0)
        throw ArgumentError("metadata: it cannot be written as XMP");
    return out;
}

void copyMetadata(const std::string &source, const std::string &target, const FinishedPicture &picture)
{
    const std::scoped_lock guard(lock());
    if (picture.pixelsPerInch > 0.0 && Exiv2::ImageFactory::getType(target) == Exiv2::ImageType::tiff)
        setResolution(target, picture.pixelsPerInch); // exiv2 leaves a TIFF's own as it is
    try {
        const auto to = Exiv2::ImageFactory::open(target);
        to->readMetadata();
        fillExif(to->exifData(), source, picture); // a TIFF's own tags say how its pixels lie and must stay
        fillXmp(to->xmpData(), picture);
        to->writeMetadata();
    } catch (const std::exception &e) {
        throw OutputError(target, std::string("its metadata could not be written: ") + e.what());
    }
}

} // namespace yolk
