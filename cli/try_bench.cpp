#include "cli/try_bench.hpp"

#include <algorithm>
#include <nlohmann/json.hpp>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/proof/papers.hpp"

namespace rt::cli {
namespace {

using End = ProofStep::End;

ProofLeave read_leave(const Call& call) {
    ProofLeave leave;
    static const std::vector<std::string> words{"outputs", "movement", "zero"};
    for (const auto& word : call.texts("allow")) {
        if (std::find(words.begin(), words.end(), word) == words.end())
            fail_input("--allow " + word + ": write outputs, movement or zero" + suggestion(word, words));
        leave.outputs = leave.outputs || word == "outputs";
        leave.movement = leave.movement || word == "movement";
        leave.zero = leave.zero || word == "zero";
    }
    if (!call.flag("most-level")) return leave;
    try {
        leave.most_level = parse_quantity(call.text("most-level"), Unit::dbm);
    } catch (const Error& error) {
        fail_input("--most-level " + call.text("most-level") + ": " + error.what());
    }
    return leave;
}

void print(const Console& console, const Proof& proof) {
    console.out(console.tinted(printable(proof.role), Tone::strong) + "  " + printable(proof.address) +
                ", dialect " + printable(proof.dialect));
    std::vector<std::vector<std::string>> rows;
    for (const auto& step : proof.steps) {
        const std::string said =
            step.answer + (step.answer.empty() || step.note.empty() ? "" : "; ") + step.note;
        rows.push_back({name(step.end), step.command, printable(step.sent),
                        step.end == End::left_out ? "" : decimal(step.seconds * 1000, 2) + " ms",
                        printable(said)});
    }
    for (const auto& line : aligned(rows, "  ")) console.out(line);
    console.out(std::to_string(proof.count(End::proven)) + " proven, " +
                std::to_string(proof.count(End::answered)) + " answered, " +
                std::to_string(proof.count(End::odd)) + " odd, " + std::to_string(proof.count(End::refused)) +
                " refused, " + std::to_string(proof.count(End::left_out)) + " left out");
}

}  // namespace

ExitCode try_bench(const Call& call, const Bench& bench, SimulatedBench& simulated) {
    const Console& console = call.console;
    const auto only = call.texts("role");
    for (const auto& role : only) {
        if (!bench.find(role))
            fail_input("--role " + role + ": the bench has no such role" + suggestion(role, bench.roles()));
    }
    const ProofLeave leave = read_leave(call);
    const std::filesystem::path papers = call.text("papers");
    if (call.flag("papers") && papers.extension() != ".html")
        fail_input("--papers " + papers.string() + ": the name must end in .html");
    std::vector<Proof> proofs;
    for (const auto& instrument : bench.instruments) {
        if (!only.empty() && std::find(only.begin(), only.end(), instrument.role) == only.end()) continue;
        if (!instrument.place.speaks()) {
            if (!call.flag("json")) console.out(printable(instrument.role) + "  takes no messages");
            continue;
        }
        proofs.push_back(prove(instrument, simulated.place_of(instrument), leave));
        if (!call.flag("json")) print(console, proofs.back());
    }
    const auto json =
        proof_json(proofs).dump(2, ' ', false, nlohmann::ordered_json::error_handler_t::replace);
    if (call.flag("json")) console.out(json);
    if (call.flag("papers")) {
        write_file(papers, proof_page(bench.name, proofs));
        write_file(std::filesystem::path(papers).replace_extension(".json"), json + "\n");
        console.progress("wrote " + papers.string() + " and .json");
    }
    const bool holds = std::all_of(proofs.begin(), proofs.end(), [](const Proof& p) { return p.holds(); });
    return holds ? ExitCode::passed : ExitCode::trouble;
}

}  // namespace rt::cli
