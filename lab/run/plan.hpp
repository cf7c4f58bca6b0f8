// A plan: the campaign's tests as points on a bench, in order, checked before anything moves.
#pragma once

#include <set>
#include <vector>

#include "lab/model/bench.hpp"
#include "lab/model/campaign.hpp"

namespace rt::lab {

struct PlannedTest {
    const Test* test = nullptr;
    const Instrument* instrument = nullptr;  // none when everything comes from earlier tests
    std::vector<Point> points;  // of a search, without its axis; none of a test with from_test or duration
    std::size_t captures = 0;   // expected, trials of searches included
    bool at_most = false;       // the number of captures is known only when it is over
    double seconds = 0;         // expected measuring time, without what the instruments need besides
};

// A part of a test that is carried out in one go.
struct Stretch {
    std::size_t test = 0;             // index into Plan::tests
    std::vector<std::size_t> points;  // indices into its points; all of a test without known points
    bool last = false;                // of its test
};

struct Plan {
    const Campaign* campaign = nullptr;
    const Bench* bench = nullptr;
    std::vector<PlannedTest> tests;
    // Tests in order, but points with the same value of a slow axis together, whatever their test.
    std::vector<Stretch> order;
    std::vector<std::string> only;      // names of the tests chosen; empty for all
    std::vector<std::string> warnings;  // lapsed calibration, unsigned rules
    std::vector<std::string> hints;     // the same, of what a run itself marks: only check tells
    std::set<std::string> roles;        // instruments that are needed

    std::size_t captures() const;
    bool at_most() const;
    double seconds() const;
    const PlannedTest* find(const std::string& test) const;
    // The chosen test that provides a calibration.
    const PlannedTest* provider(const std::string& calibration) const;
};

// Throws Error(input) when the bench lacks an instrument that a test needs, a dialect a command, or a path a
// frequency. `only` chooses tests by name.
Plan make_plan(const Campaign& campaign, const Bench& bench, const std::vector<std::string>& only = {});

// Why nothing that this instrument measures may be judged today; empty when it may.
std::string calibration_lapse(const Instrument& instrument);

}  // namespace rt::lab
