// What the pixels of each frame say before anything is merged. Works on reduced decodes of a fixed size, so that the
// result does not depend on what is being rendered.
#pragma once

#include "frames/frame.h"

#include <functional>
#include <memory>
#include <span>
#include <vector>

namespace yolk {

enum class ExposureSource {
    Stated,    ///< from metadata
    Estimated, ///< from pixels that this frame and a neighbour both hold
    Assumed,   ///< neither was possible: taken as equal to the frame before it
};

struct MeasuredFrame {
    std::string id;        ///< of the frame
    double exposure = 1.0; ///< relative exposure t * ISO / N^2; for a set without metadata relative to its first frame
    ExposureSource source = ExposureSource::Stated;
    double clippedShare = 0.0; ///< of the pixels: some channel at clipping
    double darkShare = 0.0;    ///< of the pixels: green below a signal-to-noise ratio of 1
    bool operator==(const MeasuredFrame &) const = default;
};

/// How a frame comes to its reduced pixels: decodeFrame(), or a cache in front of it.
using DecodedPtr = std::shared_ptr<const Image<uint16_t>>;
using Decode = std::function<DecodedPtr(const Frame &frame, int reduction, ExecContext &ctx)>;

/// Measures each frame, in the order given. Frames without stated exposure are chained by the median ratio of pixels
/// that lie well inside the range of two frames of neighbouring brightness; frames of other sizes are not compared.
/// Throws InputError, Cancelled. Memory: 6 bytes for some 0.4 million pixels per frame.
std::vector<MeasuredFrame> measureFrames(std::span<const FramePtr> frames, const Decode &decode, ExecContext &ctx);

} // namespace yolk
