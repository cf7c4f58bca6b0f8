#include "lab/run/corrected_bench.hpp"

#include <algorithm>
#include <array>
#include <utility>

#include "core/base/text.hpp"
#include "lab/formats/campaign_parts.hpp"
#include "lab/formats/config.hpp"
#include "lab/formats/files.hpp"
#include "lab/run/plan_parts.hpp"

namespace rt::lab {
namespace {

constexpr std::array without_effect{"timeout", "retries", "to_local", "lock", "turn_time", "lift_time"};

// A value as text that depends on nothing but what it says: keys in order.
std::string canonical(const ConfigNode& node) {
    switch (node.kind) {
        case ConfigNode::Kind::list: {
            std::string out = "[";
            for (const auto& item : node.items) out += canonical(item) + ",";
            return out + "]";
        }
        case ConfigNode::Kind::table: {
            std::map<std::string, std::string> sorted;
            for (const auto& [key, value] : node.entries) sorted[key] = canonical(value);
            std::string out = "{";
            for (const auto& [key, value] : sorted) out += in_quotes(key) + "=" + value + ",";
            return out + "}";
        }
        default:
            return in_quotes(node.text);
    }
}

std::string role_of(const ConfigNode& entry) {
    const ConfigNode* role = entry.find("role");
    return role ? role->text : "";
}

std::map<BenchPart, std::string> parts_of(const Bench& bench) {
    std::map<BenchPart, std::string> out;
    const ConfigNode root = parse_config(bench.text, bench.file.string());
    for (const auto& [section, node] : root.entries) {
        const bool instruments = section == "instrument", paths = section == "path";
        if (!instruments && !paths) {
            ConfigNode shared = node;
            // What it is called is no part of what it does.
            if (section == "bench")
                std::erase_if(shared.entries, [](const auto& entry) { return entry.first == "name"; });
            out[{BenchPart::Kind::shared, section}] = canonical(shared);
            continue;
        }
        for (ConfigNode entry : node.items) {
            std::erase_if(entry.entries, [](const auto& pair) {
                return std::find(without_effect.begin(), without_effect.end(), pair.first) !=
                       without_effect.end();
            });
            const auto kind = instruments ? BenchPart::Kind::instrument : BenchPart::Kind::path;
            out[{kind, role_of(entry)}] += canonical(entry);
        }
    }
    for (const auto& instrument : bench.instruments) {
        auto& text = out[{BenchPart::Kind::instrument, instrument.role}];
        text += instrument.dialect.text;
        for (const auto& base : instrument.dialect.bases) text += base.text;
    }
    if (bench.simulation) out[{BenchPart::Kind::shared, "simulation"}] += read_file(bench.simulation->unit);
    // Tables and other files count with what names them.
    for (auto& [part, text] : out) {
        std::string files;
        for (const auto& file : bench.files)
            if (text.find(in_quotes(file.reference)) != std::string::npos) files += file.text;
        text += files;
    }
    return out;
}

// The tests that make the calibrations in the paths of these roles.
std::set<std::string> calibrated_by(const std::set<std::string>& roles, const Plan& plan) {
    std::set<std::string> out;
    for (const auto& role : roles) {
        const BenchPath* path = plan.bench->find_path(role);
        if (!path) continue;
        for (const auto& entry : path->entries) {
            if (entry.calibration.empty()) continue;
            if (const PlannedTest* provider = plan.provider(entry.calibration))
                out.insert(provider->test->name);
        }
    }
    return out;
}

}  // namespace

std::string BenchPart::text() const {
    switch (kind) {
        case Kind::instrument:
            return "the entry of the " + name;
        case Kind::path:
            return "the path of the " + name;
        case Kind::shared:
            break;
    }
    return "its section " + name;
}

std::vector<BenchPart> changed_parts(const Bench& before, const Bench& after) {
    const auto old_parts = parts_of(before), new_parts = parts_of(after);
    std::vector<BenchPart> out;
    for (const auto& [part, text] : new_parts) {
        const auto at = old_parts.find(part);
        if (at == old_parts.end() || at->second != text) out.push_back(part);
    }
    for (const auto& [part, text] : old_parts)
        if (!new_parts.contains(part)) out.push_back(part);
    return out;
}

std::map<std::string, BenchPart> tests_with(const std::vector<BenchPart>& parts, const Plan& plan) {
    std::map<std::string, BenchPart> out;
    std::set<std::string> everywhere;  // roles without which no test is measured: what feeds the unit
    for (const auto& instrument : plan.bench->instruments)
        if (instrument.feeds()) everywhere.insert(instrument.role);
    for (const auto& watch : plan.campaign->watches) everywhere.insert(watch.role);
    const auto by = [&](const std::set<std::string>& roles, bool measures) -> const BenchPart* {
        for (const auto& part : parts) {
            const bool shared = part.kind == BenchPart::Kind::shared;
            if (shared ? measures : roles.contains(part.name) || everywhere.contains(part.name)) return &part;
        }
        return nullptr;
    };
    const auto roles_of = [&](const auto& needed_by) {
        Plan alone;
        alone.campaign = plan.campaign, alone.bench = plan.bench;
        needed_by(alone);
        return alone.roles;
    };
    std::map<std::string, std::set<std::string>> rests_on;  // tests by test
    for (const auto& planned : plan.tests) {
        const Test& test = *planned.test;
        const auto roles = roles_of([&](Plan& alone) { plan_test(test, *plan.bench, alone); });
        if (const BenchPart* part = by(roles, !test.concludes)) out.emplace(test.name, *part);
        if (test.concludes) continue;  // drawn anew by itself
        auto& from = rests_on[test.name];
        for (auto& name : builds_on(*plan.campaign, test)) from.insert(std::move(name));
        for (const auto& name : calibrated_by(roles, plan)) from.insert(name);
    }
    // What a recheck goes by is another value now.
    for (const auto& recheck : plan.campaign->rechecks) {
        const auto roles = roles_of([&](Plan& alone) {
            alone.roles.insert(recheck.test.instrument);
            require_settings(*plan.bench, recheck.test, alone);
        });
        if (const BenchPart* part = by(roles, true)) out.emplace(recheck.test.name, *part);
        for (const auto& name : calibrated_by(roles, plan)) rests_on[recheck.test.name].insert(name);
    }
    // What rests on them is measured again as well.
    for (bool more = true; std::exchange(more, false);) {
        for (const auto& [test, from] : rests_on) {
            if (out.contains(test)) continue;
            const auto at =
                std::find_if(from.begin(), from.end(), [&](const auto& name) { return out.contains(name); });
            if (at == from.end()) continue;
            out.emplace(test, out.at(*at));
            more = true;
        }
    }
    return out;
}

}  // namespace rt::lab
