#include "lab/report/report.hpp"
#include <cmath>

#include "cli/command.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/report/pdf.hpp"
#include "lab/report/tables.hpp"
#include "lab/tally/tally.hpp"

namespace rt {
namespace {

std::size_t count_of(const std::string& text) {
    const auto value = to_double(text);
    if (!value || *value < 0 || *value != std::floor(*value) || *value > 1e6) {
        fail_input("--figures " + text + ": write a whole number");
    }
    return static_cast<std::size_t>(*value);
}

// Details filled in afterwards: each change stands in the tally as an event.
void amend(const Call& call, const std::string& folder) {
    const auto settings = call.texts("set");
    if (settings.empty()) return;
    std::vector<std::pair<std::string, std::string>> changes;
    for (const auto& setting : settings) {
        const auto equals = setting.find('=');
        const std::string name(trim(setting.substr(0, equals)));
        const bool free = name == "customer" || name == "operator" || name == "note" ||
                          (name.starts_with("unit.") && name.size() > 5) ||
                          (name.starts_with("environment.") && name.size() > 12);
        if (equals == std::string::npos || !free) {
            fail_input(
                "--set " + setting +
                ": write NAME=VALUE with unit.DETAIL, environment.QUANTITY, customer, operator or note");
        }
        changes.emplace_back(name, std::string(trim(setting.substr(equals + 1))));
    }
    Tally tally = Tally::open_to_write(folder);
    const RunRecord record = tally.read();
    for (const auto& [name, value] : changes) {
        const std::string before = record.fact(name);
        if (before == value) continue;
        tally.set_fact(name, value);
        tally.add(EventRecord{utc_now(), "amended",
                              name + " is " + in_quotes(value) +
                                  (before.empty() ? " (was not stated)" : " (was " + in_quotes(before) + ")"),
                              0});
    }
}

ExitCode perform_report(const Call& call) {
    const auto folders = call.texts("run");
    if (folders.size() != 1) fail_input("report needs one run folder: rare-tally report RUN");
    amend(call, folders.front());
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
            {{"set", "NAME=VALUE",
              "fill in unit.DETAIL, environment.QUANTITY, customer, operator or note; kept as an event"},
             {"pdf", "", "as PDF too (by weasyprint)"},
             {"out", "DIR", "where to write; without it, report/ in the run folder"},
             {"figures", "N", "figures per test at most, the smallest margins first; 24 without it"}},
            "run",
            perform_report};
}

}  // namespace rt
