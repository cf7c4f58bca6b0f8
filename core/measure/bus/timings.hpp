// Timings of a bus as results, a table and close views.
#pragma once

#include "core/bus/place.hpp"
#include "core/measure/wave_source.hpp"
#include "core/stats/spread.hpp"

namespace rt {

struct Timing {
    const char* name;  // of the table's row, and with _least or _greatest behind of the results
    const Spread* spread;
    bool least = true, greatest = false;  // which results are given
};

// Results "NAME_least" and "NAME_greatest", the single values behind them with their place on the bus, and a
// row for each timing that occurred.
void add_timings(const std::vector<Timing>& timings, double origin_s, Outcome& outcome,
                 const std::vector<BusMark>& marks = {}, const BusWords& words = {});

struct NamedSignal {
    const char* title;
    Signal signal;
};

// What the lines do around the extreme of each timing: a trace for each result, `reach_s` to both sides.
void add_views(const std::vector<Timing>& timings, const std::vector<NamedSignal>& lines, double reach_s,
               Outcome& outcome);

}  // namespace rt
