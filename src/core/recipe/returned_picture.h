// The finished picture as another program gave it back.
#pragma once

#include "base/fields.h"

namespace yolk {

/// A file that stands for the picture from where it was handed over on. Later settings act on what was handed over and are
/// not seen until that is done anew.
struct ReturnedPicture {
    std::string file; ///< path; empty: none
    std::string id;   ///< content id of the file, as frames have one
    std::string of;   ///< hash of all settings that made what was handed over
    std::string area; ///< that it shows: "x0 y0 x1 y1", full-resolution pixels of the picture's plane
    bool operator==(const ReturnedPicture &) const = default;
};

inline constexpr auto kReturnedFields = std::tuple{
    TextField<ReturnedPicture>{"file", &ReturnedPicture::file},
    TextField<ReturnedPicture>{"id", &ReturnedPicture::id},
    TextField<ReturnedPicture>{"of", &ReturnedPicture::of},
    TextField<ReturnedPicture>{"area", &ReturnedPicture::area},
};

} // namespace yolk
