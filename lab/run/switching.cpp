#include "lab/run/switching.hpp"

#include <algorithm>

namespace rt::lab {

Switching::Switching(const std::vector<During>& steps, BenchConnection& bench) : bench_(bench) {
    if (!steps.empty()) thread_ = std::thread([this, &steps] { run(steps); });
}

Switching::~Switching() {
    {
        const std::lock_guard lock(mutex_);
        given_up_ = true;
    }
    woken_.notify_all();
    if (thread_.joinable()) thread_.join();
}

std::vector<std::string> Switching::roles_of(const std::vector<During>& steps) {
    std::vector<std::string> out;
    for (const auto& step : steps) {
        for (const auto& [name, value] : step.settings) {
            const std::string role = setting_target(name, "")->role;
            if (std::find(out.begin(), out.end(), role) == out.end()) out.push_back(role);
        }
    }
    return out;
}

bool Switching::wait_for(double seconds) {
    std::unique_lock lock(mutex_);
    const auto when = begun_ + std::chrono::duration_cast<std::chrono::steady_clock::duration>(
                                   std::chrono::duration<double>(seconds));
    woken_.wait_until(lock, when, [this] { return given_up_; });
    return !given_up_;
}

void Switching::run(const std::vector<During>& steps) {
    try {
        for (const auto& step : steps) {
            if (!wait_for(step.after_s)) return;
            for (const auto& [name, value] : step.settings) {
                const auto target = *setting_target(name, "");
                at_ = target.role;
                InstrumentRole& role = bench_.peek(target.role);
                role.begin(target.setting, value);
                std::string why = role.settle();
                if (why.empty()) why = role.read_back();
                if (doubt_.empty() && !why.empty()) doubt_ = why;
            }
        }
    } catch (...) {
        failed_ = std::current_exception();
    }
}

std::string Switching::finish() {
    if (thread_.joinable()) thread_.join();
    if (!failed_) return doubt_;
    bench_.use(at_);
    std::rethrow_exception(failed_);
}

}  // namespace rt::lab
