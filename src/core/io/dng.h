// Radiance as a DNG that stands alone: linear light that raw programs open like a frame of a camera.
#pragma once

#include "colour/primaries.h"
#include "io/radiance_ways.h"
#include "io/tiff.h"

namespace yolk {

struct DngOptions {
    DngSamples samples = DngSamples::Float;
    Primaries primaries = kRec2020;
    std::string camera; ///< the model that it names; empty: ours
    double peak = 1.0;  ///< the brightest light, which becomes the white level; brighter values are cut there
};

/// Rows of linear RGB, 1 = clipping of the anchor. They are divided by the peak, and BaselineExposure says by how many stops
/// to lighten them again; negative values become 0. Deflate with floating point prediction, or plain with horizontal one.
/// Throws ArgumentError (size, peak), OutputError. Leaves a partial file on error: write through AtomicFile.
/// Source: [DNG1.4] for the tags, chapter "Linear DNG" for their sense.
void writeDng(const std::string &path, int width, int height, const DngOptions &options, const FillRowReal &fill);

} // namespace yolk
