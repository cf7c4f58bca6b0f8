#include "lab/model/campaign.hpp"

#include <algorithm>

namespace rt::lab {

std::string Campaign::unit_detail(std::string_view key) const {
    const auto at =
        std::find_if(unit.begin(), unit.end(), [&](const auto& entry) { return entry.first == key; });
    return at == unit.end() ? "" : at->second;
}

const Test* Campaign::find(std::string_view test) const {
    const auto at = std::find_if(tests.begin(), tests.end(), [&](const Test& t) { return t.name == test; });
    return at == tests.end() ? nullptr : &*at;
}

const OwnProcedure* Campaign::own_procedure(std::string_view name) const {
    for (const auto& own : analyses) {
        if (own->analysis.name == name) return own.get();
    }
    return nullptr;
}

}  // namespace rt::lab
