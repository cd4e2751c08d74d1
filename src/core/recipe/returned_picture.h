// The picture, or its light before tone, as another program gave it back.
#pragma once

#include "base/fields.h"

namespace yolk {

/// What is handed to another program: the finished picture, or the mended light.
enum class Handed { Picture, Light };

/// A file that stands for what was handed over. Later settings of what made that are not seen until it is handed over anew.
struct ReturnedPicture {
    std::string file; ///< path; empty: none
    std::string id;   ///< content id of the file, as frames have one
    std::string of;   ///< hash of all settings that made what was handed over
    std::string
        area; ///< that it shows: "x0 y0 x1 y1", full-resolution pixels of the picture's plane; light: of the reference frame
    bool isThere() const { return !file.empty(); }
    bool operator==(const ReturnedPicture &) const = default;
};

inline constexpr auto kReturnedFields = std::tuple{
    TextField<ReturnedPicture>{"file", &ReturnedPicture::file},
    TextField<ReturnedPicture>{"id", &ReturnedPicture::id},
    TextField<ReturnedPicture>{"of", &ReturnedPicture::of},
    TextField<ReturnedPicture>{"area", &ReturnedPicture::area},
};

} // namespace yolk
