// The cell of a simulated tester of mobile devices: what it tells a modem that is attached to it.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace rt::lab {

struct Cell {
    enum class Control { maximum, minimum, target, pattern };

    bool on = false;
    double frequency_hz = 1.95e9, bandwidth_hz = 10e6;  // of the uplink carrier
    int identity = 0;
    double level_dbm = -60;  // that it sends
    std::string modulation = "qpsk";
    int first_block = 0, blocks = 0;  // 0 for all that there are
    Control control = Control::maximum;
    double target_dbm = 0;
    // Of a pattern, which begins at the target: what the device is told before each subframe but the first,
    // in dB.
    std::vector<double> steps_db = {};
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

// "1, 1, -1": the steps of a pattern, at most 40 dB each. Nothing for a text that is none.
std::optional<std::vector<double>> steps_in(std::string_view text);

// What such a modem takes from the cell: the text for "cell.frequency", "cell.level" ...; nothing for a name
// that no cell has.
std::optional<std::string> told_by(const Cell& cell, const Attending& modem, const std::string& name);

}  // namespace rt::lab
