#include "lab/run/movements.hpp"

#include <cmath>
#include <map>
#include <optional>
#include <string>

#include "core/sweep/maximum.hpp"

namespace rt::lab {
namespace {

class Tracker {
  public:
    explicit Tracker(const Bench& bench) : bench_(bench) {}

    // To a value of an axis, which may be a mere word.
    void go(const std::string& target, const std::string& axis, const AxisValue& value) {
        if (value.quantity) return go(target, axis, *value.quantity);
        if (!moves(setting_target(target, axis)) || !setting_calibration(value.text).empty()) return;
        go(target, axis, parse_quantity(value.text));
    }
    void go(const std::string& target, const std::string& axis, const Quantity& place) {
        const auto setting = setting_target(target, axis);
        if (!moves(setting)) return;
        const Instrument* instrument = bench_.find(setting->role);
        const bool turns = setting->setting == "angle";
        const auto [at, first] = places_.try_emplace(setting->role + "." + setting->setting, place.value);
        const double way = std::abs(place.value - at->second);
        if (!first && way == 0) return;
        at->second = place.value;
        ++out.count;
        if (first) return;
        const auto& pace = turns ? instrument->turn_time_s : instrument->lift_time_s;
        if (pace) {
            out.seconds += *pace * way / (turns ? 360 : 1);
        } else {
            ++out.untimed;
        }
    }
    void go(const TextPairs& settings) {
        for (const auto& [target, value] : settings) go(target, "", word_value(value));
    }

    Movements out;

  private:
    bool moves(const std::optional<SettingTarget>& setting) const {
        if (!setting || (setting->setting != "angle" && setting->setting != "height")) return false;
        const Instrument* instrument = bench_.find(setting->role);
        return instrument && instrument->is("positioner");
    }

    const Bench& bench_;
    std::map<std::string, double> places_;
};

// To and fro over the places of a maximisation, as if all came to the same.
void maximise(Tracker& tracker, const Maximise& what) {
    MaximumSearch search(what);
    while (const auto place = search.next()) {
        for (std::size_t a = 0; a < what.axes.size(); ++a)
            for (const auto& target : what.axes[a].sets) tracker.go(target, what.axes[a].name, (*place)[a]);
        search.put(0);
    }
}

}  // namespace

Movements movements_of(const Plan& plan) {
    Tracker tracker(*plan.bench);
    for (const auto& stretch : plan.order) {
        const PlannedTest& planned = plan.tests[stretch.test];
        const Test& test = *planned.test;
        tracker.go(test.settings);
        for (const std::size_t i : stretch.points) {
            for (std::size_t a = 0; a < test.sweep.axes.size() && a < planned.points[i].settings.size();
                 ++a) {
                const Axis& axis = test.sweep.axes[a];
                for (const auto& target : axis.sets)
                    tracker.go(target, axis.name, planned.points[i].value(test.sweep, a));
            }
            if (test.maximise) maximise(tracker, *test.maximise);
        }
    }
    return tracker.out;
}

}  // namespace rt::lab
