#include "io/metadata.h"

#include "base/errors.h"

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

void copyMetadata(const std::string &source, const std::string &target, const FinishedPicture &picture)
{
    const std::scoped_lock guard(lock());
    Exiv2::ExifData taken;
    try {
        const auto from = Exiv2::ImageFactory::open(source);
        from->readMetadata();
        taken = from->exifData();
    } catch (const std::exception &) {
        // Nothing to copy; size and software below are still written.
    }
    try {
        const auto to = Exiv2::ImageFactory::open(target);
        to->readMetadata();
        Exiv2::ExifData &exif = to->exifData(); // a TIFF's own tags say how its pixels lie and must stay
        for (const Exiv2::Exifdatum &datum : taken)
            if (isAboutThePicture(datum))
                exif[datum.key()] = datum.value();
        exif["Exif.Image.Orientation"] = uint16_t(1);
        exif["Exif.Image.Software"] = picture.software;
        exif["Exif.Photo.PixelXDimension"] = uint32_t(picture.width);
        exif["Exif.Photo.PixelYDimension"] = uint32_t(picture.height);
        to->writeMetadata();
    } catch (const std::exception &e) {
        throw OutputError(target, std::string("its metadata could not be written: ") + e.what());
    }
}

} // namespace yolk
