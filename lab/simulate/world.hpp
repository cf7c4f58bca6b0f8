// What simulated instruments see: a described unit whose signals depend on its settings.
#pragma once

#include <filesystem>
#include <map>
#include <mutex>
#include <string>
#include <vector>

#include "lab/formats/config.hpp"
#include "lab/simulate/surroundings.hpp"

namespace rt::lab {

extern const FileInfo simulated_unit_file;

// A spectral line at a port. `share_on` is the share of time it is there, in bursts much shorter than a
// dwell time and much longer than the response of a resolution filter.
struct EmittedLine {
    double frequency_hz;
    double level_dbm;
    double share_on;
};

// Power density at a port, by frequency: from the value at from_hz to that at to_hz along log f.
struct EmittedNoise {
    double from_hz, to_hz;
    double density_dbm_hz, density_to_dbm_hz;
};

// What is wrong with a modulated carrier, and how its frames come; seen in complex samples only.
struct RadioErrors {
    double frequency_ppm = 0, clock_ppm = 0;
    double iq_offset_db = -60;  // of the origin, relative to the signal
    double imbalance_db = 0;    // I over Q
    std::size_t frame_octets = 100;
    double frame_gap_s = 0.4e-3;
};

// A modulated carrier: total power and the shape of its spectrum.
struct EmittedCarrier {
    double frequency_hz;
    double level_dbm;
    double regrowth_dbm;  // third-order products, total power
    double chip_rate_hz;
    RadioErrors errors = {};
};

// A signal that is made as samples: its power density at even steps.
struct EmittedDensity {
    double from_hz = 0, step_hz = 1;
    std::vector<double> mw_per_hz = {};
};

struct Emission {
    std::vector<EmittedLine> lines;
    std::vector<EmittedNoise> noise;
    std::vector<EmittedCarrier> carriers;
    std::vector<EmittedDensity> made = {};
};

// Normalised power spectral density (1/Hz) of half-sine O-QPSK at `offset_hz`: that of minimum shift keying
// with one bit per chip, 16 T / pi^2 (cos(2 pi f T) / (1 - 16 f^2 T^2))^2, T the chip duration (Proakis,
// Digital Communications, chapter on continuous-phase modulation).
double oqpsk_density(double offset_hz, double chip_rate_hz);

// The same for third-order intermodulation products: the spectrum convolved with itself twice.
double oqpsk_regrowth_density(double offset_hz, double chip_rate_hz);

// The unit with its present settings. Safe to use from several instruments at once.
class SimulatedUnit {
  public:
    SimulatedUnit(const std::filesystem::path& file);

    // False for an unknown setting or one of its unknown words.
    bool set(const std::string& name, const std::string& value);
    std::string get(const std::string& name) const;
    const std::string& name() const { return name_; }

    // What leaves a port now, `seconds` after power-on, every level raised by `gain_db`.
    Emission emission(const std::string& port, double seconds, double gain_db = 0) const;
    bool holds_now(const UnitWhen& when) const;
    const Surroundings& surroundings() const { return surroundings_; }
    double supply_volts() const { return supply_volts_; }
    double temperature(double seconds) const;
    // The settings as after power-on.
    void restart();
    const std::vector<std::pair<std::string, std::string>>& lists() const { return lists_; }
    std::vector<std::string> setting_names() const;
    // The settings as one text: equal text means equal emission.
    std::string state_text() const;

  private:
    struct Line {
        std::string port;
        UnitWhen when;
        EmittedLine first;
        int harmonics;
        double slope_db, even_db, drift_db, drift_s;
    };
    struct Noise {
        std::string port;
        UnitWhen when;
        EmittedNoise noise;
    };
    struct Radio {
        std::string port;
        UnitWhen when;
        double base_hz, spacing_hz;
        int first_channel;
        double intercept_dbm, chip_rate_hz;
        RadioErrors errors;
    };
    struct Fault {
        std::string port;
        UnitWhen when;
        double gain_db;
    };

    bool holds(const UnitWhen& when) const;
    double fault_gain(const std::string& port) const;
    void add_lines(Emission& out, const Line& line, double gain, double seconds) const;

    std::string name_;
    mutable std::mutex mutex_;
    std::map<std::string, std::string> settings_, first_settings_;
    std::vector<std::pair<std::string, std::string>> lists_;
    double supply_volts_ = 5, temperature_c_ = 23, warming_c_ = 0, warming_s_ = 600;
    Surroundings surroundings_;
    std::vector<Line> lines_;
    std::vector<Noise> noise_;
    std::vector<Radio> radios_;
    std::vector<Fault> faults_;
};

}  // namespace rt::lab
