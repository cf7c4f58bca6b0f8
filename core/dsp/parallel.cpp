#include "core/dsp/parallel.hpp"

#include <algorithm>
#include <atomic>
#include <exception>
#include <mutex>
#include <thread>
#include <vector>

namespace rt {

std::size_t worker_count() {
    return std::max(1U, std::thread::hardware_concurrency());
}

void in_parallel(std::size_t count, const std::function<void(std::size_t)>& work) {
    const std::size_t workers = std::min(count, worker_count());
    if (workers <= 1) {
        for (std::size_t i = 0; i < count; ++i) work(i);
        return;
    }
    std::atomic<std::size_t> next{0};
    std::exception_ptr trouble;
    std::mutex guard;
    const auto labour = [&] {
        for (std::size_t i = next++; i < count; i = next++) {
            try {
                work(i);
            } catch (...) {
                const std::lock_guard lock(guard);
                if (!trouble) trouble = std::current_exception();
                next = count;
            }
        }
    };
    {
        std::vector<std::jthread> others;
        for (std::size_t i = 1; i < workers; ++i) others.emplace_back(labour);
        labour();
    }
    if (trouble) std::rethrow_exception(trouble);
}

void in_shares(std::size_t count, const std::function<void(std::size_t, std::size_t)>& work) {
    constexpr std::size_t much = 1 << 16;
    const std::size_t shares = count / much + 1;
    in_parallel(shares, [&](std::size_t s) { work(count * s / shares, count * (s + 1) / shares); });
}

}  // namespace rt
