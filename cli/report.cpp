#include "cli/command.hpp"
#include "lab/report/report.hpp"
#include "lab/report/tables.hpp"

namespace rt {
namespace {

void add_options(cxxopts::Options& options) {
    options.add_options()("out", "where to write; without it, report/ in the run folder",
                          cxxopts::value<std::vector<std::string>>(), "DIR")(
        "figures", "figures per test at most, the smallest margins first; 24 without it", cxxopts::value<std::size_t>(), "N");
}

ExitCode run(const Call& call) {
    const auto folders = call.texts("run");
    if (folders.size() != 1) fail_input("report needs one run folder: rare-tally report RUN");
    const RunData data(folders.front());
    ReportOptions options;
    if (call.flag("figures")) options.figures_per_test = call.options["figures"].as<std::size_t>();
    const std::string out = call.text("out");
    const auto written =
        write_report(data, out.empty() ? std::filesystem::path(folders.front()) / "report" : std::filesystem::path(out), options);
    if (call.flag("json")) {
        call.console.out(run_json(data.record()));
    } else {
        call.console.out(call.console.counts(data.record().counts()));
        for (std::size_t i = 0; i < 3; ++i) call.console.out("wrote " + written[i].string());
        if (written.size() > 3) {
            call.console.out("wrote " + std::to_string(written.size() - 3) + " figures in " +
                             written.back().parent_path().string());
        }
    }
    return ExitCode::passed;
}

}  // namespace

Command report_command() {
    return {"report",
            "RUN [--out DIR]",
            "HTML report, figures, CSV and JSON from a kept run",
            "rare-tally report first-run --out for-the-customer",
            add_options,
            {"run"},
            run};
}

}  // namespace rt
