// The report of a run, or of several joined: one HTML file that needs nothing else, figures, and tables for
// other programs.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "lab/report/page/language.hpp"
#include "lab/tally/run_data.hpp"

namespace rt::lab {

struct ReportOptions {
    std::size_t figures_per_test = 24;  // of points with the smallest margins; the others are listed without
    std::string name;                   // pattern of file names; the campaign's without it
    std::vector<std::filesystem::path> templates;  // users' own, besides those of the campaign
    bool appendix = true;                          // further points, trials, long tables, kept inputs
    ReportLanguage language = {};
    std::vector<std::string> signatures;  // what that of each run is worth, in words
};

struct WrittenReport {
    std::filesystem::path html;
    std::vector<std::filesystem::path> files;  // all of them but figures, the page first
    std::size_t figures = 0;
    std::filesystem::path figure_folder;
    std::vector<std::string> left_out;  // own templates that could not be filled, each with why
};

// Writes NAME.html, results.csv and results.json (of the first run; with several results-2.csv ...),
// figures/*.svg and what own templates make into `folder`. Nothing is written when a template is wrong; of a
// run that is not complete a template that names what was not measured is left out. A run that was altered is
// marked on every page; own templates, which may have no place for that, are refused then.
WrittenReport write_report(const std::vector<const RunData*>& runs, const std::filesystem::path& folder,
                           const ReportOptions& options = {});

}  // namespace rt::lab
