// Bench files: the instruments by role, and how each is reached. Dialect files: how each is spoken to.
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "core/signal/detector.hpp"
#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"

namespace rt {

extern const FileInfo bench_file;
extern const FileInfo dialect_file;

// Commands by what they are for, with {placeholders} for values.
struct Dialect {
    std::string id;
    std::string title;
    std::map<std::string, std::string> commands;
    std::map<std::string, std::string> detectors;  // detector name to its word
    long long overload_mask = 0;                   // bits of the status register that mean overload
    std::filesystem::path file;
    std::string text;
};

struct Instrument {
    std::string role;  // "analyser"
    std::string name;  // for the report
    std::string serial;
    std::string address;  // "tcp://host:port" or "simulated"
    Dialect dialect;
    std::string dialect_reference;  // as the bench names it
    std::string calibration_due;    // ISO date, "" when not stated
    std::string connected_to;       // "supply port through the network": for the report and the simulation
    double timeout_s = 5;
    std::optional<double> impedance_ohm;
    std::optional<double> scan_bandwidth_hz;  // spectrum that is measured at once; one point without it
    std::string place;

    bool simulated() const { return address == "simulated"; }
};

struct Simulation {
    std::filesystem::path unit;  // what the simulated instruments see
    std::string unit_reference;  // as the bench names it
    std::uint64_t seed = 1;
    bool instant = false;  // sweeps take no time
};

struct Bench {
    std::string name;
    std::vector<Instrument> instruments;
    std::optional<Simulation> simulation;
    std::filesystem::path file;
    std::string text;

    const Instrument* find(std::string_view role) const;
};

Bench read_bench(const std::filesystem::path& file, const InputFiles& files);
Dialect read_dialect(const std::filesystem::path& file);

}  // namespace rt
