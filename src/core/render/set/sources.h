// A set of frames, and what is kept of it.
#pragma once

#include "base/exec_context.h"
#include "frames/frame.h"
#include "image/resample.h"
#include "render/set/stage_cache.h"

#include <memory>
#include <vector>

namespace yolk {

class MergedStore;

/// The frames of one set and the cache of their results. Cheap to copy; shared between threads.
struct Sources {
    std::vector<FramePtr> frames; ///< in the order given
    std::shared_ptr<StageCache> cache;
    bool keepFrames = false; ///< full decodes stay in the cache, so that a change of weights decodes nothing again
    std::shared_ptr<StageCache> views{};        ///< of resampled views, which panning makes many of; null: in `cache`
    std::shared_ptr<const MergedStore> store{}; ///< of merges on the disk; null: none
};

/// The reduction whose decoded picture has at most some 1.3 megapixels: the first picture, and all measuring.
int previewReduction(const Sources &sources);

using PicturePtr = std::shared_ptr<const Image<float>>;

} // namespace yolk
