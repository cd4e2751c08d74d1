#include "render/stage_cache.h"

namespace yolk {

StageCache::Value StageCache::find(const Hash128 &key)
{
    const std::scoped_lock lock(mutex_);
    const auto found = index_.find(key);
    if (found == index_.end())
        return nullptr;
    entries_.splice(entries_.begin(), entries_, found->second);
    return found->second->value;
}

StageCache::Value StageCache::keep(const Hash128 &key, Value value, size_t bytes)
{
    const std::scoped_lock lock(mutex_);
    if (const auto found = index_.find(key); found != index_.end())
        return found->second->value;
    if (bytes > capacity_)
        return value;
    entries_.push_front({key, value, bytes});
    index_[key] = entries_.begin();
    used_ += bytes;
    while (used_ > capacity_) {
        used_ -= entries_.back().bytes;
        index_.erase(entries_.back().key);
        entries_.pop_back();
    }
    return value;
}

size_t StageCache::bytes() const
{
    const std::scoped_lock lock(mutex_);
    return used_;
}

} // namespace yolk
