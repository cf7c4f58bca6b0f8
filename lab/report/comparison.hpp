// Runs side by side: the same findings of each, and how they differ.
#pragma once

#include <string>
#include <vector>

#include "core/stats/repeatability.hpp"
#include "lab/report/figure.hpp"
#include "lab/tally/run_data.hpp"

namespace rt::lab {

// One finding in each run; null where a run does not have it.
struct ComparedFinding {
    std::string test, point, rule;
    std::vector<const Finding*> findings;
    std::vector<const PointRecord*> points;

    // Margin of the last run that has one minus that of the first; NaN with fewer than two.
    double change() const;
    bool verdicts_differ() const;
    // Of the values; empty statistics with fewer than two.
    Repeatability values() const;
    Unit unit() const;
};

// Matched by test, label of the point and rule; repeats of a point in the order of the run. In the order of
// the first run, then what only later ones have.
std::vector<ComparedFinding> compare_runs(const std::vector<const RunData*>& runs);

// The curves that the finding judges, of all runs that kept one, with the limit; at most 20. Nothing for
// results without a curve.
std::optional<Figure> overlay_figure(const ComparedFinding& compared, const std::vector<const RunData*>& runs,
                                     const std::vector<std::string>& names);

}  // namespace rt::lab
