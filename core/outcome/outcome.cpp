#include "core/outcome/outcome.hpp"

#include <algorithm>

namespace rt {

const char* name(Known known) {
    return known == Known::at_least ? "at least" : known == Known::at_most ? "at most" : "";
}

template <typename T>
static const T* find_named(const std::vector<T>& list, const std::string& name) {
    const auto at =
        std::find_if(list.begin(), list.end(), [&](const T& entry) { return entry.name == name; });
    return at == list.end() ? nullptr : &*at;
}

const Result* Outcome::find_result(const std::string& name) const {
    return find_named(results, name);
}
const Occurrences* Outcome::find_occurrences(const std::string& result) const {
    for (const auto& all : occurrences) {
        if (all.result == result) return &all;
    }
    return nullptr;
}
const Trace* Outcome::find_trace(const std::string& name) const {
    return find_named(traces, name);
}

const Trace* Outcome::find_trace(const std::string& name, std::optional<Detector> detector) const {
    for (const auto& trace : traces) {
        if (trace.name == name && detector && trace.detector == detector) return &trace;
    }
    return find_trace(name);
}

void invalidate(Outcome& outcome, std::string reason) {
    outcome.made.reset();
    outcome.invalid = std::move(reason);
    outcome.results.clear();
    outcome.tables.clear();
    outcome.occurrences.clear();
}

}  // namespace rt
