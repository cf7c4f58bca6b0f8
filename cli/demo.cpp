#include <algorithm>
#include <array>

#include "cli/campaign_options.hpp"
#include "cli/copy_files.hpp"
#include "core/base/text.hpp"
#include "lab/report/page/report.hpp"

namespace rt::cli {
namespace {

struct Demo {
    const char* name;
    const char* folder;    // of its run
    const char* campaign;  // among the files of the demo
    const char* shows;
    bool attended;  // its operator answers, goes home on the way and carries on the next morning
};
constexpr std::array demos{
    Demo{"chamber", "chamber", "chamber.toml",
         "radiated emission: candidates of a pre-scan, turntable and mast to the maximum, final readings, "
         "decision "
         "by CISPR",
         false},
    Demo{"link", "link", "link.toml",
         "serial link over three cables: eye, mask, jitter; a two-wire bus with a late bit", false},
    Demo{"ports", "ports", "ports.toml",
         "wired ports: distortion with its disturber, droop, return loss, a USB handshake", false},
    Demo{"wafer", "probes", "wafer/campaign.toml",
         "a wafer under probes: level, calibration, every die between its dummies, yield and its map", false},
    Demo{"receiver", "gateway", "receiver/campaign.toml",
         "a receiver: packet errors counted and decided early, throughput, sensitivity of each modulation; a "
         "dead "
         "one, one that saturates",
         false},
    Demo{"short-range", "short-range-run", "short-range/campaign.toml",
         "a low-energy tag: found among others, its packet errors counted by what it allows, its bursts on "
         "three "
         "channels, one of them too weak, modulation and drift",
         false},
    Demo{"sharing", "sharing-run", "sharing/campaign.toml",
         "a transmitter that listens before it talks: occupancies, idle times, and how soon it stops when "
         "noise "
         "comes on its channel; one channel too late, one deaf",
         false},
    Demo{"beacon", "beacon-run", "beacon/campaign.toml",
         "the yearly check of distress beacons: bursts on 406 MHz with their message, the signal to home on; "
         "the spare "
         "one is off its channel",
         false},
    Demo{"stress", "stress-run", "stress/campaign.toml",
         "a receiver under stress: ingredients adjusted at the reference plane, errors in what comes back, "
         "tolerance of jitter over its frequency; at the lowest one its clock follows too slowly",
         false},
    Demo{"landing", "landing-run", "landing/campaign.toml",
         "a landing-system receiver: its signal made and measured back, its indication at every step, flags, "
         "a "
         "pattern that finds a loose contact",
         false},
    Demo{"cellular", "cellular-run", "cellular/campaign.toml",
         "a modem that sends LTE and NR: power, modulation and leakage of each, both at once by two testers; "
         "too much "
         "leakage at one band's edge",
         false},
    Demo{"attached", "attached-run", "attached/campaign.toml",
         "the same modem attached to two testers: power by command, both technologies at once, a session "
         "that is "
         "lost and brought up again",
         false},
    Demo{"alignment", "alignment-run", "alignment/campaign.toml",
         "a radio module is aligned: its gain table made, written and read back, then verified; a second "
         "receiver that "
         "is worse, drift while it warms up",
         false},
    Demo{"module", "module-run", "module/campaign.toml",
         "optical modules: their management bus, and monitors against limits of their own; a weak lane, a "
         "dark one",
         false},
    Demo{"radio", "run", "campaign.toml",
         "supply emission, radio mask and modulation, receiver sensitivity: an operator who stops and "
         "carries on, "
         "overload, one FAIL",
         true},
};

// The first of tally-demo, tally-demo-2, tally-demo-3 ... that does not exist.
std::filesystem::path free_folder() {
    std::filesystem::path folder = "tally-demo";
    for (int i = 2; std::filesystem::exists(folder); ++i) folder = "tally-demo-" + std::to_string(i);
    return folder;
}

const Demo& find_demo(const std::string& name) {
    std::vector<std::string> names;
    for (const Demo& demo : demos) {
        if (demo.name == name) return demo;
        names.emplace_back(demo.name);
    }
    fail_input("no demo is called " + in_quotes(name) + suggestion(name, names) +
               "; demo --list shows them, --out names the folder");
}

// `last` alone speaks JSON, where that is asked for: its document is the only one on stdout.
ExitCode show(const Call& call, const Demo& demo, const std::filesystem::path& folder, bool last) {
    Call quiet{call.options, call.console};
    quiet.options.erase("json");
    const Call& own = last ? call : quiet;
    const auto campaign = load_campaign(call, folder / demo.campaign, "");
    const auto run = folder / demo.folder;
    if (!demo.attended) {
        Call alone{own.options, own.console};
        alone.options["unattended"] = {};
        return run_and_report(alone, *campaign, run, true, false);
    }
    if (!call.flag("json")) {
        print_plan(call, *campaign, 200);
        call.console.out("");
    }
    // The run stops where its operator goes home, and is carried on the next morning.
    Call evening = quiet, morning{own.options, own.console};
    evening.options["answers"] = {(folder / "answers-evening.toml").string()};
    morning.options["answers"] = {(folder / "answers.toml").string()};
    run_and_report(evening, *campaign, run, false, false);
    if (!call.flag("json")) call.console.out("");
    const auto kept = load_kept_campaign(run, Loaded::to_carry_on);
    return run_and_report(morning, *kept, run, true, true);
}

ExitCode perform_demo(const Call& call) {
    if (call.flag("list")) {
        std::vector<std::vector<std::string>> rows;
        for (const Demo& demo : demos) rows.push_back({demo.name, demo.shows});
        for (const auto& line : aligned(rows, "  ")) call.console.out(line);
        return ExitCode::passed;
    }
    const auto named = call.texts("name");
    if (named.size() > 1) fail_input("demo takes one name, or none for all: rare-tally demo NAME");
    const Demo* only = named.empty() ? nullptr : &find_demo(named.front());
    const std::filesystem::path folder =
        call.flag("out") ? std::filesystem::path(call.text("out")) : free_folder();
    copy_shipped(share_folder() / "demo", folder,
                 {"campaign.toml",
                  "bench.toml",
                  "skerry-2.toml",
                  "network-n3.csv",
                  "answers.toml",
                  "answers-evening.toml",
                  "chamber.toml",
                  "chamber-bench.toml",
                  "antenna-h2.csv",
                  "link.toml",
                  "link-bench.toml",
                  "nrz-link.toml",
                  "ports.toml",
                  "ports-bench.toml",
                  "laboratory.svg",
                  "certificate.md.mustache",
                  "certificate.docx",
                  "wafer/campaign.toml",
                  "wafer/bench.toml",
                  "wafer/kit.toml",
                  "wafer/limits.toml",
                  "wafer/simulated-wafer.toml",
                  "wafer/wafer.toml",
                  "module/campaign.toml",
                  "module/bench.toml",
                  "module/gateway-control.toml",
                  "module/limits.toml",
                  "module/simulated-gateway.toml",
                  "module/uplink-a.txt",
                  "module/uplink-b.txt",
                  "stress/campaign.toml",
                  "stress/bench.toml",
                  "stress/limits.toml",
                  "stress/receiver-control.toml",
                  "stress/sample-generator.toml",
                  "stress/simulated-receiver.toml",
                  "landing/campaign.toml",
                  "landing/bench.toml",
                  "landing/limits.toml",
                  "landing/receiver-control.toml",
                  "landing/simulated-receiver.toml",
                  "landing/spiral.csv",
                  "landing/cross.csv",
                  "landing/square.csv",
                  "landing/random.csv",
                  "field/visit.toml",
                  "field/bench.toml",
                  "field/simulated-mast.toml",
                  "attached/campaign.toml",
                  "attached/bench.toml",
                  "attached/simulated-modem.toml",
                  "cellular/campaign.toml",
                  "cellular/bench.toml",
                  "cellular/modem-control.toml",
                  "cellular/simulated-modem.toml",
                  "alignment/campaign.toml",
                  "alignment/bench.toml",
                  "alignment/limits.toml",
                  "alignment/module-control.toml",
                  "alignment/simulated-module.toml",
                  "beacon/campaign.toml",
                  "beacon/certificate.html.mustache",
                  "beacon/bench.toml",
                  "beacon/beacon-control.toml",
                  "beacon/simulated-beacon.toml",
                  "short-range/campaign.toml",
                  "short-range/bench.toml",
                  "short-range/limits.toml",
                  "short-range/tag-control.toml",
                  "short-range/simulated-tag.toml",
                  "driving/client.py",
                  "sharing/campaign.toml",
                  "sharing/bench.toml",
                  "sharing/gateway-control.toml",
                  "sharing/simulated-gateway.toml",
                  "receiver/campaign.toml",
                  "receiver/bench.toml",
                  "receiver/blockers.csv",
                  "receiver/gateway-control.toml",
                  "receiver/limits.toml",
                  "receiver/simulated-gateway.toml"});
    if (only) return show(call, *only, folder, true);
    ExitCode code = ExitCode::passed;
    std::vector<std::filesystem::path> all;
    for (const Demo& demo : demos) {
        const bool last = &demo == &demos.back();
        code = show(call, demo, folder, last);
        if (!last && !call.flag("json")) call.console.out("");
        all.insert(all.begin(), folder / demo.folder);
    }
    // All of them, measured separately, in one report.
    std::reverse(all.begin() + 1, all.end());
    const OpenRuns runs(all);
    const WrittenReport joined = write_report(runs.all(), folder / "joined");
    if (!call.flag("json")) call.console.out("\nall fifteen runs in one report: " + joined.html.string());
    return code;
}

}  // namespace

Command demo_command() {
    return {"demo",
            "[NAME]",
            "the shipped examples on simulated instruments, all or one",
            "rare-tally demo link --out first-look",
            {{"list", "", "what each example shows"},
             {"out", "DIR", "folder to work in, which must not exist; without it tally-demo"},
             rulebook_option},
            "name",
            perform_demo};
}

}  // namespace rt::cli
