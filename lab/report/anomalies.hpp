// What looks odd in the sweeps of a run. Hints for the operator: no verdict rests on them.
#pragma once

#include <string>
#include <vector>

#include "lab/model/record.hpp"

namespace rt::lab {

struct RunAnomaly {
    std::string test, result, kind;
    std::string curve;         // "mode=idle"; "" where the test has only one
    std::size_t position = 0;  // of the point to look at; 0 for a whole curve
    std::string at;            // "level 8 dBm"; "" for a whole curve
    std::string reason;        // what was seen and what is usual
};

// Each test's first result, results that go one way with level, and the least margin where there are no
// results.
std::vector<RunAnomaly> anomalies_of(const RunRecord& run);

// "sensitivity, channel=11, level -94 dBm: packet error ratio, outlier: 12 % beside the line ..."
std::string anomaly_text(const RunAnomaly& anomaly);

}  // namespace rt::lab
