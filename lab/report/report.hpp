// The report of a run: one HTML file that needs nothing else, figures, and tables for other programs.
#pragma once

#include <filesystem>
#include <vector>

#include "lab/report/run_data.hpp"

namespace rt {

struct ReportOptions {
    std::size_t figures_per_test = 24;  // of points with the smallest margins; the others are listed without
};

// Writes report.html, results.csv, results.json and figures/*.svg into `folder`. Returns what was written.
std::vector<std::filesystem::path> write_report(const RunData& run, const std::filesystem::path& folder,
                                                const ReportOptions& options = {});

}  // namespace rt
