#include "lab/run/measured.hpp"

#include <algorithm>
#include <cstdlib>

namespace rt::lab {

std::uint64_t id_of(const PointRecord& record) {
    return std::strtoull(record.id.c_str(), nullptr, 16);
}

Measured::Measured(const Plan& plan) {
    for (const auto& recheck : plan.campaign->rechecks) {
        for (const auto& source : recheck.test.sources) remembered_.insert(source.test);
    }
    for (const auto& planned : plan.tests) {
        const Test& test = *planned.test;
        if (test.found && !test.found->by_bench()) remembered_.insert(test.found->test);
        for (const auto& source : test.sources) remembered_.insert(source.test);
        for (const auto& name : test.limits_from()) remembered_.insert(name), remembered_.insert(test.name);
        if (!test.settings_from().empty()) remembered_.insert(test.name);
        if (test.by_trials() || test.maximise || test.repeats_whole() || !test.provides.empty() ||
            !test.sources.empty())
            remembered_.insert(test.name);
    }
}

void Measured::remember(const PointRecord& record) {
    if (remembered_.contains(record.test)) put(record);
}

namespace {

std::string key_of(const TextPairs& axes) {
    std::string out;
    for (const auto& [name, value] : axes) out += name + "\n" + value + "\n";
    return out;
}

}  // namespace

bool shares_axes(const TextPairs& other, const TextPairs& own) {
    return std::all_of(other.begin(), other.end(), [&](const auto& axis) {
        return std::all_of(own.begin(), own.end(), [&](const auto& mine) {
            return mine.first != axis.first || mine.second == axis.second;
        });
    });
}

void Measured::Points::put(std::uint64_t id, const PointRecord& record) {
    const auto [at, fresh] = records.insert_or_assign(id, record);
    if (!fresh) return;  // where it is told of as before
    if (known.insert(id).second) {
        ids.push_back(id);
        enlist(at->second);
    } else {
        list_anew();  // it takes its place again
    }
}

void Measured::Points::forget(std::uint64_t id) {
    if (records.erase(id) > 0) list_anew();
}

void Measured::Points::list_anew() {
    list.clear(), by_axes.clear(), axes.clear();
    alike = true;
    for (const auto id : ids) {
        if (const auto at = records.find(id); at != records.end()) enlist(at->second);
    }
}

void Measured::Points::enlist(const PointRecord& record) {
    std::vector<std::string> names;
    for (const auto& axis : record.axes) names.push_back(axis.first);
    if (list.empty()) axes = names;
    alike = alike && names == axes;
    list.push_back(&record);
    by_axes[key_of(record.axes)].push_back(&record);
}

void Measured::put(const PointRecord& record) {
    const std::uint64_t id = id_of(record);
    attempts_[id] = record.attempt;
    if (remembered_.contains(record.test)) tests_[record.test].put(id, record);
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
    const auto points = tests_.find(test);
    if (points == tests_.end()) return nullptr;
    const auto at = points->second.records.find(id);
    return at == points->second.records.end() ? nullptr : &at->second;
}

const std::vector<const PointRecord*>& Measured::of(const std::string& test) const {
    static const std::vector<const PointRecord*> none;
    const auto points = tests_.find(test);
    return points == tests_.end() ? none : points->second.list;
}

std::vector<const PointRecord*> Measured::at(const std::string& test, const TextPairs& axes) const {
    std::vector<const PointRecord*> out;
    const auto found = tests_.find(test);
    if (found == tests_.end()) return out;
    const Points& points = found->second;
    TextPairs wanted;
    for (const auto& name : points.axes) {
        for (const auto& axis : axes) {
            if (axis.first == name) wanted.push_back(axis);
        }
    }
    if (points.alike && wanted.size() == points.axes.size()) {
        const auto at = points.by_axes.find(key_of(wanted));
        return at == points.by_axes.end() ? out : at->second;
    }
    for (const PointRecord* record : points.list) {
        if (shares_axes(record->axes, axes)) out.push_back(record);
    }
    return out;
}

}  // namespace rt::lab
