#include "core/signal/detector.hpp"

#include <array>
#include <utility>

#include "core/base/text.hpp"

namespace rt {

static constexpr std::array names{"peak",   "quasi-peak",    "average",      "rms",
                                  "sample", "negative-peak", "cispr-average"};

const char* name(Detector detector) {
    return names[static_cast<std::size_t>(detector)];
}

std::optional<Detector> parse_detector(std::string_view raw) {
    std::string text = lower(raw);
    static constexpr std::pair<const char*, const char*> short_forms[] = {
        {"pk", "peak"},     {"qp", "quasi-peak"},     {"av", "average"},
        {"avg", "average"}, {"cav", "cispr-average"}, {"quasipeak", "quasi-peak"}};
    for (const auto& [brief, full] : short_forms) {
        if (text == brief) text = full;
    }
    for (std::size_t i = 0; i < names.size(); ++i) {
        if (text == names[i]) return static_cast<Detector>(i);
    }
    return std::nullopt;
}

std::vector<std::string> detector_names() {
    return {names.begin(), names.end()};
}

bool never_below(Detector reading, Detector other) {
    if (reading == other || reading == Detector::peak) return true;
    const bool upper =
        reading == Detector::quasi_peak || reading == Detector::rms || reading == Detector::cispr_average;
    return upper && other == Detector::average;
}

}  // namespace rt
