#include "lab/model/bench.hpp"

#include <algorithm>

namespace rt::lab {

const Instrument* Bench::find(std::string_view role) const {
    for (const auto& instrument : instruments) {
        if (instrument.role == role) return &instrument;
    }
    return nullptr;
}

const BenchPath* Bench::find_path(std::string_view role) const {
    for (const auto& path : paths) {
        if (path.role == role) return &path;
    }
    return nullptr;
}

std::vector<std::string> Bench::roles() const {
    std::vector<std::string> out;
    for (const auto& instrument : instruments) out.push_back(instrument.role);
    return out;
}

}  // namespace rt::lab
