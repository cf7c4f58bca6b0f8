// Recorded captures instead of an instrument, found by a file-name pattern.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <unordered_map>
#include <vector>

#include "lab/run/plan.hpp"

namespace rt::lab {

// The pattern of an instrument's address ("files:captures/*-{test}-{label}.csv") may hold {test}, {label},
// {repeat} and the axes' names, spelled by file_part() as in captures of a run, and * for anything. One point
// has one file: where a file fits several patterns it is of the one that leaves least to the *, so that
// *-{test}-... does not take the file of a test with a longer name. Folders are read once.
class RecordedCaptures {
  public:
    explicit RecordedCaptures(const Plan& plan);

    // The file of a point. Throws Error(bench) when there is none, Error(input) for an unknown placeholder,
    // for several files, and for one file that fits two points.
    std::filesystem::path find(const Instrument& instrument, const Test& test, const Sweep& sweep,
                               const Point& point);
    // Looks at all points that the plan knows. Throws as find() does, but not for a file that is not there
    // yet.
    void require_clear();

  private:
    // What one point takes its file by.
    struct Claim {
        std::string pattern;  // with its folder
        std::string point;    // "test: label"
    };
    struct Folder {
        std::vector<std::string> names;
        // By what follows the last wildcard, for each length of that.
        std::map<std::size_t, std::unordered_map<std::string, std::vector<std::size_t>>> by_tail;
    };

    std::vector<std::string> matches(const std::string& pattern);
    // True when another point's pattern fits the file with less left to wildcards.
    bool of_another(const std::string& file, const std::string& pattern) const;
    std::filesystem::path resolve(const Instrument& instrument, const Claim& claim, bool& missing);

    const Plan& plan_;
    std::map<std::string, Folder> folders_;
    std::vector<std::pair<const Instrument*, Claim>> claims_;  // of the points that the plan knows
    std::unordered_map<std::string, std::size_t> by_pattern_;  // first claim with it
    std::map<std::size_t, std::unordered_map<std::string, std::vector<std::string>>> patterns_by_tail_;
    std::unordered_map<std::string, std::string> taken_;  // file to point
};

}  // namespace rt::lab
