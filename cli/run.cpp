#include "cli/campaign_options.hpp"
#include "core/base/text.hpp"
#include "lab/tally/tally.hpp"

namespace rt {
namespace {

// "tally-skerry-2-emission-20260504-081530Z"
std::string folder_name(const Campaign& campaign) {
    std::string time = utc_now().substr(0, 19);
    std::erase(time, '-');
    std::erase(time, ':');
    time.replace(time.find('T'), 1, "-");
    return "tally-" + lower(slug(campaign.title)) + "-" + time + "Z";
}

ExitCode run(const Call& call) {
    const auto files = call.texts("campaign");
    if (files.size() != 1) fail_input("run needs one campaign file: rare-tally run CAMPAIGN");
    const auto loaded = load_campaign(call, files.front(), call.text("bench"));
    for (const auto& warning : loaded->plan.warnings) call.console.progress("attention: " + warning);
    const std::string out = call.text("out");
    return run_and_report(call, *loaded, out.empty() ? folder_name(loaded->campaign) : out,
                          !call.flag("no-report"));
}

}  // namespace

Command run_command() {
    return {"run",
            "CAMPAIGN [--bench FILE] [--out DIR]",
            "carry a campaign out: measure, judge, keep, report",
            "rare-tally run campaign.toml --bench bench.toml --out first-run",
            {bench_option,
             rulebook_option,
             {"out", "DIR", "run folder; without it, named after campaign and time"},
             {"no-report", "", "measure and judge only"}},
            "campaign",
            run};
}

}  // namespace rt
