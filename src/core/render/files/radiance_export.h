// The merged light as a file.
#pragma once

#include "render/files/output.h"
#include "render/stages/merge_stage.h"

namespace yolk {

struct RadianceReport {
    long long negatives = 0; ///< pixels whose negative values the format could not keep
    long long tooBright = 0; ///< values that a half-float could not keep: they became 65504
    MergedPtr merged;        ///< what was written
};
/// Merges at full resolution and writes linear light in the primaries of recipe.radiance.space, 1.0 = clipping of the
/// anchor, as recipe.radiance says; HDR is Rec. 709 only. Throws as mergedOf; ArgumentError (format, HDR with other
/// primaries), OutputError. The file is complete or absent. Memory: a strip beyond the merge.
RadianceReport exportRadiance(const Sources &sources, const Recipe &recipe, const Measured &measured,
                              const std::string &path, ExecContext &ctx);

} // namespace yolk
