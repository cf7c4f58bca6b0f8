#include "cli/command.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/tally/signature.hpp"

namespace rt::cli {

std::vector<std::filesystem::path> trusted_keys(const Call& call) {
    std::vector<std::filesystem::path> out;
    for (const auto& file : defaults_of_today().trusted) out.emplace_back(file);
    for (const auto& file : call.texts("trust")) out.emplace_back(file);
    return out;
}

std::string tell_signature(const Call& call, const std::filesystem::path& run) {
    const SignatureState state = signature_of(run, trusted_keys(call));
    const bool sound = state.worth != SignatureWorth::broken;
    if (!sound && !call.flag("even-if-altered"))
        fail_input(run.string(), "its signature is broken: " + printable(state.trouble));
    const std::string text = "signature of " + run.string() + ": " + printable(state.text());
    sound ? call.console.progress(text) : call.console.attention(text);
    return state.text();
}

namespace {

ExitCode perform_sign(const Call& call) {
    if (call.flag("new-key")) {
        const std::string file = call.text("new-key");
        write_signing_key(file);
        call.console.out("wrote " + file + ", for you alone, and " + file +
                         ".pub, for those who are to trust it: `trusted` in their defaults, or --trust");
        return ExitCode::passed;
    }
    const auto runs = call.texts("run");
    if (runs.size() != 1) fail_input("sign needs one run folder: rare-tally sign RUN --key FILE");
    const std::filesystem::path run = runs.front();
    const bool signs = call.flag("key"), asks = call.flag("time-request"), takes = call.flag("time-reply");
    if (!signs && !asks && !takes)
        fail_input("sign needs --key FILE, --time-request FILE or --time-reply FILE");
    if (call.flag("certificate") && !signs) fail_input("--certificate goes with --key");
    if (signs) {
        sign_run(run, call.text("key"), call.text("certificate"), call.text("by"));
        call.console.out("signed: " + (run / signature_file).string());
    }
    if (asks) {
        write_time_request(run, call.text("time-request"));
        call.console.out("wrote " + call.text("time-request") +
                         ": send it to an authority of time (RFC 3161); its reply goes to --time-reply");
    }
    if (takes) {
        take_time_reply(run, call.text("time-reply"));
        call.console.out("stamped: " + (run / stamp_file).string());
    }
    tell_signature(call, run);
    return ExitCode::passed;
}

}  // namespace

Command sign_command() {
    return {"sign",
            "RUN --key FILE [--certificate FILE] [--by NAME] | --new-key FILE",
            "sign the seal of a kept run, so that who rewrites it is told; with a time stamp of an authority",
            "rare-tally sign first-run --key quill.key --by \"B. Quill\"",
            {{"key", "FILE", "private key in PEM: Ed25519, or that of the certificate"},
             {"certificate", "FILE", "the lab's X.509 certificate and those above it, in PEM: signs as CMS"},
             {"by", "NAME", "who signs, for the statement"},
             {"time-request", "FILE", "write what an authority of time is to be sent (RFC 3161)"},
             {"time-reply", "FILE", "take its reply into the run"},
             {"new-key", "FILE", "make an Ed25519 key: FILE for you alone, FILE.pub to be trusted"},
             trust_option},
            "run",
            perform_sign};
}

}  // namespace rt::cli
