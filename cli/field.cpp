#include "cli/campaign_options.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/list_file.hpp"
#include "lab/report/field_results.hpp"
#include "lab/tally/tally.hpp"

namespace rt::cli {
namespace {

namespace fs = std::filesystem;

// The campaign that the list becomes is kept beside the results. Of a list that is wrong nothing stays.
std::unique_ptr<LoadedCampaign> load_made(const Call& call, const lab::MadeCampaign& made,
                                          const std::string& list, const fs::path& folder) {
    const bool fresh = !fs::exists(folder);
    const fs::path inputs = folder / "list";
    lab::make_folder(inputs);
    try {
        lab::write_file(inputs / "campaign.toml", made.campaign);
        if (!made.rulebook.empty()) lab::write_file(inputs / "limits.toml", made.rulebook);
        return load_campaign(call, inputs / "campaign.toml", "");
    } catch (const Error& error) {
        std::error_code ignored;
        fs::remove_all(fresh ? folder : inputs, ignored);
        const bool of_list = error.place().starts_with(inputs.string());
        if (error.kind() != ErrorKind::input || !of_list) throw;
        fail_input(list, error.message());  // its line is one of what was made
    }
}

ExitCode perform_field(const Call& call) {
    const auto files = call.texts("list");
    if (files.size() != 1)
        fail_input("field needs one list of measurements: rare-tally field LIST; docs/field.md shows one");
    const lab::MadeCampaign made = lab::read_list(files.front());
    const fs::path folder = call.flag("out")
                                ? fs::path(call.text("out"))
                                : fs::path(lower(slug(made.title)) + "-" + lab::utc_now().substr(0, 10));
    const fs::path run = folder / "run";
    const bool resume = fs::exists(run / lab::tally_file);
    std::unique_ptr<LoadedCampaign> loaded;
    if (resume) {
        loaded = load_kept_campaign(run, Loaded::to_carry_on);
        call.console.progress("the list was begun in " + folder.string() + " and is carried on");
    } else {
        loaded = load_made(call, made, files.front(), folder);
    }
    if (call.flag("check")) {
        print_plan(call, *loaded, 200);
        return ExitCode::passed;
    }
    for (const auto& warning : loaded->plan.warnings) call.console.progress("attention: " + warning);
    const ExitCode code = run_and_report(call, *loaded, run, false, resume);
    const lab::RunData data(run);
    const auto written = lab::write_field_results(data, folder);
    call.console.out("wrote " + written.front().string() + ", results.csv and " +
                     std::to_string((written.size() - 2) / 2) + " pictures with their curves beside it");
    if (!data.record().complete())
        call.console.out("carry it on: rare-tally field " + files.front() + " --out " + folder.string());
    return code;
}

}  // namespace

Command field_command() {
    return {"field",
            "LIST [--out DIR]",
            "a technician's list of measurements, one after the other: texts before and after each, results "
            "as one "
            "folder with text, pictures and CSV",
            "rare-tally field mast-visit.toml --out mast-4",
            {{"out", "DIR",
              "folder of the results; without it, named after list and day; one that was begun is "
              "carried on"},
             {"answers", "FILE", "answers to questions and prompts: name = \"answer\""},
             {"unattended", "", "nobody is there: defaults answer, prompts are taken as done"},
             {"check", "", "only what would be done"},
             {"serve-live", "ADDRESS", "show the live page to a phone: 192.0.2.4:8080; the link has a token"},
             {"no-live", "", "write no live page"}},
            "list",
            perform_field};
}

}  // namespace rt::cli
