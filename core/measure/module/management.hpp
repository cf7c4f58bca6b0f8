// What the registers of a pluggable module say, whatever its form.
#pragma once

#include <array>
#include <map>
#include <optional>
#include <set>
#include <string>
#include <utility>
#include <vector>

#include "core/quantity/quantity.hpp"
#include "core/signal/registers.hpp"

namespace rt::management {

enum class Measured { temperature, supply, bias, tx_power, rx_power };
inline constexpr std::array all_measured{Measured::temperature, Measured::supply, Measured::bias,
                                         Measured::tx_power, Measured::rx_power};
const char* name(Measured measured);  // "tx_power"
Unit unit_of(Measured measured);      // powers in watts

// In the order of the registers: alarms are wider than warnings.
struct Four {
    double high_alarm = 0, low_alarm = 0, high_warning = 0, low_warning = 0;
};

enum class State { normal, low_warning, high_warning, low_alarm, high_alarm };
// Strictly above a high limit or below a low one; an alarm outranks a warning.
State state_of(double value, const Four& limits);

struct Monitor {
    Measured measured = Measured::temperature;
    int lane = 0;  // 0 for the whole module
    double value = 0;
    std::optional<Four> limits;
    std::vector<State> latched;  // of its flags those that are set
};

struct Flag {
    std::string what;  // "transmitter fault"
    int lane = 0;
};

struct Checksum {
    std::string area;  // "A0h, bytes 0 to 62"
    std::string place;
    std::uint8_t stated = 0, found = 0;
    bool right() const { return stated == found; }
};

struct Module {
    std::string form;  // "SFP (SFF-8472)"
    int lanes = 1;
    std::vector<std::pair<std::string, std::string>> identity;  // what, in words
    std::vector<Checksum> checksums;
    std::vector<Monitor> monitors;
    std::vector<Flag> faults;          // set now: faults, lost signals, lost locks
    std::vector<std::string> remarks;  // disabled transmitters ...
    // Why a quantity has no value, or no limits.
    std::map<Measured, std::string> no_value, no_limits;
    std::string no_checksums;  // why those that there should be are not known; "" when all are
};

// What is not as it should be, over lanes that count (all without them). Alarms and warnings are those of
// monitors whose limits are known.
struct Totals {
    std::size_t alarms = 0, warnings = 0;  // beyond limits now; an alarm is no warning
    std::size_t latched_alarms = 0, latched_warnings = 0;
    std::size_t faults = 0;
    std::size_t limited = 0;  // monitors whose limits are known
};
Totals totals_of(const Module& module, const std::set<int>* lanes = nullptr);

// By the identifier in byte 0. Throws Error(signal) for one that is of no known form, and where it is not
// known. SFF-8472 revision 12, SFF-8636 revision 2.10, CMIS 4 and 5 as far as sure.
Module read_module(const Registers& registers);

// Of each form.
Module read_sff_8472(const Registers& registers);
Module read_sff_8636(const Registers& registers);
Module read_cmis(const Registers& registers);

}  // namespace rt::management
