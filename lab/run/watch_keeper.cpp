#include "lab/run/watch_keeper.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "lab/clock.hpp"

namespace rt::lab {

using Lock = std::lock_guard<std::mutex>;

WatchKeeper::WatchKeeper(const std::vector<Watch>& watches, BenchConnection& bench) : bench_(bench) {
    for (const auto& watch : watches) states_.push_back({&watch, {}, {}, "", 0});
}

WatchKeeper::~WatchKeeper() {
    if (!thread_.joinable()) return;
    thread_.request_stop();
    wake_.notify_all();
}

WatchKeeper::Seen WatchKeeper::seen(const Watch& watch, double value) const {
    return {&watch, value,
            watch.name + " " + format({value, watch.unit}) + ", in order is " + watch.limits_text()};
}

void WatchKeeper::read(State& state) {
    double value = 0;
    {
        const Lock bench(bench_mutex_);
        value = bench_.role(state.watch->role).query(state.watch->quantity);
    }
    note(state, value);
}

void WatchKeeper::note(State& state, double value) {
    const Lock lock(mutex_);
    const Watch& watch = *state.watch;
    const std::string now = utc_now();
    samples_.push_back({now, watch.name, value, watch.unit});
    state.last = value;
    state.last_asked = Stopwatch();
    state.wait_s = watch.every_s;
    const double middle = watch.min && watch.max ? (watch.min->value + watch.max->value) / 2
                          : watch.min            ? watch.min->value
                                                 : watch.max->value;
    if (!watch.inside(value)) {
        if (state.since.empty()) state.since = now, state.extreme = value;
        if (std::abs(value - middle) >= std::abs(state.extreme - middle)) state.extreme = value;
        if (!state.outside || std::abs(value - middle) > std::abs(state.outside->value - middle))
            state.outside = seen(watch, value);
        return;
    }
    if (state.since.empty()) return;
    events_.push_back(
        {state.since, "watch", seen(watch, state.extreme).text, seconds_between(state.since, now)});
    state.since.clear();
}

void WatchKeeper::look() {
    const std::string in_use = bench_.in_use();
    for (auto& state : states_) read(state);
    bench_.use(in_use);
    // The first look shows that everything is there; from then on it goes on by itself.
    if (!states_.empty() && !thread_.joinable())
        thread_ = std::jthread([this](std::stop_token stop) { keep_looking(stop); });
}

void WatchKeeper::keep_looking(std::stop_token stop) {
    while (!stop.stop_requested()) {
        for (auto& state : states_) {
            {
                const Lock lock(mutex_);
                if (state.due_in() > 0 || lost_.contains(state.watch->role)) continue;
            }
            try {
                const Lock bench(bench_mutex_);
                const double value = bench_.peek(state.watch->role).query(state.watch->quantity);
                note(state, value);
            } catch (const Error&) {
                // The run connects it anew and asks again before the next verdict, and stops there if it
                // must.
                const Lock lock(mutex_);
                lost_.insert(state.watch->role);
                state.last_asked = Stopwatch();
                state.wait_s = 1;
            }
        }
        std::unique_lock lock(mutex_);
        // Looked at once a second at least: an instrument that was lost may be there again.
        double wait_s = 1;
        for (const auto& state : states_) wait_s = std::min(wait_s, std::max(state.due_in(), 0.0));
        wake_.wait_for(lock, stop, std::chrono::duration<double>(wait_s), [] { return false; });
    }
}

std::optional<WatchKeeper::Seen> WatchKeeper::take_worst() {
    const Lock lock(mutex_);
    std::optional<Seen> worst;
    const auto rank = [](const Seen& s) {
        switch (s.watch->action) {
            case Watch::Action::stop:
                return 3;
            case Watch::Action::drop:
                return 2;
            case Watch::Action::pause:
                return 1;
            default:
                return 0;
        }
    };
    for (auto& state : states_) {
        if (!state.outside) continue;
        if (!worst || rank(*state.outside) > rank(*worst)) worst = state.outside;
        state.outside.reset();
    }
    return worst;
}

std::set<std::string> WatchKeeper::take_lost() {
    const Lock lock(mutex_);
    return std::exchange(lost_, {});
}

bool WatchKeeper::all_inside() const {
    const Lock lock(mutex_);
    return std::all_of(states_.begin(), states_.end(),
                       [](const State& s) { return s.last && s.watch->inside(*s.last); });
}

std::vector<SampleRecord> WatchKeeper::take_samples() {
    const Lock lock(mutex_);
    return std::exchange(samples_, {});
}

void WatchKeeper::close_events() {
    const Lock lock(mutex_);
    for (auto& state : states_) {
        if (state.since.empty()) continue;
        events_.push_back({state.since, "watch",
                           seen(*state.watch, state.extreme).text + " (to the end of the run)",
                           seconds_between(state.since, utc_now())});
        state.since.clear();
    }
}

std::vector<EventRecord> WatchKeeper::take_events() {
    const Lock lock(mutex_);
    return std::exchange(events_, {});
}

}  // namespace rt::lab
