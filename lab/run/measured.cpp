#include "lab/run/measured.hpp"

#include <algorithm>
#include <cstdlib>

namespace rt::lab {

std::uint64_t id_of(const PointRecord& record) {
    return std::strtoull(record.id.c_str(), nullptr, 16);
}

Measured::Measured(const Plan& plan) {
    for (const auto& planned : plan.tests) {
        const Test& test = *planned.test;
        if (test.found && !test.found->by_bench()) remembered_.insert(test.found->test);
        for (const auto& source : test.sources) remembered_.insert(source.test);
        for (const auto& name : test.limits_from()) remembered_.insert(name), remembered_.insert(test.name);
        if (!test.settings_from().empty()) remembered_.insert(test.name);
        if (test.by_trials() || test.maximise || test.duration_s || !test.provides.empty() ||
            !test.sources.empty())
            remembered_.insert(test.name);
    }
}

void Measured::put(const PointRecord& record) {
    const std::uint64_t id = id_of(record);
    attempts_[id] = record.attempt;
    if (!remembered_.contains(record.test)) return;
    auto& records = records_[record.test];
    if (!records.contains(id)) order_[record.test].push_back(id);
    records[id] = record;
}

void Measured::set_aside(const PointRecord& record) {
    auto& attempt = earlier_attempts_[id_of(record)];
    attempt = std::max(attempt, record.attempt);
}

std::size_t Measured::next_attempt(std::uint64_t id) const {
    std::size_t last = 0;
    for (const auto* known : {&attempts_, &earlier_attempts_}) {
        const auto at = known->find(id);
        if (at != known->end()) last = std::max(last, at->second);
    }
    return last + 1;
}

const PointRecord* Measured::find(const std::string& test, std::uint64_t id) const {
    const auto records = records_.find(test);
    if (records == records_.end()) return nullptr;
    const auto at = records->second.find(id);
    return at == records->second.end() ? nullptr : &at->second;
}

std::vector<const PointRecord*> Measured::of(const std::string& test) const {
    std::vector<const PointRecord*> out;
    const auto order = order_.find(test);
    if (order == order_.end()) return out;
    std::set<std::uint64_t> seen;  // one that was forgotten and measured again stands twice
    for (const auto id : order->second) {
        const PointRecord* record = find(test, id);
        if (record && seen.insert(id).second) out.push_back(record);
    }
    return out;
}

}  // namespace rt::lab
