// Results of the stages, kept under the hash of what they were made from. The least recently used go first.
#pragma once

#include "base/hash.h"

#include <cstddef>
#include <functional>
#include <list>
#include <map>
#include <memory>
#include <mutex>

namespace yolk {

class StageCache {
public:
    explicit StageCache(size_t capacityBytes) : capacity_(capacityBytes) {}

    /// The value under `key`, made by `make` when it is missing. Made outside the lock; when two threads make the same
    /// value the first one stored stays. What is larger than the whole cache is handed out but not kept.
    /// Thread-safe. Exceptions of `make` pass through and leave nothing.
    template <class T>
    std::shared_ptr<const T> get(const Hash128 &key, const std::function<T()> &make,
                                 const std::function<size_t(const T &)> &bytes)
    {
        if (auto found = find(key))
            return std::static_pointer_cast<const T>(found);
        auto made = std::make_shared<const T>(make());
        return std::static_pointer_cast<const T>(keep(key, made, bytes(*made)));
    }
    size_t bytes() const;

private:
    using Value = std::shared_ptr<const void>;
    struct Entry {
        Hash128 key;
        Value value;
        size_t bytes;
    };
    Value find(const Hash128 &key);
    Value keep(const Hash128 &key, Value value, size_t bytes);

    mutable std::mutex mutex_;
    std::list<Entry> entries_; // newest use first
    std::map<Hash128, std::list<Entry>::iterator> index_;
    size_t capacity_, used_ = 0;
};

} // namespace yolk
