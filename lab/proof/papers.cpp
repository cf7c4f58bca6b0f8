#include "lab/proof/papers.hpp"

#include <fmt/core.h>

#include <kainjow/mustache.hpp>
#include <nlohmann/json.hpp>

#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "proof_template.hpp"

namespace rt::lab {

using StepEnd = ProofStep::End;
using Data = kainjow::mustache::data;

static bool is_trouble(const ProofStep& step) {
    return step.end == StepEnd::odd || step.end == StepEnd::refused;
}

nlohmann::ordered_json proof_json(const std::vector<Proof>& proofs) {
    auto list = nlohmann::ordered_json::array();
    for (const auto& proof : proofs) {
        for (const auto& step : proof.steps) {
            list.push_back({{"role", proof.role},
                            {"dialect", proof.dialect},
                            {"group", step.group},
                            {"command", step.command},
                            {"sent", step.sent},
                            {"answer", step.answer},
                            {"end", name(step.end)},
                            {"note", step.note},
                            {"seconds", step.seconds},
                            {"trouble", is_trouble(step) ? step.note : ""}});
        }
    }
    return list;
}

static Data step_values(const ProofStep& step, bool first) {
    Data out;
    out.set("group", first ? step.group : "");
    out.set("command", step.command);
    out.set("sent", printable(step.sent));
    out.set("answer", printable(step.answer));
    out.set("note", printable(step.note));
    out.set("end", name(step.end));
    out.set("class", step.end == StepEnd::proven     ? "proven"
                     : step.end == StepEnd::answered ? "answered"
                     : step.end == StepEnd::left_out ? "left"
                                                     : "bad");
    out.set("sign", step.end == StepEnd::proven     ? "✓"
                    : step.end == StepEnd::answered ? "·"
                    : step.end == StepEnd::left_out ? "–"
                                                    : "✕");
    out.set("time", step.end == StepEnd::left_out ? "" : fmt::format("{:.2f} ms", 1000 * step.seconds));
    return out;
}

static Data proof_values(const Proof& proof) {
    Data out, steps = Data::type::list;
    std::string group;
    for (const auto& step : proof.steps) {
        steps << step_values(step, step.group != group);
        group = step.group;
    }
    out.set("role", proof.role);
    out.set("name", printable(proof.name));
    out.set("serial", printable(proof.serial));
    out.set("has_serial", !proof.serial.empty());
    out.set("address", proof.address);
    out.set("dialect", proof.dialect);
    out.set("identity", printable(proof.identity));
    out.set("started", proof.started.substr(0, 10) + " " + proof.started.substr(11, 8) + " UTC");
    out.set("round_trip", fmt::format("{:.2f} ms", 1000 * proof.round_trip_s));
    out.set("proven", std::to_string(proof.count(StepEnd::proven)));
    out.set("answered", std::to_string(proof.count(StepEnd::answered)));
    out.set("bad", std::to_string(proof.count(StepEnd::odd) + proof.count(StepEnd::refused)));
    out.set("left", std::to_string(proof.count(StepEnd::left_out)));
    out.set("holds", proof.holds());
    out.set("steps", steps);
    return out;
}

std::string proof_page(const std::string& bench, const std::vector<Proof>& proofs) {
    Data page, list = Data::type::list;
    for (const auto& proof : proofs) list << proof_values(proof);
    page.set("bench", bench);
    page.set("made", utc_now().substr(0, 10));
    page.set("version", RT_VERSION);
    page.set("proofs", list);
    kainjow::mustache::mustache text{proof_template};
    return text.render(page);
}

}  // namespace rt::lab
