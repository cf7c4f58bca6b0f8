#include <algorithm>
#include <array>

#include "cli/command.hpp"
#include "cli/copy_files.hpp"
#include "core/base/text.hpp"

namespace rt::cli {
namespace {

// What a campaign can begin from: a small one with remarks, or one of the examples, whose bench is simulated.
struct DraftKind {
    const char* name;
    const char* shows;
    const char* folder;    // below the demo
    const char* files;     // with spaces between; all of a folder of its own without
    const char* campaign;  // of these
};
constexpr std::array kinds{
    DraftKind{"starter", "a small campaign with remarks: one scan, one limit", "starter", "",
              "campaign.toml"},
    DraftKind{"chamber", "radiated emission: pre-scan, turntable, mast, final readings", ".",
              "chamber.toml chamber-bench.toml antenna-h2.csv skerry-2.toml", "chamber.toml"},
    DraftKind{"radio", "a low-rate radio: supply emission, mask, modulation, sensitivity", ".",
              "campaign.toml bench.toml network-n3.csv skerry-2.toml certificate.md.mustache "
              "certificate.docx laboratory.svg "
              "answers.toml",
              "campaign.toml"},
    DraftKind{"serial", "a serial link: eye, mask, jitter", ".",
              "link.toml link-bench.toml nrz-link.toml skerry-2.toml", "link.toml"},
    DraftKind{"ports", "wired ports: distortion, droop, return loss, a USB handshake", ".",
              "ports.toml ports-bench.toml skerry-2.toml", "ports.toml"},
    DraftKind{"stress", "a receiver of a serial link under calibrated stress", "stress", "", "campaign.toml"},
    DraftKind{"receiver", "a wireless receiver: packet errors, throughput, sensitivity, rejection",
              "receiver", "", "campaign.toml"},
    DraftKind{"short-range", "a low-energy device: discovery, packet errors, advertising, modulation",
              "short-range", "", "campaign.toml"},
    DraftKind{"sharing", "spectrum sharing: occupancy, and what interference does", "sharing", "",
              "campaign.toml"},
    DraftKind{"cellular", "a cellular uplink: power, modulation, leakage", "cellular", "", "campaign.toml"},
    DraftKind{"attached", "a mobile device attached to testers: power by command, both technologies",
              "attached", "", "campaign.toml"},
    DraftKind{"alignment", "a radio module: gain table made, written, verified", "alignment", "",
              "campaign.toml"},
    DraftKind{"module", "an optical module: its registers against limits of its own", "module", "",
              "campaign.toml"},
    DraftKind{"wafer", "devices on a wafer: calibration, de-embedding, yield", "wafer", "", "campaign.toml"},
    DraftKind{"scalar", "insertion and return loss by power sensors", "scalar", "", "campaign.toml"},
    DraftKind{"beacon", "distress beacons: bursts, message, homing signal", "beacon", "", "campaign.toml"},
    DraftKind{"landing", "a landing-system receiver: indication at every step", "landing", "",
              "campaign.toml"},
};

std::vector<std::string> files_of(const DraftKind& kind, const std::filesystem::path& from) {
    std::vector<std::string> out;
    for (const auto name : split(std::string_view(kind.files), ' ')) {
        if (!name.empty()) out.emplace_back(name);
    }
    if (!out.empty()) return out;
    for (const auto& entry : std::filesystem::directory_iterator(from))
        if (entry.is_regular_file()) out.push_back(entry.path().filename().string());
    std::sort(out.begin(), out.end());
    return out;
}

ExitCode perform_draft(const Call& call) {
    if (call.flag("list")) {
        std::vector<std::vector<std::string>> rows;
        for (const auto& kind : kinds) rows.push_back({kind.name, kind.shows});
        for (const auto& line : aligned(rows, "  ")) call.console.out(line);
        return ExitCode::passed;
    }
    const auto named = call.texts("dir");
    if (named.size() != 1) fail_input("draft needs a folder: rare-tally draft DIR");
    const std::string wanted = call.flag("kind") ? call.text("kind") : "starter";
    const auto kind =
        std::find_if(kinds.begin(), kinds.end(), [&](const DraftKind& k) { return wanted == k.name; });
    if (kind == kinds.end()) {
        std::vector<std::string> names;
        for (const auto& one : kinds) names.emplace_back(one.name);
        fail_input("no draft is called " + in_quotes(wanted) + suggestion(wanted, names) +
                   "; draft --list shows them");
    }
    const std::filesystem::path folder = named.front(), from = share_folder() / "demo" / kind->folder;
    const auto files = files_of(*kind, from);
    copy_shipped(from, folder, files);
    std::string others;
    for (const auto& name : files) {
        if (name != kind->campaign) others += (others.empty() ? "" : ", ") + name;
    }
    call.console.out("wrote " + (folder / kind->campaign).string() + " and, beside it, " + others);
    call.console.out("next: rare-tally check " + (folder / kind->campaign).string());
    return ExitCode::passed;
}

}  // namespace

Command draft_command() {
    return {"draft",
            "DIR [--kind NAME]",
            "a campaign and bench to begin with, commented, on simulated instruments",
            "rare-tally draft my-unit --kind receiver",
            {{"kind", "NAME", "what it is about; starter without it"}, {"list", "", "which kinds there are"}},
            "dir",
            perform_draft};
}

}  // namespace rt::cli
