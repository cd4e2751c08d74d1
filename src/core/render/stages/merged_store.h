// Merges on the disk, so that work that is opened again shows its full picture at once. It may be deleted at any time.
#pragma once

#include "base/exec_context.h"
#include "base/hash.h"
#include "render/stages/merge_stage.h"

#include <optional>
#include <string>

namespace yolk {

/// A folder of one file a merge, without loss, named after what it was made from. What was used longest ago goes first.
/// Thread-safe; several processes may share a folder.
class MergedStore {
public:
    MergedStore(std::string folder, size_t limitBytes) : folder_(std::move(folder)), limit_(limitBytes) {}

    /// Empty where there is none, or one that is not what was written. Throws Cancelled. Memory: its pixels once; the
    /// file is mapped.
    std::optional<MergedSet> find(const Hash128 &key, ExecContext &ctx) const;
    bool holds(const Hash128 &key) const;
    /// What is larger than the limit is not kept. Throws OutputError, Cancelled; then nothing was written.
    void keep(const Hash128 &key, const MergedSet &set, ExecContext &ctx) const;
    size_t bytes() const; ///< on the disk
    void clear() const;

private:
    std::string pathOf(const Hash128 &key) const;
    void makeRoom(size_t bytes) const;
    std::string folder_;
    size_t limit_;
};

/// Keeps what the cache of the set holds of the plan's merge: in full and as reduced, and what layers are found from.
/// Throws OutputError, Cancelled.
void keepMerged(const RenderPlan &plan, ExecContext &ctx);

} // namespace yolk
