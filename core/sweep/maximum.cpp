#include "core/sweep/maximum.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"

namespace rt {
namespace {

constexpr std::size_t most_possible = 100000;

std::size_t steps_of(double from, double to, double step) {
    return static_cast<std::size_t>(std::floor((to - from) / step + 1e-9));
}

void require_usable(const MaximisedAxis& axis) {
    const auto fail = [&](const std::string& text) { fail_input("axis " + axis.name + ": " + text); };
    if (!(axis.to.value > axis.from.value)) fail("to must be above from");
    if (!(axis.coarse.value > 0) || !(axis.fine.value > 0)) fail("steps must be above 0");
    if (axis.fine.value > axis.coarse.value) fail("the fine step must not be wider than the coarse one");
}

}  // namespace

MaximumSearch::MaximumSearch(const Maximise& what) : what_(what) {
    std::size_t grid = 1, fine = 0;
    for (const auto& axis : what.axes) {
        require_usable(axis);
        grid *= steps_of(axis.from.value, axis.to.value, axis.coarse.value) + 1;
        fine += 2 * (steps_of(0, axis.coarse.value, axis.fine.value) + 1);
        if (grid > most_possible || fine > most_possible)
            fail_input("the search would take more than 100000 trials");
    }
    most_ = grid + fine;
    std::vector<std::vector<double>> places{{}};
    for (const auto& axis : what.axes) {
        std::vector<double> values;
        const std::size_t steps = steps_of(axis.from.value, axis.to.value, axis.coarse.value);
        for (std::size_t i = 0; i <= steps; ++i) {
            values.push_back(axis.from.value + static_cast<double>(i) * axis.coarse.value);
        }
        std::vector<std::vector<double>> next;
        for (const auto& begun : places) {
            for (const double value : values) {
                next.push_back(begun);
                next.back().push_back(value);
            }
            std::reverse(values.begin(), values.end());
        }
        places = std::move(next);
    }
    waiting_.assign(places.rbegin(), places.rend());
}

std::vector<Quantity> MaximumSearch::place(const std::vector<double>& values) const {
    std::vector<Quantity> out;
    for (std::size_t i = 0; i < values.size(); ++i) out.push_back({values[i], what_.axes[i].from.unit});
    return out;
}

std::optional<std::vector<Quantity>> MaximumSearch::next() const {
    if (waiting_.empty()) return std::nullopt;
    return place(waiting_.back());
}

void MaximumSearch::put(std::optional<double> result) {
    if (waiting_.empty()) return;
    tried_.push_back(waiting_.back());
    waiting_.pop_back();
    if (result && (!highest_ || *result > *highest_)) {
        highest_ = result;
        best_ = tried_.back();
    }
    while (waiting_.empty() && highest_ && axis_ < what_.axes.size()) refine();
}

// The fine steps of the next axis, those that were not tried.
void MaximumSearch::refine() {
    const MaximisedAxis& axis = what_.axes[axis_];
    const double middle = best_[axis_];
    const auto steps = static_cast<int>(steps_of(0, axis.coarse.value, axis.fine.value));
    for (int i = steps; i >= -steps; --i) {
        auto values = best_;
        values[axis_] = middle + i * axis.fine.value;
        const double rounding = 1e-9 * axis.fine.value;
        // A turntable that goes all the way round has no ends.
        const bool round = axis.from.unit == Unit::degree &&
                           axis.to.value - axis.from.value + axis.coarse.value >= 360 - rounding;
        if (round && values[axis_] < axis.from.value - rounding) values[axis_] += 360;
        if (round && values[axis_] > axis.from.value + 360 - rounding) values[axis_] -= 360;
        if (values[axis_] < axis.from.value - rounding || values[axis_] > axis.to.value + rounding) continue;
        const bool known = std::any_of(tried_.begin(), tried_.end(), [&](const auto& other) {
            for (std::size_t k = 0; k < other.size(); ++k) {
                if (std::abs(other[k] - values[k]) > 1e-6 * what_.axes[k].fine.value) return false;
            }
            return true;
        });
        if (!known) waiting_.push_back(std::move(values));
    }
    ++axis_;
}

std::optional<std::vector<Quantity>> MaximumSearch::best() const {
    if (!highest_) return std::nullopt;
    return place(best_);
}

Trial place_of(const std::string& test, const Sweep& outer, const Point& point, const Maximise& what,
               const std::vector<Quantity>& place, bool trial) {
    Trial out{outer, point};
    const auto add = [&](const std::string& name, AxisValue value, std::vector<std::string> sets) {
        out.sweep.axes.push_back({name, {std::move(value)}, std::move(sets)});
        out.point.settings.push_back(0);
    };
    for (std::size_t i = 0; i < place.size(); ++i) {
        add(what.axes[i].name, quantity_value(place[i]), what.axes[i].sets);
    }
    for (const auto& [name, value] : what.parameters) {
        if (trial) add(name, word_value(value), {"parameter." + name});
    }
    out.point.id = point_id(test, out.sweep, out.point);
    return out;
}

}  // namespace rt
