#include "cli/campaign_options.hpp"
#include "cli/copy_files.hpp"
#include "lab/report/report.hpp"

namespace rt {
namespace {

// The first of tally-demo, tally-demo-2, tally-demo-3 ... that does not exist.
std::filesystem::path free_folder() {
    std::filesystem::path folder = "tally-demo";
    for (int i = 2; std::filesystem::exists(folder); ++i) folder = "tally-demo-" + std::to_string(i);
    return folder;
}

ExitCode perform_demo(const Call& call) {
    const auto named = call.texts("dir");
    if (named.size() > 1) fail_input("demo takes one folder: rare-tally demo DIR");
    const std::filesystem::path folder = named.empty() ? free_folder() : std::filesystem::path(named.front());
    copy_shipped(share_folder() / "demo", folder,
                 {"campaign.toml", "bench.toml", "skerry-2.toml", "network-n3.csv", "answers.toml",
                  "answers-evening.toml", "chamber.toml", "chamber-bench.toml", "antenna-h2.csv", "link.toml",
                  "link-bench.toml", "nrz-link.toml", "ports.toml", "ports-bench.toml", "laboratory.svg",
                  "certificate.md.mustache"});
    // First the chamber (radiated emission over turntable and mast), the serial link and the wired ports,
    // each on its own.
    for (const std::string name : {"chamber", "link", "ports"}) {
        Call part{call.options, call.console};
        part.options.erase("json");
        const auto campaign = load_campaign(call, folder / (name + ".toml"), "");
        run_and_report(part, *campaign, folder / name, true, false);
        if (!call.flag("json")) call.console.out("");
    }
    const auto loaded = load_campaign(call, folder / "campaign.toml", "");
    if (!call.flag("json")) {
        print_plan(call, *loaded, 200);
        call.console.out("");
    }
    // The run stops where its operator goes home, and is carried on the next morning.
    Call evening{call.options, call.console}, morning{call.options, call.console};
    evening.options["answers"] = {(folder / "answers-evening.toml").string()};
    morning.options["answers"] = {(folder / "answers.toml").string()};
    evening.options.erase("json");
    run_and_report(evening, *loaded, folder / "run", false, false);
    if (!call.flag("json")) call.console.out("");
    const auto kept = load_kept_campaign(folder / "run");
    const ExitCode code = run_and_report(morning, *kept, folder / "run", true, true);
    // All four measured separately, in one report.
    const OpenRuns runs({folder / "run", folder / "chamber", folder / "link", folder / "ports"});
    const WrittenReport joined = write_report(runs.all(), folder / "joined");
    if (!call.flag("json")) call.console.out("\nall four runs in one report: " + joined.html.string());
    return code;
}

}  // namespace

Command demo_command() {
    return {"demo",
            "[DIR]",
            "the whole shipped example on simulated instruments",
            "rare-tally demo first-look",
            {rulebook_option},
            "dir",
            perform_demo};
}

}  // namespace rt
