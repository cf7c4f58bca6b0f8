// The figures of a report: traces of points, curves over sweeps, readings of watches.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "lab/report/run_data.hpp"

namespace rt {

// Where figures of points are, and what to say about those without one.
struct ReportFigures {
    std::map<std::size_t, std::vector<std::string>> svg;  // by position
    std::map<std::string, std::size_t> left_out;          // by test
    std::map<std::string, std::string> sweeps;            // curves over the sweep, by test
    std::vector<std::string> watches;
    std::vector<std::filesystem::path> files;
};

// Draws them into `folder`/figures, of each test at most `most` traces: those that a reader wants to see
// first.
ReportFigures draw_figures(const RunData& run, const std::filesystem::path& folder, std::size_t most);

}  // namespace rt
