#include "lab/simulate/cell.hpp"

#include <algorithm>

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

std::optional<std::string> told_by(const Cell& cell, const Attending& modem, const std::string& name) {
    if (name == "cell.frequency") return exact(cell.frequency_hz) + " Hz";
    if (name == "cell.bandwidth") return exact(cell.bandwidth_hz) + " Hz";
    if (name == "cell.identity") return std::to_string(cell.identity);
    if (name == "cell.modulation") return lower(cell.modulation);
    if (name == "cell.first_block") return std::to_string(cell.first_block);
    if (name == "cell.blocks") return std::to_string(cell.blocks);
    if (name != "cell.level") return std::nullopt;
    const double level = cell.control == Cell::Control::maximum   ? modem.highest_dbm
                         : cell.control == Cell::Control::minimum ? modem.lowest_dbm
                                                                  : cell.target_dbm;
    return exact(std::clamp(level, modem.lowest_dbm, modem.highest_dbm)) + " dBm";
}

}  // namespace rt::lab
