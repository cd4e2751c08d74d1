// Metadata through exiv2: what a frame says of its exposure, and carrying it into finished files.
#pragma once

#include <cstddef>
#include <optional>
#include <string>
#include <vector>

namespace yolk {

/// Exif orientation, values as in the tag: how the stored picture must be turned to stand upright.
enum class Orientation {
    Upright = 1,
    Mirrored,
    UpsideDown,
    MirroredUpsideDown,
    MirroredTurnedLeft,
    TurnRight,
    MirroredTurnedRight,
    TurnLeft
};

struct Metadata {
    std::optional<double> exposureSeconds;           ///< as marked (ExposureTime)
    std::optional<double> shutterApex;               ///< ShutterSpeedValue, log2(1 / s), often finer
    std::optional<double> fNumber, iso, focalLength; ///< focalLength in mm
    std::optional<double> focalLength35;             ///< of the same view on a frame of 36 x 24 mm, mm
    std::string camera, lens, dateTime; ///< dateTime as Exif writes it, "2026:05:01 06:12:00", with a fraction if known
    std::optional<Orientation> turned;  ///< as the file says; empty: it does not
    std::string problem;                ///< why what the file says of itself cannot be read, in words; empty: it can
    Orientation orientation() const { return turned.value_or(Orientation::Upright); }
    bool operator==(const Metadata &) const = default;
};

/// Missing or senseless values (zero, negative, infinite) are left empty; of a file whose metadata cannot be read
/// stays what came before the damage, and `problem` says so. Never throws for the file's sake. Thread-safe; calls run one after the other, as exiv2 asks.
Metadata readMetadata(const std::string &path);

/// Fills in what is missing.
void complete(Metadata &metadata, const Metadata &other);

/// What of a frame's metadata goes into a finished file.
enum class KeptMetadata { All, NoPlace, None };

/// What sits in a finished file besides the copied metadata.
struct FinishedPicture {
    int width = 0, height = 0;
    std::string software;
    KeptMetadata kept = KeptMetadata::All;
    std::string copyright = {}, caption = {}; ///< UTF-8; empty: those of the source, where they are kept
    int rating = 0;                           ///< 0: none; written as XMP
    double pixelsPerInch = 0.0;               ///< 0: not said
    std::string xmp = {};                     ///< a packet whose properties are added; empty: none
};

/// The same as two blobs, for formats whose writers take those.
struct MetadataBlobs {
    std::vector<std::byte> exif; ///< a TIFF stream
    std::string xmp;             ///< a packet
};
/// Throws ArgumentError: an XMP packet that is none.
MetadataBlobs metadataFor(const std::string &source, const FinishedPicture &picture);

/// Copies the Exif data of `source` into the JPEG, PNG or TIFF `target`, upright, with its new size and without the old
/// thumbnail and maker notes. Metadata of `source` that cannot be read is left out. Throws OutputError.
void copyMetadata(const std::string &source, const std::string &target, const FinishedPicture &picture);

} // namespace yolk
