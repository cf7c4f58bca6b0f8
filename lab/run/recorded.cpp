#include "lab/run/recorded.hpp"

#include <fnmatch.h>

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

std::filesystem::path find_recorded(const Instrument& instrument, const Test& test, const Sweep& sweep,
                                    const Point& point) {
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
            name += slug(test.name);
        } else if (hole == "label") {
            name += slug(label(sweep, point));
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
            name += slug(*value);
        }
    }
    const std::filesystem::path wanted(name);
    std::vector<std::filesystem::path> found;
    std::error_code error;
    for (const auto& entry : std::filesystem::directory_iterator(wanted.parent_path(), error)) {
        if (::fnmatch(wanted.filename().c_str(), entry.path().filename().c_str(), 0) == 0)
            found.push_back(entry.path());
    }
    if (found.empty()) {
        fail_bench(instrument.role + ": no recorded capture " + wanted.string() + " for " +
                   label(sweep, point));
    }
    return *std::max_element(found.begin(), found.end());
}

}  // namespace rt
