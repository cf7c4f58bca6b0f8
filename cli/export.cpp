#include "cli/campaign_options.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/growing_table.hpp"
#include "lab/report/junit.hpp"
#include "lab/report/tables.hpp"
#include "lab/report/workbook.hpp"
#include "lab/tally/evidence.hpp"
#include "lab/tally/run_data.hpp"

namespace rt::cli {
namespace {

struct Form {
    const char* name;
    const char* file;
    bool on_request = false;  // made only when asked for by name
};
constexpr Form forms[] = {{"csv", "results.csv"},
                          {"json", "results.json"},
                          {"junit", "junit.xml"},
                          {"workbook", "results.xlsx"},
                          {"evidence", "evidence.zip", true}};  // as large as the run

ExitCode perform_export(const Call& call) {
    const auto folders = call.texts("run");
    if (folders.size() != 1) fail_input("export needs one run folder: rare-tally export RUN --as workbook");
    std::vector<std::string> wanted = call.texts("as"), known;
    for (const Form& form : forms) known.push_back(form.name);
    if (wanted.empty()) {
        for (const Form& form : forms) {
            if (!form.on_request) wanted.push_back(form.name);
        }
    }
    for (const auto& name : wanted) {
        if (std::find(known.begin(), known.end(), name) == known.end())
            fail_input("--as " + name + ": no such form" + suggestion(name, known));
    }
    const RunData data(folders.front());
    if (call.flag("append")) {
        const auto kept = load_kept_campaign(folders.front());
        if (!kept->campaign.table)
            fail_input("--append: the campaign of this run has no [table] that says what the columns are");
        append_row(call.text("append"), table_row(*kept->campaign.table, data.record()));
        call.console.out("appended a row to " + call.text("append"));
        if (!call.flag("as")) return ExitCode::passed;
    }
    const std::string out = call.text("out");
    const std::filesystem::path folder =
        out.empty() ? std::filesystem::path(folders.front()) / "export" : std::filesystem::path(out);
    make_folder(folder);
    for (const Form& form : forms) {
        const std::string name = form.name;
        if (std::find(wanted.begin(), wanted.end(), name) == wanted.end()) continue;
        const auto file = folder / form.file;
        if (name == "csv") write_file(file, findings_csv(data.record()));
        if (name == "json") write_file(file, run_json(data.record()));
        if (name == "junit") write_file(file, junit_xml(data.record()));
        if (name == "workbook") write_workbook(data.record(), file);
        if (name == "evidence") {
            const Evidence evidence = write_evidence(folders.front(), file);
            call.console.out("wrote " + file.string() + ": " + std::to_string(evidence.files) +
                             " files, seal " + evidence.seal);
            continue;
        }
        call.console.out("wrote " + file.string());
    }
    return ExitCode::passed;
}

}  // namespace

Command export_command() {
    return {"export",
            "RUN [--as FORM] [--out DIR]",
            "tables of a kept run for other programs, or all its evidence as one archive",
            "rare-tally export first-run --as workbook --out for-the-customer",
            {{"as", "FORM",
              "csv, json, junit, workbook or evidence; may be given more than once, all tables without it"},
             {"append", "FILE", "append the row of the campaign's [table] to this CSV file"},
             {"out", "DIR", "where to write; without it, export/ in the run folder"}},
            "run",
            perform_export};
}

}  // namespace rt::cli
