// A simulated modem: it sends signals that are made as samples, as strong as its settings and its gain table
// say.
#pragma once

#include <functional>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

#include "lab/formats/config.hpp"
#include "lab/simulate/cell.hpp"
#include "lab/simulate/landing_receiver.hpp"

namespace rt::lab {

extern const SectionInfo modem_section;

struct SimulatedModem {
    std::string port;
    std::map<std::string, std::string> when = {};
    std::string signal;                                                   // "cellular.lte-uplink"
    std::vector<std::pair<std::string, std::string>> parameters = {};     // of the signal
    std::vector<std::pair<std::string, std::string>> from_settings = {};  // parameter, setting of the unit
    std::string frequency_setting = "frequency", level_setting = "level";
    double gain_db = 0;  // what it sends over what it was told
    double frequency_error_ppm = 0, drift_db = 0, drift_s = 600;
    // Where it has a gain index: the level at index 0 and middle frequency, the step of an index, what is
    // missing at the last of them, ripple from index to index, slope over frequency.
    std::string index_setting = "", table_setting = "";
    double index_level_dbm = -10, index_step_db = 1.5, bend_db = 0, ripple_db = 0, slope_db_per_100mhz = 0;
    double middle_hz = 0;
    int last_index = 15;
    // One that attends to the cell of a tester at its port, sends only while it is attached to it, and may
    // name what the cell tells it as settings: "cell.frequency".
    std::optional<Attending> attending = {};

    double level_at(int index, double hz) const;
};

SimulatedModem read_modem(const ConfigSection& section, const std::map<std::string, std::string>& settings);

// The index that a table has for a level at a frequency: that of the nearest frequency, there of the nearest
// level. Rows are "2402:10:7", MHz, dBm and index, with commas between them. Nothing for a text that is none.
std::optional<int> index_in(const std::string& table, double hz, double level_dbm);

// What it sends now; `setting` gives the unit's settings. Nothing where its settings do not make a signal.
std::optional<ArrivingIq> sent_by(const SimulatedModem& modem,
                                  const std::function<std::string(const std::string&)>& setting,
                                  double seconds);

}  // namespace rt::lab
