#include "core/sweep/search.hpp"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

std::optional<bool> Search::holds(const Result& of) const {
    const double value = of.value.value;
    switch (of.known) {
        case Known::exactly:
            return holds(value);
        case Known::at_least:
            if (at_most && value > *at_most) return false;
            return !at_most && at_least && value >= *at_least ? std::optional(true) : std::nullopt;
        case Known::at_most:
            if (at_least && value < *at_least) return false;
            return !at_least && at_most && value <= *at_most ? std::optional(true) : std::nullopt;
    }
    return std::nullopt;
}

ThresholdSearch::ThresholdSearch(const Search& search, std::vector<Quantity> confirm)
    : search_(search), confirm_(std::move(confirm)) {
    const Unit unit = search.holds_at.unit;
    const bool level_step = is_decibel(unit) && search.resolution.unit == Unit::db;
    if (search.fails_at.unit != unit || (search.resolution.unit != unit && !level_step)) {
        fail_input("the search mixes units: from " + format(search.fails_at) + " to " +
                   format(search.holds_at) + " by " + format(search.resolution));
    }
    if (!(search.resolution.value > 0)) fail_input("the resolution must be above 0");
    const double range = std::abs(search.holds_at.value - search.fails_at.value);
    const double steps = std::floor(range / search.resolution.value + 1e-9);
    if (steps < 1) fail_input("the resolution is wider than the search: " + format(search.resolution));
    if (steps > 1e6) fail_input("the search has more than 1000000 steps: use a wider resolution");
    steps_ = static_cast<long long>(steps);
    holds_ = steps_;
    if (search.alive_at) {
        if (search.alive_at->unit != unit) fail_input("alive_at is in another unit than holds_at");
        if (!(place(*search.alive_at) > static_cast<double>(steps_)))
            fail_input("alive_at must lie beyond holds_at, on the side where it holds");
        if (place(*search.alive_at) > 1e6) fail_input("alive_at lies more than 1000000 steps away");
    }
    // The hardest first.
    std::sort(confirm_.begin(), confirm_.end(),
              [this](Quantity a, Quantity b) { return place(a) < place(b); });
}

double ThresholdSearch::place(Quantity value) const {
    const double sign = search_.holds_at.value > search_.fails_at.value ? 1 : -1;
    return sign * (value.value - search_.fails_at.value) / search_.resolution.value;
}

void ThresholdSearch::settle() {
    stage_ = holds_ - fails_ > 1 ? Stage::between : Stage::confirm;
    if (stage_ == Stage::between) return;
    // Only what is easier than the threshold that was found, and was not tried as an end.
    const auto known = [&](Quantity value) {
        const double where = place(value), rounding = 1e-6;
        return where <= static_cast<double>(holds_) + rounding ||
               std::abs(where - place(search_.holds_at)) <= rounding;
    };
    while (!confirm_.empty() && known(confirm_.front())) confirm_.erase(confirm_.begin());
    if (confirm_.empty()) stage_ = Stage::done;
}

Quantity ThresholdSearch::at(long long step) const {
    if (step == steps_) return search_.holds_at;
    if (search_.alive_at && step >= static_cast<long long>(std::ceil(place(*search_.alive_at) - 1e-9)))
        return *search_.alive_at;
    const double sign = search_.holds_at.value > search_.fails_at.value ? 1 : -1;
    // Twelve digits, as the values of a range.
    char text[40];
    std::snprintf(text, sizeof text, "%.12g",
                  search_.fails_at.value + sign * search_.resolution.value * static_cast<double>(step));
    return {*to_double(text), search_.holds_at.unit};
}

std::optional<Quantity> ThresholdSearch::next() const {
    switch (stage_) {
        case Stage::top:
            return at(steps_);
        case Stage::alive:
            return *search_.alive_at;
        case Stage::bottom:
            return at(0);
        case Stage::between:
            return at(fails_ + (holds_ - fails_) / 2);
        case Stage::confirm:
            return confirm_.front();
        case Stage::done:
            break;
    }
    return std::nullopt;
}

void ThresholdSearch::put(std::optional<bool> holds) {
    if (!holds) {
        invalid_ = true;
        found_ = false;
        stage_ = Stage::done;
        return;
    }
    switch (stage_) {
        case Stage::top:
            found_ = *holds;
            stage_ = *holds ? Stage::bottom : search_.alive_at ? Stage::alive : Stage::done;
            return;
        case Stage::alive:
            found_ = *holds;
            stage_ = Stage::done;
            if (!*holds) return;
            fails_ = steps_;
            holds_ = static_cast<long long>(std::ceil(place(*search_.alive_at) - 1e-9));
            break;
        case Stage::bottom:
            beyond_ = *holds;
            if (*holds) holds_ = 0;
            break;
        case Stage::between:
            (*holds ? holds_ : fails_) = fails_ + (holds_ - fails_) / 2;
            break;
        case Stage::confirm: {
            const Quantity value = confirm_.front();
            confirm_.erase(confirm_.begin());
            (*holds ? confirmed_ : refuted_).push_back(value);
            if (*holds) break;
            // What is known to hold above it is the upper end alone; above that end nothing is: then the
            // threshold lies beyond this value, by a step at least.
            beyond_ = false;
            fails_ = static_cast<long long>(std::floor(place(value) + 1e-9));
            holds_ = std::max(steps_, fails_ + 1);
            break;
        }
        case Stage::done:
            return;
    }
    settle();
}

std::optional<Quantity> ThresholdSearch::threshold() const {
    if (!found_) return std::nullopt;
    return at(holds_);
}

std::size_t ThresholdSearch::most_trials() const {
    const auto halvings = static_cast<std::size_t>(std::ceil(std::log2(static_cast<double>(steps_))));
    std::size_t most = 2 + halvings + confirm_.size() * (1 + halvings);
    if (search_.alive_at)
        most += static_cast<std::size_t>(std::ceil(std::log2(std::max(2.0, place(*search_.alive_at)))));
    return most;
}

Trial trial_of(const std::string& test, const Sweep& outer, const Point& point, const Search& search,
               Quantity value) {
    Trial trial{outer, point};
    trial.sweep.axes.push_back({search.axis, {quantity_value(value)}, search.sets});
    trial.point.settings.push_back(0);
    trial.point.id = point_id(test, trial.sweep, trial.point);
    return trial;
}

}  // namespace rt
