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

// A turntable that goes all the way round has no ends.
bool goes_round(const MaximisedAxis& axis) {
    const double rounding = 1e-9 * axis.fine.value;
    return axis.from.unit == Unit::degree &&
           axis.to.value - axis.from.value + axis.coarse.value >= 360 - rounding;
}

// The angle of a turntable as it is set: from 0 to below 360 degrees, and 360 itself.
double angle_of(const MaximisedAxis& axis, double value) {
    const bool turntable = axis.from.unit == Unit::degree &&
                           std::any_of(axis.sets.begin(), axis.sets.end(),
                                       [](const std::string& target) { return target.ends_with(".angle"); });
    if (!turntable || (value >= 0 && value <= 360)) return value;
    const double turned = std::fmod(value, 360.0);
    return turned < 0 ? turned + 360 : turned;
}

// The coarse places of one axis.
std::vector<double> grid_of(const MaximisedAxis& axis) {
    std::vector<double> values;
    const std::size_t steps = steps_of(axis.from.value, axis.to.value, axis.coarse.value);
    for (std::size_t i = 0; i <= steps; ++i)
        values.push_back(axis.from.value + static_cast<double>(i) * axis.coarse.value);
    // Steps that do not land on the far end leave it out: it is a place of its own.
    if (axis.to.value - values.back() > 1e-6 * axis.coarse.value && !goes_round(axis))
        values.push_back(axis.to.value);
    return values;
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
        if (steps_of(axis.from.value, axis.to.value, axis.coarse.value) > most_possible)
            fail_input("the search would take more than 100000 trials");
        grid *= grid_of(axis).size();
        fine += 2 * (steps_of(0, axis.coarse.value, axis.fine.value) + 1);
        if (grid > most_possible || fine > most_possible)
            fail_input("the search would take more than 100000 trials");
    }
    most_ = grid + fine;
    std::vector<std::vector<double>> places{{}};
    for (const auto& axis : what.axes) {
        std::vector<double> values = grid_of(axis);
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
    for (std::size_t i = 0; i < values.size(); ++i)
        out.push_back({angle_of(what_.axes[i], values[i]), what_.axes[i].from.unit});
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
    if (!result) without_.push_back(tried_.back());
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
        const bool round = goes_round(axis);
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
    // A trial is never taken for the point that it leads to, whatever their parameters.
    out.point.id = point_id(trial ? test + " (trial)" : test, out.sweep, out.point);
    return out;
}

std::vector<std::string> MaximumSearch::told() const {
    constexpr double widest_deg = 15;  // of a turntable above 1 GHz (CISPR 16-2-3), fairly sure
    std::vector<std::string> out;
    for (const auto& axis : what_.axes) {
        out.push_back("looked for over " + axis.name + " from " + format(axis.from) + " to " +
                      format(axis.to) + " in steps of " + format(axis.coarse) + ", then of " +
                      format(axis.fine) + " beside the best place" +
                      (axis.from.unit == Unit::degree && axis.coarse.value > widest_deg
                           ? " (above 1 GHz at most 15 ° are asked for)"
                           : ""));
    }
    return out;
}

std::string MaximumSearch::not_measured() const {
    if (without_.empty()) return {};
    std::string text = "not measured, without a valid " + what_.result + ": ";
    constexpr std::size_t most = 5;
    for (std::size_t i = 0; i < without_.size() && i < most; ++i) {
        text += i ? "; " : "";
        for (std::size_t k = 0; k < what_.axes.size(); ++k) {
            text += (k ? ", " : "") + what_.axes[k].name + "=" +
                    format({without_[i][k], what_.axes[k].from.unit});
        }
    }
    if (without_.size() > most) text += "; " + std::to_string(without_.size()) + " places in all";
    return text;
}

}  // namespace rt
