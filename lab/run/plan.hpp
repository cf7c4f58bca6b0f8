// A plan: the campaign's tests as points on a bench, checked before anything moves.
#pragma once

#include <vector>

#include "lab/formats/bench_file.hpp"
#include "lab/formats/campaign_file.hpp"

namespace rt {

struct PlannedTest {
    const Test* test = nullptr;
    const Instrument* instrument = nullptr;
    std::vector<Point> points;
    double seconds = 0;  // expected measuring time, without what the instruments need besides
};

struct Plan {
    const Campaign* campaign = nullptr;
    const Bench* bench = nullptr;
    std::vector<PlannedTest> tests;
    std::vector<std::string> only;      // names of the tests chosen; empty for all
    std::vector<std::string> warnings;  // lapsed calibration, unsigned rules

    std::size_t points() const;
    double seconds() const;
};

// Throws Error(input) when the bench lacks an instrument that a test needs, or its dialect a command.
// `only` chooses tests by name.
Plan make_plan(const Campaign& campaign, const Bench& bench, const std::vector<std::string>& only = {});

// Why nothing that this instrument measures may be judged today; empty when it may.
std::string calibration_lapse(const Instrument& instrument);

}  // namespace rt
