// The report of a run, or of several joined: one HTML file that needs nothing else, figures, and tables for
// other programs.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "lab/report/run_data.hpp"

namespace rt {

struct ReportOptions {
    std::size_t figures_per_test = 24;  // of points with the smallest margins; the others are listed without
    std::string name;                   // pattern of file names; the campaign's without it
    std::vector<std::filesystem::path> templates;  // users' own, besides those of the campaign
};

struct WrittenReport {
    std::filesystem::path html;
    std::vector<std::filesystem::path> files;  // all of them but figures, the page first
    std::size_t figures = 0;
    std::filesystem::path figure_folder;
};

// Writes NAME.html, results.csv and results.json (of the first run; with several results-2.csv ...),
// figures/*.svg and what own templates make into `folder`. Nothing is written when a template is wrong.
WrittenReport write_report(const std::vector<const RunData*>& runs, const std::filesystem::path& folder,
                           const ReportOptions& options = {});

}  // namespace rt
