#include "lab/formats/report_name.hpp"

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {
namespace {

struct NameWord {
    const char* word;
    std::string (*value)(const RunRecord&);
};

const NameWord name_words[] = {
    {"serial", [](const RunRecord& r) { return r.head.detail("serial"); }},
    {"model", [](const RunRecord& r) { return r.head.detail("model"); }},
    {"maker", [](const RunRecord& r) { return r.head.detail("maker"); }},
    {"date", [](const RunRecord& r) { return r.head.started.substr(0, 10); }},
    {"time",
     [](const RunRecord& r) {
         const std::string& started = r.head.started;
         return started.size() < 19 ? ""
                                    : started.substr(11, 2) + started.substr(14, 2) + started.substr(17, 2);
     }},
    {"campaign", [](const RunRecord& r) { return r.head.title; }},
    {"customer", [](const RunRecord& r) { return r.head.customer; }},
    {"operator", [](const RunRecord& r) { return r.head.operator_name; }},
    {"verdict", [](const RunRecord& r) { return std::string(name(overall_verdict(r))); }},
};

// With no run the pattern is only looked through.
std::string filled(const std::string& pattern, const RunRecord* run) {
    std::string out;
    for (std::size_t at = 0; at < pattern.size(); ++at) {
        if (pattern[at] != '{') {
            out += pattern[at];
            continue;
        }
        const auto end = pattern.find('}', at);
        if (end == std::string::npos) fail_input("name " + in_quotes(pattern) + ": a { is not closed by }");
        const std::string word = pattern.substr(at + 1, end - at - 1);
        std::vector<std::string> known;
        bool found = false;
        for (const auto& each : name_words) {
            known.emplace_back(each.word);
            if (word != each.word) continue;
            found = true;
            if (run) out += each.value(*run);
        }
        if (!found)
            fail_input("name " + in_quotes(pattern) + ": there is no {" + word + "}" +
                       suggestion(word, known));
        at = end;
    }
    return out;
}

}  // namespace

void require_name_pattern(const std::string& pattern) {
    filled(pattern, nullptr);
}

std::string report_name(const std::string& pattern, const RunRecord& run) {
    const std::string wanted = filled(pattern, &run);
    if (trim(wanted).empty()) return "report";
    std::string safe = slug(wanted);
    // No hidden file, no step to another folder.
    while (!safe.empty() && (safe.front() == '.' || safe.front() == '-')) safe.erase(0, 1);
    return safe.empty() ? "report" : safe;
}

}  // namespace rt::lab
