#include "lab/run/owed.hpp"

#include <algorithm>
#include <vector>

#include "lab/run/measured.hpp"

namespace rt::lab {

void Owed::owe(const Test& test, const Sweep& sweep, const Point& point) {
    const TextPairs axes = axes_of(sweep, point);
    const bool judged = std::any_of(test.judgings.begin(), test.judgings.end(),
                                    [&](const Judging& j) { return test.judges(j, false, axes); });
    if (judged) owed_[point.id] = test.name + ": " + label(sweep, point);
}

void Owed::settle(const PointRecord& record) {
    if (record.kind != PointKind::check && !record.findings.empty()) settled_.insert(id_of(record));
}

std::string Owed::missing() const {
    std::vector<std::string> names;
    for (const auto& [id, name] : owed_) {
        if (!settled_.contains(id)) names.push_back(name);
    }
    if (names.empty()) return {};
    return std::to_string(names.size()) + (names.size() == 1 ? " point has" : " points have") +
           " rules and no finding, " + names.front() + (names.size() == 1 ? "" : " first");
}

}  // namespace rt::lab
