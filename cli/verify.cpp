#include "cli/command.hpp"

#include <fmt/core.h>
#include "lab/tally/chain.hpp"
#include "lab/tally/signature.hpp"

namespace rt::cli {
namespace {

ExitCode perform_verify(const Call& call) {
    const auto folders = call.texts("run");
    if (folders.size() != 1) fail_input("verify needs one run folder: rare-tally verify RUN");
    const Verification seen = verify_run(folders.front());
    const std::string seal = call.text("seal");
    std::vector<std::string> altered = seen.altered;
    if (!seal.empty() && seal != seen.seal)
        altered.push_back("the seal is " + seen.seal +
                          ", not the one given: the chain was written anew or carried on");
    const SignatureState state = signature_of(folders.front(), trusted_keys(call));
    if (state.worth == SignatureWorth::broken) altered.push_back("signature: " + state.trouble);
    for (const auto& text : altered) call.console.out("ALTERED  " + printable(text));
    for (const auto& text : seen.outside) call.console.out("not covered  " + printable(text));
    call.console.out(fmt::format(
        "{} entries of the tally, {} files: {}", seen.entries, seen.files,
        (altered.empty() ? "all as they were written" : std::to_string(altered.size()) + " not as written")));
    call.console.out("seal " + seen.seal);
    call.console.out("signature: " + printable(state.text()));
    return altered.empty() ? ExitCode::passed : ExitCode::failed;
}

}  // namespace

Command verify_command() {
    return {"verify",
            "RUN [--seal HASH]",
            "whether anything in a kept run was altered: tally, captures, inputs",
            "rare-tally verify first-run",
            {{"seal", "HASH", "the last hash of the chain as it was noted down: it stands for everything"},
             trust_option},
            "run",
            perform_verify};
}

}  // namespace rt::cli
