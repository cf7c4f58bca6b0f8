// Candidates for the final measurement, out of a pre-scan.
#pragma once

#include <span>
#include <vector>

#include "core/outcome/outcome.hpp"
#include "core/rules/rule.hpp"

namespace rt {

struct CandidateSettings {
    double prominence_db = 6;             // a candidate stands out by at least this much
    double apart_hz = 0;                  // of candidates closer than this the highest stays
    std::optional<double> within_db;      // only where the level comes this close to a limit (or is above it)
    std::size_t most = 10;                // in each sub-range
    std::vector<double> split_at_hz;      // ends of sub-ranges inside the band
    std::vector<double> add_hz, drop_hz;  // of the operator; drop takes what lies within apart_hz
};

struct Candidate {
    double frequency_hz = 0;
    double level = 0;              // as the trace has it; of added ones the level of the nearest point
    std::optional<double> margin;  // to the nearest limit in the trace's unit
    bool added = false;
};

// The highest of several traces over the same points. Throws Error(input) when their points differ.
Trace held_maximum(std::vector<Trace> traces);

// Peaks of the trace, in each sub-range those nearest to a limit (or the highest, where there is none), by
// frequency. Method: CISPR 16-2-1 and 16-2-3, data reduction between pre-scan and final measurement.
std::vector<Candidate> choose_candidates(const Trace& trace, std::span<const Rule* const> rules,
                                         const CandidateSettings& settings);

}  // namespace rt
