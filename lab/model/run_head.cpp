#include "lab/model/run_head.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <optional>
#include <string_view>

#include "core/base/text.hpp"
#include "lab/model/record.hpp"

namespace rt::lab {
namespace {

constexpr std::array states{RunState::running, RunState::complete, RunState::stopped, RunState::aborted};

struct HeadText {
    const char* name;
    std::string RunHead::*text;
    bool always;  // kept when it is empty too
};
const HeadText head_texts[] = {
    {"title", &RunHead::title, true},
    {"customer", &RunHead::customer, true},
    {"operator", &RunHead::operator_name, true},
    {"note", &RunHead::note, true},
    {"bench", &RunHead::bench, true},
    {"version", &RunHead::version, true},
    {"started", &RunHead::started, true},
    {"ended", &RunHead::ended, false},
    {"profile", &RunHead::profile, false},
    {"defaults", &RunHead::defaults, false},
    {"table", &RunHead::table, false},
};

struct HeadGroup {
    const char* name;  // before the dot
    RunHead::Texts RunHead::*texts;
};
const HeadGroup head_groups[] = {
    {"unit", &RunHead::unit},     {"environment", &RunHead::environment}, {"answer", &RunHead::answers},
    {"report", &RunHead::report}, {"budget", &RunHead::budgets},          {"recheck", &RunHead::references},
    {"found", &RunHead::found},
};

struct TestText {
    const char* name;  // before the dot and the name of the test
    std::string TestRecord::*text;
};
const TestText test_texts[] = {
    {"trend", &TestRecord::trend},
    {"from", &TestRecord::found_by},
    {"drawn", &TestRecord::origin},
};

}  // namespace

const char* name(RunState state) {
    switch (state) {
        case RunState::running:
            return "running";
        case RunState::complete:
            return "complete";
        case RunState::stopped:
            return "stopped";
        case RunState::aborted:
            return "aborted";
    }
    return "";
}

std::string RunHead::detail(const std::string& wanted) const {
    const auto at = unit.find(wanted);
    return at == unit.end() ? "" : at->second;
}

static constexpr std::string_view corrected_fact = "file.";

std::pair<std::string, std::string> fact_of(const FileRecord& file, std::size_t number) {
    return {fmt::format("{}{:02}.{:03}", corrected_fact, file.correction, number),
            file.kind + "\n" + file.sha256 + "\n" + file.reference + "\n" + file.file};
}

// The other way round; nothing for another fact.
static std::optional<FileRecord> corrected_file(const std::string& fact, const std::string& value) {
    if (!fact.starts_with(corrected_fact)) return std::nullopt;
    const auto number =
        to_double(fact.substr(corrected_fact.size(), fact.rfind('.') - corrected_fact.size()));
    const auto parts = split(std::string_view(value), '\n');
    if (!number || parts.size() != 4) return std::nullopt;
    return FileRecord{std::string(parts[3]), std::string(parts[0]), std::string(parts[1]),
                      std::string(parts[2]), static_cast<int>(*number)};
}

RunHead::Texts facts_of(const RunRecord& run) {
    const RunHead& head = run.head;
    RunHead::Texts out = head.further;
    for (const auto& row : head_texts) {
        if (row.always || !(head.*row.text).empty()) out[row.name] = head.*row.text;
    }
    out["state"] = name(head.state);
    out["decision"] = name(head.decision);
    for (const auto& test : head.selection) out["selection"] += test + "\n";
    for (const auto& group : head_groups) {
        for (const auto& [name, value] : head.*group.texts) out[std::string(group.name) + "." + name] = value;
    }
    for (const auto& test : run.tests) {
        for (const auto& row : test_texts) {
            if (!(test.*row.text).empty()) out[std::string(row.name) + "." + test.name] = test.*row.text;
        }
    }
    return out;
}

void take_fact(RunRecord& run, const std::string& fact, const std::string& value) {
    RunHead& head = run.head;
    for (const auto& row : head_texts) {
        if (fact == row.name) return void(head.*row.text = value);
    }
    if (fact == "state") {
        for (const auto state : states) {
            if (value == name(state)) return void(head.state = state);
        }
    }
    if (const auto decision = parse_decision(value); fact == "decision" && decision)
        return void(head.decision = *decision);
    if (fact == "selection") {
        for (const auto test : split(std::string_view(value), '\n')) {
            if (!test.empty()) head.selection.emplace_back(test);
        }
        return;
    }
    if (const auto file = corrected_file(fact, value)) return run.files.push_back(*file);
    const auto dot = fact.find('.');
    const std::string group = fact.substr(0, dot),
                      rest = dot == std::string::npos ? "" : fact.substr(dot + 1);
    if (dot != std::string::npos) {
        for (const auto& row : head_groups) {
            // A budget that a corrected bench has no more, and what a recheck went by before it, are empty.
            const bool gone =
                value.empty() && (row.texts == &RunHead::budgets || row.texts == &RunHead::references);
            if (group == row.name && !gone) (head.*row.texts)[rest] = value;
            if (group == row.name) return;
        }
        for (const auto& row : test_texts) {
            const auto named = [&](const TestRecord& test) { return test.name == rest; };
            const auto test = std::find_if(run.tests.begin(), run.tests.end(), named);
            if (group == row.name && test != run.tests.end()) return void((*test).*row.text = value);
        }
    }
    head.further[fact] = value;
}

}  // namespace rt::lab
