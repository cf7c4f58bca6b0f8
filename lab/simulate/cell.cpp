#include "lab/simulate/cell.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/text.hpp"

namespace rt::lab {

const char* name(Attachment attachment) {
    switch (attachment) {
        case Attachment::none:
            return "IDLE";
        case Attachment::attaching:
            return "ATT";
        case Attachment::attached:
            return "CONN";
        case Attachment::lost:
            return "LOST";
    }
    return "IDLE";
}

namespace {

// Levels of the subframes, within what the modem can do.
std::vector<double> levels_of(const Cell& cell, const Attending& modem) {
    double level = cell.control == Cell::Control::maximum   ? modem.highest_dbm
                   : cell.control == Cell::Control::minimum ? modem.lowest_dbm
                                                            : cell.target_dbm;
    const auto possible = [&](double dbm) { return std::clamp(dbm, modem.lowest_dbm, modem.highest_dbm); };
    std::vector<double> out{level = possible(level)};
    if (cell.control != Cell::Control::pattern) return out;
    for (const double step : cell.steps_db) out.push_back(level = possible(level + step));
    return out;
}

}  // namespace

std::optional<std::vector<double>> steps_in(std::string_view text) {
    std::vector<double> out;
    for (const auto word : split(text, ',')) {
        const auto step = to_double(trim(word));
        constexpr double most = 40;
        if (!step || !(std::abs(*step) <= most)) return std::nullopt;
        out.push_back(*step);
    }
    return out;
}

std::optional<std::string> told_by(const Cell& cell, const Attending& modem, const std::string& name) {
    if (name == "cell.frequency") return exact(cell.frequency_hz) + " Hz";
    if (name == "cell.bandwidth") return exact(cell.bandwidth_hz) + " Hz";
    if (name == "cell.identity") return std::to_string(cell.identity);
    if (name == "cell.modulation") return lower(cell.modulation);
    if (name == "cell.first_block") return std::to_string(cell.first_block);
    if (name == "cell.blocks") return std::to_string(cell.blocks);
    const auto levels = levels_of(cell, modem);
    const double highest = *std::max_element(levels.begin(), levels.end());
    if (name == "cell.level") return exact(highest) + " dBm";
    if (name != "cell.levels") return std::nullopt;
    if (levels.size() == 1) return "0";
    // It is told the pattern again and again, with a subframe between in which it sends nothing.
    std::string out = "off, off";
    for (const double level : levels) {
        const std::string below = exact(level - highest);
        out += ", " + below + ", " + below;
    }
    return out;
}

}  // namespace rt::lab
