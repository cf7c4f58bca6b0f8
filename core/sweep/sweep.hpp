// Sweeps: nested axes become points with stable ids.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "core/quantity/quantity.hpp"
#include "core/rules/rule.hpp"

namespace rt {

// One setting of an axis: a quantity ("8 dBm"), a channel with its frequency, or a word ("idle").
struct AxisValue {
    std::string text;  // for people, and the canonical form that ids are made from
    std::optional<Quantity> quantity;
    std::optional<int> channel;
};

AxisValue word_value(std::string text);
AxisValue quantity_value(Quantity quantity);

// start, start + step ... up to and including stop (if a step lands on it).
// Throws Error(input) for a reversed range, a step that is not positive, mixed units or too many values.
std::vector<AxisValue> range_values(Quantity start, Quantity stop, Quantity step);

// start, start 10^(1/n), start 10^(2/n) ... up to and including stop: n values a decade. Frequencies, times
// and other linear quantities above 0. Throws Error(input) as range_values().
std::vector<AxisValue> log_range_values(Quantity start, Quantity stop, int per_decade);

// Throws Error(input) for a channel outside the plan.
std::vector<AxisValue> channel_values(const ChannelPlan& plan, const std::vector<int>& channels);

// Lowest, middle (rounded down) and highest channel of a plan.
std::vector<int> low_middle_high(const ChannelPlan& plan);

struct Axis {
    std::string name;
    std::vector<AxisValue> values;
    std::vector<std::string> sets;  // "unit", "parameter.detector": what a new value goes to
    bool coupled = false;           // moves together with the axis before it, value by value
    bool slow = false;              // changes take the user or much time: as seldom as possible
    double soak_s = 0;              // what is waited at each change, once the value is set
    std::string prompt = {};        // what the user does at each change, {value} for the value
};

enum class Order {
    nested,      // the first axis changes slowest, the last fastest
    serpentine,  // the same, but every axis turns round at its end: least movement
    shuffled,    // seeded random order: slow drift does not look like an effect of an axis
};

// Points at which every one of these axes (by number) has this value.
using Condition = std::vector<std::pair<std::size_t, std::string>>;

struct Sweep {
    std::vector<Axis> axes;
    std::uint32_t repeats = 1;
    bool repeat_whole = false;  // repeat the whole sweep; else each point in place
    Order order = Order::nested;
    std::uint64_t seed = 1;
    std::vector<Condition> skips = {};  // points that any of these matches are left out
};

inline constexpr std::size_t most_points = 1'000'000;

// One combination of axis values. The id depends on the test's name and the axis values alone: it stays the
// same when other values, axes' order or the order of the sweep change.
struct Point {
    std::uint64_t id = 0;
    std::uint32_t repeat = 1;             // counts from 1
    std::vector<std::uint32_t> settings;  // index into each axis's values

    const AxisValue& value(const Sweep& sweep, std::size_t axis) const {
        return sweep.axes[axis].values[settings[axis]];
    }
    std::string id_text() const;  // 16 hexadecimal digits
};

bool matches(const Condition& condition, const Sweep& sweep, const Point& point);

// Combinations of the axes, repeats included, before any are skipped.
// Throws Error(input) for an axis without values, coupled axes of different length, a value given twice (but
// of a coupled axis), two axes of one name, or more than most_points points. No axes at all give one point.
std::size_t point_count(const Sweep& sweep);
// Throws Error(input) also when the skip conditions leave nothing.
std::vector<Point> expand(const std::string& test, const Sweep& sweep);

// The id of a point that was not made by expand().
std::uint64_t point_id(const std::string& test, const Sweep& sweep, const Point& point);

// "channel=11, level=8 dBm" with " (repeat 2)" where there are repeats; "single point" without axes.
std::string label(const Sweep& sweep, const Point& point);

// Names and values of the axes at a point, in the order of the sweep.
std::vector<std::pair<std::string, std::string>> axes_of(const Sweep& sweep, const Point& point);

}  // namespace rt
