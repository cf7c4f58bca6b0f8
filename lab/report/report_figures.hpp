// The figures of a report: traces of points, curves over sweeps, readings of watches.
#pragma once

#include <filesystem>
#include <map>
#include <string>
#include <vector>

#include "lab/tally/run_data.hpp"

namespace rt::lab {

struct DrawnFigure {
    std::filesystem::path file;  // .svg
    std::string svg;             // base64
    std::string values;          // see figure_values(); "" for what is only looked at
};

// Of a report over one or several runs, which are its parts from 0.
struct ReportFigures {
    std::map<std::pair<std::size_t, std::size_t>, std::vector<DrawnFigure>> points;  // by part and position
    std::map<std::pair<std::size_t, std::size_t>, std::vector<Table>> tables;        // of the same points
    std::map<std::string, std::size_t> left_out;                                     // by test
    std::map<std::string, std::vector<DrawnFigure>> sweeps;  // curves over the sweep, by test
    std::vector<std::vector<DrawnFigure>> watches;           // by part

    // Of scans against limit lines: the peaks nearest to each limit, by test, those with the least margin
    // first.
    struct Peak {
        std::string rule, place, detector;
        double frequency_hz = 0, level = 0, limit = 0, margin = 0;
        Unit unit = Unit::dbuv;
        std::size_t part = 0, position = 0;
        std::size_t number = 0;  // in the figure of its point
    };
    std::map<std::string, std::vector<Peak>> peaks;

    // The first of a test; null without one.
    const DrawnFigure* sweep(const std::string& test) const;
    std::vector<std::filesystem::path> files() const;
};

// Draws them into `folder`/figures, of each test at most `most` traces: those that a reader wants to see
// first.
ReportFigures draw_figures(const std::vector<const RunData*>& runs, const std::filesystem::path& folder,
                           std::size_t most);

}  // namespace rt::lab
