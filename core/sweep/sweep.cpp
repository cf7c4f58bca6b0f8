#include "core/sweep/sweep.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <numeric>
#include <random>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

AxisValue word_value(std::string text) {
    return {std::move(text), {}, {}};
}

AxisValue quantity_value(Quantity quantity) {
    // The readable text, unless rounding it for people would make two values look the same.
    std::string text = format(quantity);
    if (parse_quantity(text) != quantity) text = format_exact(quantity);
    return {std::move(text), quantity, {}};
}

std::vector<AxisValue> range_values(Quantity start, Quantity stop, Quantity step) {
    // A step between levels is a level difference: -10 dBm to 0 dBm by 2 dB.
    const bool level_step = is_decibel(start.unit) && step.unit == Unit::db;
    if (start.unit != stop.unit || (start.unit != step.unit && !level_step)) {
        fail_input("the range mixes units: from " + format(start) + " to " + format(stop) + " by " +
                   format(step));
    }
    if (stop.value < start.value) {
        fail_input("the range runs backwards: from " + format(start) + " to " + format(stop) +
                   "; write the lower end first");
    }
    if (!(step.value > 0)) fail_input("the step must be above 0, not " + format(step));
    const double steps = std::floor((stop.value - start.value) / step.value * (1 + 1e-12) + 1e-9);
    if (steps >= static_cast<double>(most_points)) {
        fail_input("the range has more than " + std::to_string(most_points) + " values; use a larger step");
    }
    std::vector<AxisValue> values;
    values.reserve(static_cast<std::size_t>(steps) + 1);
    for (double i = 0; i <= steps; ++i) {
        // Twelve digits: 0.1 + 2 * 0.1 is to be 0.3.
        char text[40];
        std::snprintf(text, sizeof text, "%.12g", start.value + i * step.value);
        values.push_back(quantity_value({*to_double(text), start.unit}));
    }
    return values;
}

std::vector<AxisValue> log_range_values(Quantity start, Quantity stop, int per_decade) {
    if (start.unit != stop.unit || is_decibel(start.unit)) {
        fail_input("a logarithmic range needs two linear quantities of one unit, not " + format(start) +
                   " and " + format(stop) + "; levels are logarithmic already: use step");
    }
    if (!(start.value > 0) || stop.value < start.value) {
        fail_input("the range runs backwards or begins at 0: from " + format(start) + " to " + format(stop) +
                   "; write the lower end first, above 0");
    }
    if (per_decade < 1) fail_input("per_decade must be 1 or more");
    const double steps = std::floor(std::log10(stop.value / start.value) * per_decade + 1e-9);
    if (steps >= static_cast<double>(most_points))
        fail_input("the range has too many values; use fewer per decade");
    std::vector<AxisValue> values;
    for (double i = 0; i <= steps; ++i) {
        char text[40];
        std::snprintf(text, sizeof text, "%.6g", start.value * std::pow(10, i / per_decade));
        values.push_back(quantity_value({*to_double(text), start.unit}));
    }
    return values;
}

std::vector<int> low_middle_high(const ChannelPlan& plan) {
    const int middle = (plan.first + plan.last) / 2;
    std::vector<int> out{plan.first, middle, plan.last};
    out.erase(std::unique(out.begin(), out.end()), out.end());
    return out;
}

std::vector<AxisValue> channel_values(const ChannelPlan& plan, const std::vector<int>& channels) {
    std::vector<AxisValue> values;
    for (const int channel : channels) {
        const auto frequency = plan.frequency_hz(channel);
        if (!frequency) {
            fail_input(fmt::format("channel {} is not in the plan {}, which has {} to {}", channel, plan.id,
                                   plan.first, plan.last));
        }
        values.push_back({std::to_string(channel), Quantity{*frequency, Unit::hertz}, channel});
    }
    return values;
}

std::string Point::id_text() const {
    return hex(id, 16);
}

static void require_usable(const Axis& axis) {
    if (axis.values.empty()) fail_input("axis " + in_quotes(axis.name) + " has no values");
    if (axis.coupled) return;  // the axis that it goes with tells its points apart
    std::set<std::string_view> seen;
    for (const auto& value : axis.values) {
        if (!seen.insert(value.text).second) {
            fail_input("axis " + in_quotes(axis.name) + " holds " + in_quotes(value.text) +
                       " twice; use repeats to measure a point more than once");
        }
    }
}

std::size_t point_count(const Sweep& sweep) {
    std::set<std::string_view> names;
    if (sweep.repeats == 0) fail_input("repeats must be 1 or more");
    double count = sweep.repeats;
    const Axis* before = nullptr;  // the last one that is not coupled
    for (const auto& axis : sweep.axes) {
        require_usable(axis);
        if (!names.insert(axis.name).second) fail_input("two axes are named " + in_quotes(axis.name));
        if (!axis.coupled) {
            count *= static_cast<double>(axis.values.size());
            before = &axis;
            continue;
        }
        if (!before)
            fail_input("axis " + in_quotes(axis.name) + " cannot be coupled: no axis stands before it");
        if (before->values.size() != axis.values.size()) {
            fail_input(fmt::format("axis {} has {} values, the axis {} it is coupled to has {}",
                                   in_quotes(axis.name), axis.values.size(), in_quotes(before->name),
                                   before->values.size()));
        }
    }
    if (count > static_cast<double>(most_points)) {
        fail_input("the sweep has " + format({count, Unit::none}) + " points, more than " +
                   std::to_string(most_points) + "; use fewer values or a larger step");
    }
    return static_cast<std::size_t>(count);
}

namespace {

// "axis=value" for every value, in the order in which ids are hashed: axes by name.
class IdMaker {
  public:
    IdMaker(const std::string& test, const Sweep& sweep)
        : start_(fnv1a(test + "|")), order_(sweep.axes.size()) {
        std::iota(order_.begin(), order_.end(), 0u);
        std::sort(order_.begin(), order_.end(),
                  [&](std::size_t a, std::size_t b) { return sweep.axes[a].name < sweep.axes[b].name; });
        for (const auto& axis : sweep.axes) {
            auto& texts = texts_.emplace_back();
            for (const auto& value : axis.values) texts.push_back(axis.name + "=" + value.text + "|");
        }
    }

    std::uint64_t id(const Point& point) const {
        std::uint64_t hash = start_;
        for (const std::size_t axis : order_) hash = fnv1a(texts_[axis][point.settings[axis]], hash);
        return fnv1a(std::to_string(point.repeat), hash);
    }

  private:
    std::uint64_t start_;
    std::vector<std::size_t> order_;
    std::vector<std::vector<std::string>> texts_;
};

// The settings of combination `number`, the last axis fastest.
std::vector<std::uint32_t> settings_of(const Sweep& sweep, std::size_t number) {
    std::vector<std::uint32_t> settings(sweep.axes.size());
    for (std::size_t axis = sweep.axes.size(); axis-- > 0;) {
        if (sweep.axes[axis].coupled) continue;
        const std::size_t size = sweep.axes[axis].values.size();
        const std::size_t step = number % size;
        number /= size;
        // In a serpentine an axis runs backwards on every odd turn of the axes outside it.
        const bool backwards = sweep.order == Order::serpentine && number % 2 == 1;
        settings[axis] = static_cast<std::uint32_t>(backwards ? size - 1 - step : step);
    }
    for (std::size_t axis = 1; axis < settings.size(); ++axis) {
        if (sweep.axes[axis].coupled) settings[axis] = settings[axis - 1];
    }
    return settings;
}

// Fisher-Yates with a generator and a reduction fixed here, so that one seed gives one order everywhere.
void shuffle(std::vector<Point>& points, std::uint64_t seed) {
    std::mt19937_64 random(seed);
    for (std::size_t i = points.size(); i > 1; --i) std::swap(points[i - 1], points[random() % i]);
}

}  // namespace

static bool skipped(const Sweep& sweep, const Point& point) {
    return std::any_of(sweep.skips.begin(), sweep.skips.end(),
                       [&](const Condition& condition) { return matches(condition, sweep, point); });
}

std::vector<Point> expand(const std::string& test, const Sweep& sweep) {
    const std::size_t total = point_count(sweep);
    const std::size_t combinations = total / sweep.repeats;
    const IdMaker ids(test, sweep);
    std::vector<Point> points;
    points.reserve(total);
    for (std::size_t i = 0; i < total; ++i) {
        const std::size_t combination = sweep.repeat_whole ? i % combinations : i / sweep.repeats;
        const std::size_t repeat = sweep.repeat_whole ? i / combinations : i % sweep.repeats;
        Point point;
        point.settings = settings_of(sweep, combination);
        point.repeat = static_cast<std::uint32_t>(repeat + 1);
        if (skipped(sweep, point)) continue;
        point.id = ids.id(point);
        points.push_back(std::move(point));
    }
    if (points.empty()) fail_input("the skip conditions leave no point");
    if (sweep.order == Order::shuffled) shuffle(points, sweep.seed);
    return points;
}

std::uint64_t point_id(const std::string& test, const Sweep& sweep, const Point& point) {
    return IdMaker(test, sweep).id(point);
}

bool matches(const Condition& condition, const Sweep& sweep, const Point& point) {
    return std::all_of(condition.begin(), condition.end(),
                       [&](const auto& part) { return point.value(sweep, part.first).text == part.second; });
}

std::vector<std::pair<std::string, std::string>> axes_of(const Sweep& sweep, const Point& point) {
    std::vector<std::pair<std::string, std::string>> out;
    for (std::size_t i = 0; i < sweep.axes.size(); ++i)
        out.emplace_back(sweep.axes[i].name, point.value(sweep, i).text);
    return out;
}

std::string label(const Sweep& sweep, const Point& point) {
    std::string text;
    for (std::size_t axis = 0; axis < sweep.axes.size(); ++axis) {
        text += (axis ? ", " : "") + sweep.axes[axis].name + "=" + point.value(sweep, axis).text;
    }
    if (sweep.repeats > 1)
        text += (text.empty() ? "" : " ") + ("(repeat " + std::to_string(point.repeat)) + ")";
    return text.empty() ? "single point" : text;
}

}  // namespace rt
