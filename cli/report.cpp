#include "lab/report/page/report.hpp"

#include "cli/command.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/report_name.hpp"
#include "lab/report/convert.hpp"
#include "lab/report/tables.hpp"
#include "lab/tally/tally.hpp"

namespace rt::cli {
namespace {

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
                          (name.starts_with("environment.") && name.size() > 12) ||
                          (name.starts_with("report.") && name.size() > 7);
        if (equals == std::string::npos || !free) {
            fail_input("--set " + setting +
                       ": write NAME=VALUE with unit.DETAIL, environment.QUANTITY, report.TEXT, customer, "
                       "operator or "
                       "note");
        }
        changes.emplace_back(name, std::string(trim(setting.substr(equals + 1))));
    }
    Tally tally = Tally::open_to_write(folder);
    const RunRecord record = tally.read_frame();
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
    if (folders.empty()) fail_input("report needs a run folder: rare-tally report RUN");
    const std::string out = call.text("out");
    if (folders.size() > 1 && out.empty())
        fail_input("several runs joined in one report need --out DIR: where to write it");
    if (folders.size() > 1 && call.flag("set")) fail_input("--set is for one run at a time");
    ReportOptions options;
    if (call.flag("figures")) options.figures_per_test = whole_option(call, "figures", 0, 1'000'000);
    options.name = call.text("name");
    require_name_pattern(options.name);
    for (const auto& file : call.texts("template")) options.templates.emplace_back(file);
    options.appendix = !call.flag("brief");
    // Figures that only an appendix would show are not drawn.
    constexpr std::size_t figures_in_body = 3;
    if (!options.appendix && !call.flag("figures")) options.figures_per_test = figures_in_body;
    amend(call, folders.front());
    const OpenRuns opened({folders.begin(), folders.end()},
                          call.flag("even-if-altered") ? Altered::mark : Altered::refuse);
    const auto& runs = opened.all();
    const auto target =
        out.empty() ? std::filesystem::path(folders.front()) / "report" : std::filesystem::path(out);
    for (const auto& folder : folders) options.signatures.push_back(tell_signature(call, folder));
    for (const RunData* run : runs) {
        for (const auto& text : run->altered()) call.console.attention("altered: " + text);
    }
    options.language = language_named(call.text("language"), *runs.front());
    for (const auto& text : options.language.lacking()) call.console.attention("not translated: " + text);
    WrittenReport written = write_report(runs, target, options);
    for (const auto& why : written.left_out) call.console.attention("template left out: " + why);
    const auto further = [&](const char* option, const char* ending, const auto& make) {
        if (!call.flag(option)) return;
        // The page, and what own templates have made of it.
        std::vector<std::filesystem::path> pages;
        for (const auto& file : written.files) {
            if (file.extension() == ".html") pages.push_back(file);
        }
        for (const auto& page : pages) {
            auto file = page;
            file.replace_extension(ending);
            call.console.progress("making " + file.string());
            make(page, file);
            written.files.push_back(file);
        }
    };
    further("pdf", ".pdf", write_pdf);
    further("document", ".odt", write_document);
    if (call.flag("json")) {
        for (const RunData* run : runs) call.console.out(run_json(run->record()));
        return ExitCode::passed;
    }
    VerdictCounts counts;
    for (const RunData* run : runs) counts.add(run->record().counts());
    call.console.out(call.console.counts(counts));
    for (const auto& file : written.files) call.console.out("wrote " + file.string());
    if (written.figures > 0) {
        call.console.out("wrote " + std::to_string(written.figures) + " figures in " +
                         written.figure_folder.string());
    }
    return ExitCode::passed;
}

}  // namespace

Command report_command() {
    return {
        "report",
        "RUN... [--out DIR]",
        "HTML report, figures, CSV and JSON from a kept run, or from several joined",
        "rare-tally report first-run --pdf --out for-the-customer",
        {{"set", "NAME=VALUE",
          "fill in unit.DETAIL, environment.QUANTITY, report.TEXT, customer, operator or note; kept as "
          "an event"},
         {"pdf", "", "as PDF too (by weasyprint)"},
         {"document", "", "as a document to edit by hand too, .odt (by pandoc)"},
         {"template", "FILE", "fill in this template of your own too; may be given more than once"},
         {"brief", "", "without the appendix: what failed or comes nearest to its limits, with all verdicts"},
         {"language", "NAME", "of the page: en, de, or a file with its texts (docs/afterwards.md)"},
         {"name", "PATTERN", "name of the files: \"{serial}-{date}\"; see docs/afterwards.md"},
         {"even-if-altered", "", "report a run that is not as it was written, with a mark on every page"},
         {"out", "DIR", "where to write; without it, report/ in the run folder"},
         {"figures", "N", "figures per test at most, the smallest margins first; 24 without it"}},
        "run",
        perform_report};
}

}  // namespace rt::cli
