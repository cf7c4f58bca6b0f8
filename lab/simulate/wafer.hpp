// A wafer of invented transistors under probes, as network analyser, source-measure unit and stage see it.
#pragma once

#include <array>
#include <functional>
#include <optional>
#include <string>
#include <vector>

#include "core/network/two.hpp"
#include "core/signal/calibration_kit.hpp"
#include "core/signal/wafer_map.hpp"
#include "lab/formats/config.hpp"

namespace rt::lab {

extern const SectionInfo wafer_section;

// Where the probes are and what is forced there.
struct ProbePlace {
    std::string die, device;
    bool down = false;
    int touches = 0;  // touch-downs at this place
    double chuck_c = 25;
};
struct ProbeBias {
    double input_v = 0, output_v = 0;
    double input_limit_a = 1e-3, output_limit_a = 0.1;
    bool on = false;
};

struct Wafer {
    WaferMap map;
    CalibrationKit kit;   // its standards lie at the die called "kit"
    double gradient = 0;  // how much less transconductance there is at the edge, as a share
    std::vector<std::string> outliers, dead, first_touch, lost;
    double outlier_share = 0.93;
    std::string disturbed_device;
    double disturbed_above_dbm = 100;
    double noise = 1e-4;  // of a raw reading at 1 kHz and -10 dBm, standard deviation
    double drift_per_hour = 0;
    double crosstalk = 0;
    std::vector<std::pair<double, double>> led;  // metres: where a hand moves the stage, in turn

    bool touches(const ProbePlace& place) const;
    // What stands at the place, with its pads, on 50 ohm, by frequency. `rf_dbm` is the level of the signal,
    // if it is on.
    std::function<Two(double hz)> scattering(const ProbePlace& place, const ProbeBias& bias,
                                             std::optional<double> rf_dbm) const;
    struct Currents {
        double input_a = 0, output_a = 0, output_v = 0;
        bool input_limited = false, output_limited = false;
    };
    Currents currents(const ProbePlace& place, const ProbeBias& bias, std::optional<double> rf_dbm) const;

  private:
    struct Transistor {
        double beta = 0, threshold_v = 0, width = 1;
        bool dead = false;
    };
    Transistor transistor_at(const ProbePlace& place) const;
    double edge_m_ = 0;  // the outermost die
    friend Wafer read_wafer(const ConfigSection& section);
};

Wafer read_wafer(const ConfigSection& section);

// What stands between the analyser's receivers and the probe tips at one frequency. `attenuator_db` is in the
// source, `seconds` since the beginning.
struct ProbeBoxes {
    Complex e00, e11, e10, e01, e33, e22, e23, e32, forward, backward;
    // As waves run: raw readings of both directions.
    Two read(const Two& device, Complex crosstalk) const;
};
ProbeBoxes probe_boxes(double hz, double attenuator_db, double drift);

}  // namespace rt::lab
