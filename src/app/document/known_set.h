// What is known of a set before it is opened, so that opening does not measure it again.
#pragma once

#include "frames/frame.h"
#include "render/set/measured.h"

#include <algorithm>
#include <memory>
#include <span>
#include <string>
#include <vector>

namespace yolk::app {

struct KnownSet {
    std::vector<std::string> ids;             ///< of the frames, in the order of `measured`
    std::shared_ptr<const Measured> measured; ///< null: nothing is known

    bool isOf(std::span<const FramePtr> frames) const ///< in this order
    {
        return measured && std::ranges::equal(frames, ids, {}, [](const FramePtr &f) { return f->id; });
    }
};

} // namespace yolk::app
