// Findings looked for over many runs: in run folders, or in a lab's shared store.
#pragma once

#include <filesystem>
#include <optional>
#include <string>
#include <vector>

#include "core/rules/finding.hpp"

namespace rt::lab {

struct FindingQuery {
    std::string unit;       // serial number or model, whole
    std::string rule;       // "cispr-32/mains-b-qp", or a book's id for all its rules
    std::string test;       // name of a test
    std::string bench;      // name of a bench
    std::string judgement;  // name of a judgement that was made later; "" for the runs' own findings
    std::optional<Verdict> verdict;
    std::optional<double> below;   // margins smaller than this ...
    Unit below_unit = Unit::none;  // ... in this unit; of any unit with none
    std::string since;             // runs begun on this day or later, ISO date
    std::size_t most = 1000;       // smallest margins first
};

struct FoundFinding {
    std::string run;  // folder
    std::string started, model, serial, bench;
    std::string test, point, rule;
    Verdict verdict = Verdict::none;
    std::optional<double> value, limit, margin;
    Unit unit = Unit::none;
};

// Units of findings whose margins are in the unit asked for, as ",dBuV,dBm,": "" for all.
std::string units_asked_for(const FindingQuery& query);

// Run folders at and below `folder`, in their order. Throws Error(input) where there is none.
std::vector<std::filesystem::path> runs_in(const std::filesystem::path& folder);

// What a folder holds: run folders, or folders of run folders. Runs that cannot be read, that never began, or
// that are not as they were written are left out; `left_out` gets a line for each. Throws Error(input) where
// there is no run at all, and for judgements, which run folders do not have.
std::vector<FoundFinding> find_in_folders(const std::vector<std::filesystem::path>& folders,
                                          const FindingQuery& query, std::vector<std::string>& left_out);

// Where a capture is kept, and which point it belongs to.
struct FoundCapture {
    std::string run;  // folder
    std::string started, model, serial;
    std::string test, point;
    std::string role;  // "capture", "input", or what an attachment is
    std::string path;  // within the run folder
};

// By the SHA-256 of its data.
std::vector<FoundCapture> find_capture_in_folders(const std::vector<std::filesystem::path>& folders,
                                                  const std::string& hash,
                                                  std::vector<std::string>& left_out);

}  // namespace rt::lab
