#include "cli/campaign_options.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/tally/tally.hpp"

namespace rt::cli {
namespace {

// "tally-skerry-2-emission-20260504-081530Z"
std::string folder_name(const Campaign& campaign) {
    std::string time = utc_now().substr(0, 19);
    std::erase(time, '-');
    std::erase(time, ':');
    time.replace(time.find('T'), 1, "-");
    return "tally-" + lower(slug(campaign.title)) + "-" + time + "Z";
}

ExitCode perform_run(const Call& call) {
    const auto files = call.texts("campaign");
    const std::string resume = call.text("resume");
    if (files.size() != (resume.empty() ? 1 : 0)) {
        fail_input("run needs one campaign file, or --resume and a run folder: rare-tally run CAMPAIGN");
    }
    if (!resume.empty() &&
        (call.flag("out") || call.flag("rulebook") || call.flag("only") || call.flag("profile") ||
         call.flag("published") || call.flag("set") || call.flag("dry-run"))) {
        fail_input(
            "--resume takes everything from the run folder, but for a bench that was corrected: leave out "
            "--out, "
            "--rulebook, --only, --profile, --published, --set and --dry-run");
    }
    if (resume.empty() && call.flag("redo"))
        fail_input("--redo goes with --resume: it measures points of a run again");
    const auto loaded = resume.empty() ? load_campaign(call, files.front(), call.text("bench"))
                                       : load_kept_campaign(resume, Loaded::to_carry_on, call.text("bench"));
    if (call.flag("driven") && (call.flag("unattended") || call.flag("json") || call.flag("ask-at-failure")))
        fail_input("--driven goes with neither --unattended nor --json nor --ask-at-failure");
    if (call.flag("dry-run")) {
        print_plan(call, *loaded, 200);
        return ExitCode::passed;
    }
    for (const auto& warning : loaded->plan.warnings) call.console.progress("attention: " + warning);
    const std::string out = call.text("out");
    const std::filesystem::path folder = !resume.empty() ? resume
                                         : out.empty()   ? folder_name(loaded->campaign)
                                                         : out;
    return run_and_report(call, *loaded, folder, !call.flag("no-report"), !resume.empty());
}

}  // namespace

Command run_command() {
    return {
        "run",
        "CAMPAIGN [--bench FILE] [--out DIR] | --resume RUN [--bench FILE]",
        "carry a campaign out: measure, judge, keep, report",
        "rare-tally run campaign.toml --bench bench.toml --out first-run",
        {{"bench", "FILE",
          "bench file, instead of the campaign's; with --resume, the one that was corrected: what was "
          "measured with "
          "what is another now is measured again"},
         only_option,
         rulebook_option,
         {"out", "DIR", "run folder; without it, named after campaign and time"},
         {"resume", "RUN", "carry a stopped or killed run on: only the points it lacks are measured"},
         {"redo", "WHAT",
          "with --resume, measure a test (by name) or a point (by number) again; the old ones are kept"},
         profile_option,
         set_option_of_tests,
         published_option,
         {"answers", "FILE", "answers to questions and prompts: name = \"answer\""},
         {"dry-run", "", "only what would be done, as check shows it; nothing moves"},
         {"driven", "",
          "another program drives it: events as JSON lines on stdout, replies on stdin (docs/driving.md)"},
         {"unattended", "", "nobody is there: defaults answer, prompts are taken as done"},
         {"stop-at-failure", "", "end the run after the first point that fails"},
         {"ask-at-failure", "", "the operator decides after each point that fails: go on, redo, skip, stop"},
         {"no-live", "", "write no live page"},
         {"serve-live", "ADDRESS",
          "show the live page to a phone nearby: this machine's address and a port; the link that is told "
          "has a "
          "token"},
         {"traffic", "", "keep every exchange with the instruments in traffic.log"},
         {"no-report", "", "measure and judge only"}},
        "campaign",
        perform_run};
}

}  // namespace rt::cli
