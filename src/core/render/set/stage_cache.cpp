#include "render/set/stage_cache.h"

#include "base/errors.h"

#include <chrono>

namespace yolk {

StageCache::Value StageCache::fetch(const Hash128 &key, ExecContext &ctx, const Make &make)
{
    constexpr std::chrono::milliseconds kLook(100); // how often who waits passes on the progress
    for (;;) {
        std::unique_lock lock(mutex_);
        if (Value found = find(key))
            return found;
        auto &place = flights_[key];
        if (!place) {
            const auto flight = place = std::make_shared<Flight>();
            lock.unlock();
            return lead(key, flight, ctx, make);
        }
        const std::shared_ptr<Flight> flight = place;
        // One that nobody wanted any more is on its way out: it is made anew after it.
        const bool joins = flight->wantedBy > 0;
        flight->wantedBy += joins;
        while (!flight->landed && !ctx.stopRequested()) {
            landed_.wait_for(lock, ctx.stopToken(), kLook, [&] { return flight->landed; });
            const double progress = flight->progress;
            lock.unlock();
            ctx.report(progress);
            lock.lock();
        }
        const bool landed = flight->landed;
        lock.unlock();
        if (!landed) {
            if (joins)
                leave(*flight);
            throw Cancelled();
        }
        if (joins && flight->value)
            return flight->value;
        if (joins && flight->error)
            std::rethrow_exception(flight->error);
    }
}

StageCache::Value StageCache::lead(const Hash128 &key, const std::shared_ptr<Flight> &flight, ExecContext &ctx,
                                   const Make &make)
{
    Value value;
    std::exception_ptr error;
    {
        const std::stop_callback stopped(ctx.stopToken(), [&] { leave(*flight); });
        ExecContext own(ctx.runner(), flight->stop.get_token(), [&](double p) {
            flight->progress = p;
            ctx.report(p);
        });
        try {
            auto [made, bytes] = make(own);
            ++made_;
            const std::scoped_lock lock(mutex_);
            value = keep(key, std::move(made), bytes);
        } catch (...) {
            error = std::current_exception();
        }
    }
    {
        const std::scoped_lock lock(mutex_);
        flight->value = value;
        flight->error = error;
        flight->landed = true;
        flights_.erase(key);
    }
    landed_.notify_all();
    if (error)
        std::rethrow_exception(error);
    return value;
}

/// One fewer wants it; the last one ends it. Outside the lock, as ending it runs what hangs on the token.
void StageCache::leave(Flight &flight)
{
    bool last = false;
    {
        const std::scoped_lock lock(mutex_);
        last = --flight.wantedBy == 0;
    }
    if (last)
        flight.stop.request_stop();
}

StageCache::Value StageCache::find(const Hash128 &key)
{
    const auto found = index_.find(key);
    if (found == index_.end())
        return nullptr;
    entries_.splice(entries_.begin(), entries_, found->second);
    return found->second->value;
}

StageCache::Value StageCache::keep(const Hash128 &key, Value value, size_t bytes)
{
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
