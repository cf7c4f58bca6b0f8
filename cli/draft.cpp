#include "cli/command.hpp"
#include "cli/copy_files.hpp"

namespace rt::cli {
namespace {

ExitCode perform_draft(const Call& call) {
    const auto named = call.texts("dir");
    if (named.size() != 1) fail_input("draft needs a folder: rare-tally draft DIR");
    const std::filesystem::path folder = named.front();
    copy_shipped(share_folder() / "demo" / "starter", folder,
                 {"campaign.toml", "bench.toml", "simulated-unit.toml"});
    call.console.out("wrote " + (folder / "campaign.toml").string() + ", bench.toml and simulated-unit.toml");
    call.console.out("next: rare-tally check " + (folder / "campaign.toml").string());
    return ExitCode::passed;
}

}  // namespace

Command draft_command() {
    return {"draft", "DIR",        "a starter campaign and bench, commented", "rare-tally draft my-unit", {},
            "dir",   perform_draft};
}

}  // namespace rt::cli
