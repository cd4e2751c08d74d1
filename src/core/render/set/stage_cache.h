// Results of the stages, kept under the hash of what they were made from. The least recently used go first.
#pragma once

#include "base/exec_context.h"
#include "base/hash.h"

#include <atomic>
#include <condition_variable>
#include <cstddef>
#include <functional>
#include <list>
#include <map>
#include <memory>
#include <mutex>

namespace yolk {

/// What a key in the cache is of: the first thing that is hashed into it, so that keys of two stages never meet.
enum class StageKey : int {
    Decoded,
    Prepared,
    Aligned,
    Merge,
    Mend,
    Level,
    Mixture,
    Scene,
    Survey,
    Adjusted,
    LookAt,
    Layers,
    BlendScene,
    Blend,
    Lights,
    BlendLights,
    Strokes,
    Edges,
    Masks,
    Returned
};

class StageCache {
public:
    explicit StageCache(size_t capacityBytes) : capacity_(capacityBytes) {}

    /// The value under `key`, made by `make` when it is missing. It is made once however many ask for it at a time: who
    /// comes second waits, and sees the progress. A stop ends the waiting at once, but the making only when nobody else
    /// waits for it. What is larger than the whole cache is handed out but not kept.
    /// Thread-safe. Exceptions of `make` pass through to all who wait and leave nothing; Cancelled.
    template <class T>
    std::shared_ptr<const T> get(const Hash128 &key, ExecContext &ctx, const std::function<T(ExecContext &)> &make,
                                 const std::function<size_t(const T &)> &bytes)
    {
        return std::static_pointer_cast<const T>(fetch(key, ctx, [&](ExecContext &own) {
            auto made = std::make_shared<const T>(make(own));
            const size_t size = bytes(*made);
            return std::pair<Value, size_t>(std::move(made), size);
        }));
    }
    /// The value under `key` where there is one; nothing is made.
    template <class T> std::shared_ptr<const T> held(const Hash128 &key)
    {
        const std::scoped_lock lock(mutex_);
        return std::static_pointer_cast<const T>(find(key));
    }
    size_t bytes() const;
    /// How many values were made so far.
    int madeCount() const { return made_; }

private:
    using Value = std::shared_ptr<const void>;
    using Make = std::function<std::pair<Value, size_t>(ExecContext &)>;
    struct Entry {
        Hash128 key;
        Value value;
        size_t bytes;
    };
    /// A value that is being made, and who wants it.
    struct Flight {
        std::stop_source stop;
        int wantedBy = 1;
        bool landed = false;
        std::atomic<double> progress{0.0};
        Value value;
        std::exception_ptr error;
    };
    Value fetch(const Hash128 &key, ExecContext &ctx, const Make &make);
    Value lead(const Hash128 &key, const std::shared_ptr<Flight> &flight, ExecContext &ctx, const Make &make);
    void leave(Flight &flight);
    Value find(const Hash128 &key);
    Value keep(const Hash128 &key, Value value, size_t bytes);

    mutable std::mutex mutex_;
    std::condition_variable_any landed_;
    std::map<Hash128, std::shared_ptr<Flight>> flights_;
    std::list<Entry> entries_; // newest use first
    std::map<Hash128, std::list<Entry>::iterator> index_;
    size_t capacity_, used_ = 0;
    std::atomic<int> made_{0};
};

} // namespace yolk
