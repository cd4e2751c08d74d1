// What another program gave back, as light.
#pragma once

#include "image/resample.h"
#include "recipe/returned_picture.h"

namespace yolk {

/// Linear Rec. 2020 of all that the file shows. Throws InputError (gone, another one, damaged), Cancelled.
Image<float> readReturned(const ReturnedPicture &returned, ExecContext &ctx);

/// The part of it that lies over `region`, in the pixels of ReturnedPicture::area, at a size; beyond what the file shows its
/// edge goes on. `whole` as readReturned() of it. Throws ArgumentError (area), Cancelled.
Image<float> partOfReturned(ImageView<const float> whole, const ReturnedPicture &returned, const RealRect &region,
                            int width, int height, ExecContext &ctx);

} // namespace yolk
