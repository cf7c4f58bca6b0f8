// What is kept an eye on through a run: side quantities with limits, and results that must stay as they were.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "lab/model/test.hpp"

namespace rt::lab {

// A side quantity, asked by the dialect's command "query_QUANTITY".
struct Watch {
    enum class Action { note, pause, drop, stop };

    std::string name;
    std::string role, quantity;
    Unit unit = Unit::none;
    std::optional<Quantity> min, max;
    double every_s = 1;
    Action action = Action::note;
    double longest_pause_s = 600;
    std::string where;

    bool inside(double value) const { return (!min || value >= min->value) && (!max || value <= max->value); }
    std::string limits_text() const;
};

// A measurement repeated now and then: its result must stay near the first one.
struct Recheck {
    Test test;  // without axes and rules
    std::string result;
    double within = 0;  // in the unit of the result, or dB between levels
    double every_s = 0;
    std::size_t every_points = 0;
    std::vector<std::string> covers;  // names of tests; empty for all
};

}  // namespace rt::lab
