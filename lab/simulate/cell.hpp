// The cell of a simulated tester of mobile devices: what it tells a modem that is attached to it.
#pragma once

#include <optional>
#include <string>

namespace rt::lab {

struct Cell {
    enum class Control { maximum, minimum, target };

    bool on = false;
    double frequency_hz = 1.95e9, bandwidth_hz = 10e6;  // of the uplink carrier
    int identity = 0;
    double level_dbm = -60;  // that it sends
    std::string modulation = "qpsk";
    int first_block = 0, blocks = 0;  // 0 for all that there are
    Control control = Control::maximum;
    double target_dbm = 0;
    bool operator==(const Cell&) const = default;
};

enum class Attachment { none, attaching, attached, lost };
const char* name(Attachment attachment);  // "IDLE", "ATT", "CONN", "LOST"

// How a modem attends to a cell.
struct Attending {
    double least_dbm = -100;  // of what arrives of the cell
    double attach_s = 1;
    std::optional<double> drops_after_s;  // loses the cell so long after it was attached, each time
    double highest_dbm = 23, lowest_dbm = -50;
};

// What such a modem takes from the cell: the text for "cell.frequency", "cell.level" ...; nothing for a name
// that no cell has.
std::optional<std::string> told_by(const Cell& cell, const Attending& modem, const std::string& name);

}  // namespace rt::lab
