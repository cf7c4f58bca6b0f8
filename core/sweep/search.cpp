#include "core/sweep/search.hpp"

#include <cmath>
#include <cstdio>
#include <cstdlib>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

ThresholdSearch::ThresholdSearch(const Search& search) : search_(search) {
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
}

Quantity ThresholdSearch::at(long long step) const {
    if (step == steps_) return search_.holds_at;
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
        case Stage::bottom:
            return at(0);
        case Stage::between:
            return at(fails_ + (holds_ - fails_) / 2);
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
            stage_ = *holds ? Stage::bottom : Stage::done;
            return;
        case Stage::bottom:
            beyond_ = *holds;
            if (*holds) holds_ = 0;
            break;
        case Stage::between:
            (*holds ? holds_ : fails_) = fails_ + (holds_ - fails_) / 2;
            break;
        case Stage::done:
            return;
    }
    stage_ = holds_ - fails_ > 1 ? Stage::between : Stage::done;
}

std::optional<Quantity> ThresholdSearch::threshold() const {
    if (!found_) return std::nullopt;
    return at(holds_);
}

std::size_t ThresholdSearch::most_trials() const {
    return 2 + static_cast<std::size_t>(std::ceil(std::log2(static_cast<double>(steps_))));
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
