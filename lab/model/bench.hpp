// A bench: the instruments by role, how each is reached, and the paths between them and the unit.
#pragma once

#include <cstdint>
#include <filesystem>
#include <memory>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/correct/correction.hpp"
#include "core/rules/uncertainty.hpp"
#include "lab/model/address.hpp"
#include "lab/model/dialect.hpp"
#include "lab/model/named_file.hpp"
#include "lab/model/played_signal.hpp"
#include "lab/model/spectrum_layout.hpp"

namespace rt::lab {

struct Instrument {
    std::string role;  // "analyser"
    std::string name;  // for the report
    std::string serial;
    std::string address;  // as written
    Address place;        // taken apart
    Dialect dialect;
    std::string dialect_reference;  // as the bench names it
    std::string calibration_due;    // ISO date, "" when not stated
    std::string connected_to;       // port of the unit: for the diagram, the report and the simulation
    double timeout_s = 10;
    int channel = 1;        // {channel} of its commands
    int retries = 0;        // of a point during which it failed
    std::string lock;       // "" for none, "exclusive", "shared:KEY"
    std::string recall;     // the state stored in it that is recalled before anything is set; "" for none
    bool shared = false;    // another role may have the same address
    bool to_local = false;  // its panel is given back at the end
    bool external_reference = false;  // it must be locked to it
    bool zero = false;                // zeroed and calibrated when a run begins
    double off_time_s = 1;
    double longest_move_s = 120;
    std::optional<double> turn_time_s, lift_time_s;             // of a full turn, and of a metre
    double angle_tolerance_deg = 1, height_tolerance_m = 0.02;  // of where a turntable or mast must be
    std::optional<double> impedance_ohm;
    std::optional<double> scan_bandwidth_hz;  // spectrum that is measured at once; one point without it
    // What rules may require of it: bandwidth, frequency_accuracy, reference ...
    std::vector<std::pair<std::string, std::string>> properties;
    std::shared_ptr<const PlayedSignal> signal;  // of a generator of samples; null for none
    std::string where;                           // file:line:column

    std::string program;                   // that counts for it; "" for none
    std::optional<SpectrumLayout> layout;  // of recorded spectra that another program has written

    bool simulated() const { return place.kind == Address::Kind::simulated; }
    bool is(std::string_view kind) const { return dialect.kind->name == kind; }
    // The unit may get its power from it.
    bool feeds() const { return is("supply") || is("switch"); }
    bool recorded() const { return place.kind == Address::Kind::files; }
};

// One thing between the unit and an instrument.
struct PathEntry {
    PathPart part;
    std::string kind;         // "cable", "antenna" ...: for the diagram
    std::string calibration;  // name of what a test provides; "" for a constant or a table
    std::string valid_until;  // date or UTC time, "" when not stated
};

struct BenchPath {
    std::string role;
    std::vector<PathEntry> entries;  // from the unit to the instrument
    std::string where;
};

// Something that a simulated instrument does wrong, to rehearse it.
struct PlannedFault {
    std::string role;
    std::string kind;     // one of fault_kinds()
    long long after = 0;  // messages that it answers well before
    long long times = 0;  // how often then; 0 for always
    double delay_s = 0;   // of a slow answer
    std::string text;     // of an entry in the error queue
};

// How a simulated instrument speaks otherwise than SCPI-1999.
struct Accent {
    std::string role;
    std::string hears;    // a header, with ? for a question
    std::string means;    // what it carries out
    std::string answers;  // or what it answers
};

struct Simulation {
    std::filesystem::path unit;  // what the simulated instruments see
    std::string unit_reference;  // as the bench names it
    std::uint64_t seed = 1;
    bool instant = false;  // sweeps and movements take no time
    std::vector<PlannedFault> faults;
    std::vector<Accent> accents;
};

struct Bench {
    std::string name;
    std::optional<double> reference_ppm;  // how stable its frequency reference is
    std::vector<Instrument> instruments;
    std::vector<BenchPath> paths;
    std::vector<Budget> budgets;
    std::optional<Simulation> simulation;
    std::vector<NamedFile> files;  // tables of corrections
    std::filesystem::path file;
    std::string text;

    const Instrument* find(std::string_view role) const;
    const BenchPath* find_path(std::string_view role) const;
    std::vector<std::string> roles() const;
};

}  // namespace rt::lab
