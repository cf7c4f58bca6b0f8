#include "lab/bench/stage_map.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"

namespace rt::lab {
namespace {

struct Place {
    double x_m = 0, y_m = 0;
};

WaferMap::Die die_of(const std::string& name, const std::string& who) {
    const auto parts = split(name, ',');
    std::vector<int> numbers;
    for (const auto part : parts) {
        const double value = to_double(trim(part)).value_or(0.5);
        if (value == std::floor(value) && std::abs(value) < 1e4) numbers.push_back(static_cast<int>(value));
    }
    if (parts.size() != 2 || numbers.size() != 2)
        fail_bench(who + ": " + in_quotes(name) + " is no die: COLUMN,ROW is wanted");
    return {numbers[0], numbers[1], true, false};
}

std::vector<double> micrometres(InstrumentRole& stage, const std::string& name, std::size_t count) {
    std::vector<double> out;
    for (const auto& text : stage.list(name)) {
        const auto value = to_double(text);
        if (!value || !std::isfinite(*value))
            fail_bench(fmt::format("{}: list_{} has {}, which is no number", stage.instrument().role, name,
                                   in_quotes(text)));
        out.push_back(*value * 1e-6);
    }
    if (out.size() != count)
        fail_bench(fmt::format("{}: list_{} gives {} numbers, {} are wanted", stage.instrument().role, name,
                               out.size(), count));
    return out;
}

class Teaching {
  public:
    Teaching(InstrumentRole& stage, const Lead& lead) : stage_(stage), lead_(lead) {}

    Place at(const std::string& where) {
        if (!lead_(where)) fail_input("the map was not taught to its end: nothing is written");
        return {stage_.query("x") * 1e-6, stage_.query("y") * 1e-6};
    }

  private:
    InstrumentRole& stage_;
    const Lead& lead_;
};

// The die farthest from another one in its row (`row`), or in its column; of two the one to the right or
// below.
const WaferMap::Die& farthest(const WaferMap& map, const WaferMap::Die& from, bool row) {
    const WaferMap::Die* out = nullptr;
    const auto distance = [&](const WaferMap::Die& die) {
        return row ? std::abs(die.column - from.column) : std::abs(die.row - from.row);
    };
    for (const auto& die : map.dies) {
        if ((row ? die.row != from.row : die.column != from.column) || distance(die) == 0) continue;
        if (!out || distance(die) >= distance(*out)) out = &die;
    }
    if (!out)
        fail_input(std::string("no other die stands in the ") + (row ? "row" : "column") +
                   " of the reference die " + from.name() + ": choose another by --reference");
    return *out;
}

double pitch_of(double distance_m, int steps, const char* which) {
    const double pitch = distance_m / steps;
    if (!(pitch > 1e-6 && pitch < 0.5))
        fail_input(std::string("the pitch ") + which + " comes to " + format({pitch, Unit::metre}) +
                   ": the dies were shown the wrong way round, or it was not moved; nothing is written");
    return pitch;
}

// What differences of readings leave behind is no place. As it is read from a file in micrometres.
double to_nanometre(double m) {
    return parse_quantity(decimal(m * 1e6, 3) + " um", Unit::metre).value;
}

void require_within(const WaferMap& map, const WaferMap::Device& device) {
    const auto inside = [](double value, double pitch) { return value >= 0 && value <= pitch; };
    if (inside(device.x_m, map.pitch_x_m) && inside(device.y_m, map.pitch_y_m)) return;
    fail_input("the device " + device.name + " comes to " + format({device.x_m, Unit::metre}) + ", " +
               format({device.y_m, Unit::metre}) + ", outside of its die of " +
               format({map.pitch_x_m, Unit::metre}) + " by " + format({map.pitch_y_m, Unit::metre}) +
               ": nothing is written");
}

}  // namespace

WaferMap map_of_stage(InstrumentRole& stage, const std::string& reference, const Lead& lead) {
    const std::string& who = stage.instrument().role;
    const auto knows = [&](const char* command) { return stage.session().knows(command); };
    if (!knows("list_dies") || !knows("list_devices"))
        fail_input("the " + who +
                   " lists no dies or devices (list_dies, list_devices of its dialect): write the map "
                   "by hand");
    if (lead && (!knows("query_x") || !knows("query_y")))
        fail_input("the " + who + " cannot be asked where it is (query_x, query_y of its dialect)");
    WaferMap map;
    map.title = "Wafer map of the " + stage.instrument().name;
    for (const auto& name : stage.list("dies")) map.dies.push_back(die_of(name, who));
    if (map.dies.empty()) fail_bench("the " + who + " lists no die");
    std::sort(map.dies.begin(), map.dies.end(), [](const auto& a, const auto& b) {
        return std::pair(a.row, a.column) < std::pair(b.row, b.column);
    });
    std::string name = reference;
    if (name.empty() && knows("list_reference")) {
        const auto said = stage.list("reference");
        if (said.size() == 1) name = said.front();
    }
    if (name.empty())
        fail_input("the " + who + " does not say which is its reference die: give --reference COLUMN,ROW");
    const auto is_reference = [&](const auto& die) { return die.name() == name; };
    const auto at = std::find_if(map.dies.begin(), map.dies.end(), is_reference);
    if (at == map.dies.end())
        fail_input("the reference die " + name + " is none of those that the " + who + " lists");
    at->reference = true;
    const WaferMap::Die die = *at;
    Place corner;
    if (lead) {
        Teaching teaching(stage, lead);
        corner = teaching.at("the upper left corner of the reference die " + die.name());
        const auto& right = farthest(map, die, true);
        const Place x = teaching.at("the same corner of die " + right.name());
        map.pitch_x_m = pitch_of(x.x_m - corner.x_m, right.column - die.column, "along rows");
        const auto& below = farthest(map, die, false);
        const Place y = teaching.at("the same corner of die " + below.name());
        map.pitch_y_m = pitch_of(y.y_m - corner.y_m, below.row - die.row, "along columns");
        for (const auto& device : stage.list("devices")) {
            const Place there = teaching.at("the device " + device + " of die " + die.name());
            map.devices.push_back({device, there.x_m - corner.x_m, there.y_m - corner.y_m});
        }
    } else {
        if (!knows("list_pitch"))
            fail_input("the " + who + " does not say its pitches (list_pitch): show them by --teach");
        const auto pitch = micrometres(stage, "pitch", 2);
        map.pitch_x_m = pitch[0], map.pitch_y_m = pitch[1];
        const auto names = stage.list("devices");
        std::vector<double> places(2 * names.size());
        if (knows("list_places")) places = micrometres(stage, "places", places.size());
        for (std::size_t i = 0; i < names.size(); ++i)
            map.devices.push_back({names[i], places[2 * i], places[2 * i + 1]});
    }
    map.pitch_x_m = to_nanometre(map.pitch_x_m), map.pitch_y_m = to_nanometre(map.pitch_y_m);
    for (auto& device : map.devices) {
        device.x_m = to_nanometre(device.x_m), device.y_m = to_nanometre(device.y_m);
        require_within(map, device);
    }
    return map;
}

}  // namespace rt::lab
