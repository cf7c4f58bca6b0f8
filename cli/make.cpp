// Makes signals as files of samples.
#include <fmt/core.h>

#include "cli/command.hpp"
#include "cli/parameter_options.hpp"
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/synthesis/signal.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/pattern_file.hpp"
#include "lab/formats/sigmf.hpp"
#include "lab/formats/touchstone.hpp"

namespace rt::cli {
namespace {

void explain(const Console& console, const SignalKind& kind) {
    console.out(console.tinted(kind.name, Tone::strong) + "  " + kind.title);
    console.out(std::string("  ") + kind.about);
    console.out("  parameters (name, default, meaning)");
    for (const auto& line : aligned(parameter_rows(kind.parameters), "    ")) console.out(line);
}

Parameters parameters_of(const Call& call, const SignalKind& kind) {
    Parameters out(kind.parameters);
    for (const auto& setting : call.texts("set")) {
        const auto [name, value] = set_option(setting);
        std::vector<lab::NamedFile> named;
        out.set(name,
                name == "pattern" ? lab::with_pattern_files(value, "", lab::DiskFiles({}), named) : value);
    }
    out.fill_defaults();
    return out;
}

// What stands before .sigmf-meta, or all of a name without ending. Throws Error(input) for other endings.
std::filesystem::path stem_of(const std::string& name) {
    const std::filesystem::path file = name;
    const std::string ending = file.extension().string();
    if (!ending.empty() && ending != ".sigmf-meta" && ending != ".sigmf-data")
        fail_input("--save " + name + ": samples are written as SigMF; end the name in .sigmf-meta");
    if (!file.parent_path().empty() && !std::filesystem::is_directory(file.parent_path()))
        fail_input("--save " + name + ": there is no folder " + file.parent_path().string());
    return file.parent_path() / file.stem();
}

ExitCode perform_make(const Call& call) {
    const auto words = call.texts("signal");
    if (words.size() > 1) fail_input("make takes one signal: " + words[1] + " is too many");
    if (words.empty() || !call.flag("save")) {
        if (!words.empty() && call.flag("set"))
            fail_input("--save is missing: rare-tally make " + words[0] + " ... --save FILE.sigmf-meta");
        if (words.empty()) {
            for (const auto& kind : signal_kinds()) explain(call.console, kind);
        } else {
            explain(call.console, find_signal(words[0]));
        }
        return ExitCode::passed;
    }
    const SignalKind& kind = find_signal(words[0]);
    const auto stem = stem_of(call.text("save"));
    SignalInputs inputs;
    if (call.flag("through")) {
        if (!kind.takes_channel) fail_input("--through: " + words[0] + " goes through no channel");
        inputs.through = lab::read_touchstone(call.text("through"));
    }
    const MadeSignal made = kind.make(parameters_of(call, kind), inputs);
    std::vector<std::vector<std::string>> rows;
    for (const auto& result : made.is) rows.push_back({result.name, format(result.value)});
    rows.push_back({"samples", std::to_string(made.samples())});
    rows.push_back({"sample_rate", format({made.sample_rate_hz(), Unit::hertz})});
    for (const auto& line : aligned(rows, "")) call.console.out(line);
    for (const auto& note : made.notes) call.console.out("note: " + printable(note));
    const auto written =
        std::visit([&](const auto& turn) { return lab::write_sigmf(stem, turn); }, made.turn);
    call.console.progress("made: " + written.file.string());
    return ExitCode::passed;
}

}  // namespace

Command make_command() {
    return {
        "make",
        "[SIGNAL] [--set NAME=VALUE ...] --save FILE.sigmf-meta",
        "makes a signal as samples; without --save it explains what can be made",
        "rare-tally make link.pattern --set symbol_rate=\"2.5 GHz\" --set random_jitter=\"0.01 UI\" --save "
        "stressed.sigmf-meta",
        {{"set", "NAME=VALUE", "a parameter of the signal; may be given more than once"},
         {"through", "FILE", "two-port data (Touchstone) of a channel that it goes through"},
         {"save", "FILE", "where to write it: FILE.sigmf-meta and FILE.sigmf-data"}},
        "signal",
        perform_make};
}

}  // namespace rt::cli
