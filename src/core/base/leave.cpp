#include "base/leave.h"

#include <chrono>
#include <future>
#include <memory>
#include <system_error>
#include <thread>
#include <utility>

namespace yolk {

void waitOrLeave(ExecContext &ctx, std::function<void()> work)
{
    constexpr auto kLook = std::chrono::milliseconds(5);
    ctx.throwIfStopped();
    const auto task = std::make_shared<std::packaged_task<void()>>(std::move(work));
    std::future<void> done = task->get_future();
    try {
        std::thread([task] { (*task)(); }).detach();
    } catch (const std::system_error &) { // no thread to be had
        (*task)();
    }
    while (done.wait_for(kLook) != std::future_status::ready)
        ctx.throwIfStopped();
    done.get();
}

} // namespace yolk
