// What there is to measure with and to bring back: kinds of captures and of instruments.
#include <algorithm>

#include "cli/command.hpp"
#include "core/base/text.hpp"
#include "lab/captures/kind.hpp"
#include "lab/model/role_kinds.hpp"

#include <nlohmann/json.hpp>

namespace rt::cli {
namespace {

using Json = nlohmann::ordered_json;

void print_captures(const Console& console) {
    console.out(console.tinted("captures", Tone::strong));
    std::vector<std::vector<std::string>> rows;
    for (const CaptureKind* kind : capture_kinds()) {
        const std::string from = kind->instrument();
        rows.push_back({kind->name(),
                        from.empty() ? "gathered from other tests" : "from an instrument of kind " + from});
    }
    for (const auto& line : aligned(rows, "  ")) console.out(line);
}

void print_instruments(const Console& console) {
    console.out(console.tinted("instruments", Tone::strong));
    std::vector<std::vector<std::string>> rows;
    for (const auto& kind : role_kinds()) rows.push_back({kind.name, kind.title});
    for (const auto& line : aligned(rows, "  ")) console.out(line);
    console.out("rare-tally kinds KIND tells what an instrument is set to and asked for.");
}

void explain(const Console& console, const RoleKind& kind) {
    console.out(console.tinted(kind.name, Tone::strong) + "  " + kind.title);
    std::vector<std::vector<std::string>> rows;
    for (const auto& s : kind.settings)
        rows.push_back({s.name, s.unit == Unit::none ? "word" : pretty(s.unit), s.example, s.help});
    if (!rows.empty()) console.out("  settings (name, unit, example)");
    for (const auto& line : aligned(rows, "    ")) console.out(line);
    rows.clear();
    for (const auto& c : kind.commands) rows.push_back({c.name, c.required ? "needed" : "", c.help});
    if (!rows.empty()) console.out("  commands that a dialect gives");
    for (const auto& line : aligned(rows, "    ")) console.out(line);
    if (kind.open_settings) console.out("  any setting and question that the dialect gives");
}

ExitCode perform_kinds(const Call& call) {
    const auto names = call.texts("kind");
    if (call.flag("json")) {
        Json json{{"captures", Json::array()}, {"instruments", Json::array()}};
        for (const CaptureKind* kind : capture_kinds())
            json["captures"].push_back({{"name", kind->name()}, {"instrument", kind->instrument()}});
        for (const auto& kind : role_kinds())
            json["instruments"].push_back({{"name", kind.name}, {"title", kind.title}});
        call.console.out(json.dump(2));
        return ExitCode::passed;
    }
    for (const auto& name : names) explain(call.console, find_role_kind(name));
    if (names.empty()) {
        print_captures(call.console);
        print_instruments(call.console);
    }
    return ExitCode::passed;
}

}  // namespace

Command kinds_command() {
    return {"kinds",
            "[KIND]",
            "kinds of captures and instruments, and what an instrument is set to and asked for",
            "rare-tally kinds power-meter",
            {},
            "kind",
            perform_kinds};
}

}  // namespace rt::cli
