#include "lab/report/report.hpp"
#include <cmath>

#include "cli/command.hpp"
#include "core/base/text.hpp"
#include "lab/report/pdf.hpp"
#include "lab/report/tables.hpp"

namespace rt {
namespace {

std::size_t count_of(const std::string& text) {
    const auto value = to_double(text);
    if (!value || *value < 0 || *value != std::floor(*value) || *value > 1e6) {
        fail_input("--figures " + text + ": write a whole number");
    }
    return static_cast<std::size_t>(*value);
}

ExitCode run(const Call& call) {
    const auto folders = call.texts("run");
    if (folders.size() != 1) fail_input("report needs one run folder: rare-tally report RUN");
    const RunData data(folders.front());
    ReportOptions options;
    if (call.flag("figures")) options.figures_per_test = count_of(call.text("figures"));
    const std::string out = call.text("out");
    const auto written = write_report(
        data, out.empty() ? std::filesystem::path(folders.front()) / "report" : std::filesystem::path(out),
        options);
    if (call.flag("json")) {
        call.console.out(run_json(data.record()));
    } else {
        call.console.out(call.console.counts(data.record().counts()));
        for (std::size_t i = 0; i < 3; ++i) call.console.out("wrote " + written[i].string());
        if (call.flag("pdf")) {
            auto pdf = written.front();
            pdf.replace_extension(".pdf");
            write_pdf(written.front(), pdf);
            call.console.out("wrote " + pdf.string());
        }
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
            {{"pdf", "", "as PDF too (by weasyprint)"},
             {"out", "DIR", "where to write; without it, report/ in the run folder"},
             {"figures", "N", "figures per test at most, the smallest margins first; 24 without it"}},
            "run",
            run};
}

}  // namespace rt
