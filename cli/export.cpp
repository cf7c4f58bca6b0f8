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

// A form that a run is exported in. Adding one is a function that writes it and a row here.
struct Form {
    const char* name;
    const char* file;
    const char* help;
    // Writes it; gives what is to be said besides the name of the file.
    std::string (*write)(const RunData& data, const std::filesystem::path& file);
    bool on_request = false;  // made only when asked for by name
};

std::string write_archive(const RunData& data, const std::filesystem::path& file) {
    const Evidence evidence = write_evidence(data.folder(), file);
    return ": " + std::to_string(evidence.files) + " files, seal " + evidence.seal;
}

// Of a form that is a text made of the record.
template <std::string (*text)(const RunRecord&)>
std::string write_text(const RunData& data, const std::filesystem::path& file) {
    write_file(file, text(data.record()));
    return "";
}

constexpr Form forms[] = {
    {"csv", "results.csv", "one row a finding", write_text<findings_csv>},
    {"json", "results.json", "everything, documented in docs/json.md", write_text<run_json>},
    {"junit", "junit.xml", "findings as cases of a test suite", write_text<junit_xml>},
    {"workbook", "results.xlsx", "sheets for people",
     [](const RunData& data, const std::filesystem::path& file) {
         write_workbook(data.record(), file);
         return std::string();
     }},
    {"evidence", "evidence.zip", "the whole run as one archive", write_archive, true},  // as large as the run
};

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
    tell_signature(call, folders.front());
    if (call.flag("append")) {
        const auto kept = load_kept_campaign(folders.front(), Loaded::to_look_at);
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
        const std::string said = form.write(data, file);
        call.console.out("wrote " + file.string() + said);
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
