// Runners that bring out what depends on the order of work.
#pragma once

#include "base/exec_context.h"

#include <algorithm>
#include <numeric>
#include <random>
#include <vector>

namespace yolk::test {

/// All tasks on the calling thread, in an order that the seed shuffles.
class ShuffledRunner : public Runner {
public:
    explicit ShuffledRunner(unsigned seed) : random_(seed) {}
    void run(int count, const std::function<void(int)> &task) override
    {
        std::vector<int> order(size_t(count), 0);
        std::iota(order.begin(), order.end(), 0);
        std::ranges::shuffle(order, random_);
        std::ranges::for_each(order, task);
    }

private:
    std::mt19937 random_;
};

} // namespace yolk::test
