#include "lab/run/recorded.hpp"

#include <fnmatch.h>

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {
namespace {

constexpr const char* wildcards = "*?[";

// The pattern with its placeholders filled.
std::string filled(const Instrument& instrument, const Test& test, const Sweep& sweep, const Point& point) {
    std::string name;
    const std::string& pattern = instrument.place.path;
    for (std::size_t at = 0; at < pattern.size(); ++at) {
        const auto close = pattern.find('}', at);
        if (pattern[at] != '{' || close == std::string::npos) {
            name += pattern[at];
            continue;
        }
        const std::string hole = pattern.substr(at + 1, close - at - 1);
        at = close;
        if (hole == "test") {
            name += file_part(test.name);
        } else if (hole == "label") {
            name += file_part(label(sweep, point));
        } else if (hole == "repeat") {
            name += std::to_string(point.repeat);
        } else {
            std::vector<std::string> known{"test", "label", "repeat"};
            std::optional<std::string> value;
            for (std::size_t i = 0; i < sweep.axes.size(); ++i) {
                known.push_back(sweep.axes[i].name);
                if (sweep.axes[i].name == hole) value = point.value(sweep, i).text;
            }
            if (!value)
                fail_input(instrument.where,
                           "address: nothing is called {" + hole + "} here" + suggestion(hole, known));
            name += file_part(*value);
        }
    }
    return name;
}

std::string tail_of(const std::string& name) {
    const auto last = name.find_last_of("*?]");
    return last == std::string::npos ? name : name.substr(last + 1);
}

// How much of a name the pattern itself says.
std::size_t literal(const std::string& pattern) {
    return static_cast<std::size_t>(
        std::count_if(pattern.begin(), pattern.end(), [](char c) { return c != '*' && c != '?'; }));
}

bool fits(const std::string& pattern, const std::string& file) {
    return ::fnmatch(pattern.c_str(), file.c_str(), 0) == 0;
}

}  // namespace

RecordedCaptures::RecordedCaptures(const Plan& plan) : plan_(plan) {
    // Tests that were not chosen have their files too.
    for (const auto& test : plan.campaign->tests) {
        const Instrument* instrument = plan.bench->find(test.instrument);
        if (!instrument || !instrument->recorded() || test.found || test.by_trials() || test.maximise)
            continue;
        for (const auto& point : expand(test.name, test.sweep)) {
            Claim claim;
            try {
                claim = {filled(*instrument, test, test.sweep, point),
                         test.name + ": " + label(test.sweep, point)};
            } catch (const Error&) {
                break;  // a placeholder that this test does not have is told when it is measured
            }
            const bool chosen = plan.find(test.name) != nullptr;
            const auto [known, fresh] = by_pattern_.emplace(claim.pattern, claims_.size());
            if (!fresh && chosen) {
                fail_input(instrument->where,
                           "address: the points " + claims_[known->second].second.point + " and " +
                               claim.point + " have the same file " + claim.pattern +
                               ": add {label}, {repeat} or the axis that tells them apart");
            }
            if (!fresh) continue;
            const std::string tail = tail_of(claim.pattern);
            patterns_by_tail_[tail.size()][tail].push_back(claim.pattern);
            claims_.emplace_back(chosen ? instrument : nullptr, std::move(claim));
        }
    }
}

std::vector<std::string> RecordedCaptures::matches(const std::string& pattern) {
    if (pattern.find_first_of(wildcards) == std::string::npos)
        return std::filesystem::exists(pattern) ? std::vector{pattern} : std::vector<std::string>{};
    const std::filesystem::path wanted(pattern);
    const std::string place = wanted.parent_path().string(), name = wanted.filename().string();
    const auto [at, fresh] = folders_.try_emplace(place);
    Folder& folder = at->second;
    if (fresh) {
        std::error_code error;
        for (const auto& entry : std::filesystem::directory_iterator(place.empty() ? "." : place, error))
            folder.names.push_back(entry.path().filename().string());
        std::sort(folder.names.begin(), folder.names.end());
    }
    const std::string tail = tail_of(name);
    const auto [index, unknown] = folder.by_tail.try_emplace(tail.size());
    if (unknown) {
        for (std::size_t i = 0; i < folder.names.size(); ++i) {
            const std::string& each = folder.names[i];
            if (each.size() >= tail.size())
                index->second[each.substr(each.size() - tail.size())].push_back(i);
        }
    }
    std::vector<std::string> out;
    const auto ending = index->second.find(tail);
    if (ending == index->second.end()) return out;
    for (const std::size_t i : ending->second) {
        if (fits(name, folder.names[i])) out.push_back((wanted.parent_path() / folder.names[i]).string());
    }
    return out;
}

bool RecordedCaptures::of_another(const std::string& file, const std::string& pattern) const {
    for (const auto& [length, tails] : patterns_by_tail_) {
        if (file.size() < length) continue;
        const auto at = tails.find(file.substr(file.size() - length));
        if (at == tails.end()) continue;
        for (const auto& other : at->second) {
            if (other != pattern && literal(other) > literal(pattern) && fits(other, file)) return true;
        }
    }
    return false;
}

std::filesystem::path RecordedCaptures::resolve(const Instrument& instrument, const Claim& claim,
                                                bool& missing) {
    auto found = matches(claim.pattern);
    std::erase_if(found, [&](const std::string& file) { return of_another(file, claim.pattern); });
    missing = found.empty();
    if (missing) return {};
    if (found.size() > 1) {
        fail_input(instrument.where,
                   "address: " + std::to_string(found.size()) + " files fit " + claim.pattern +
                       " for the point " + claim.point + ", " + found.front() + " and " + found[1] +
                       (found.size() > 2 ? " among them" : "") + ": leave one, or say more in the pattern");
    }
    const auto [at, fresh] = taken_.emplace(found.front(), claim.point);
    if (!fresh && at->second != claim.point) {
        fail_input(instrument.where, "address: the file " + found.front() + " fits two points, " +
                                         at->second + " and " + claim.point +
                                         ": add {label} or the axis that tells them apart");
    }
    return found.front();
}

void RecordedCaptures::require_clear() {
    for (const auto& [instrument, claim] : claims_) {
        bool missing = false;
        if (instrument) resolve(*instrument, claim, missing);
    }
}

std::filesystem::path RecordedCaptures::find(const Instrument& instrument, const Test& test,
                                             const Sweep& sweep, const Point& point) {
    const Claim claim{filled(instrument, test, sweep, point), test.name + ": " + label(sweep, point)};
    bool missing = false;
    auto file = resolve(instrument, claim, missing);
    if (missing) {
        fail_bench(instrument.role + ": no recorded capture " + claim.pattern + " for " +
                   label(sweep, point));
    }
    return file;
}

}  // namespace rt::lab
