// What jitter is made of.
#pragma once

#include <cstdint>
#include <optional>
#include <string>
#include <vector>

#include "core/serial/clock.hpp"
#include "core/serial/edges.hpp"

namespace rt {

// A Gaussian tail: Q(x) = (x - mean) / sigma.
struct Tail {
    double mean_s = 0, sigma_s = 0;
};

// The dual-Dirac model: Gaussian tails fitted to both ends of a distribution.
struct DualDirac {
    Tail early, late;
    double random_s = 0;         // mean of both sigmas
    double deterministic_s = 0;  // distance of the means, DJ(dd); not below 0
    // DJ(dd) + 2 Q(ber) sigma.
    double total_s(double error_ratio) const;
};

// Q with 0.5 erfc(Q / sqrt 2) = ratio, for 0 < ratio < 0.5.
double q_of(double ratio);

// Fits on a Gaussian probability scale: the outermost twentieth of the values on each side without the
// outermost 5. The fit is repeated with the share of the population that each tail may
// have (1, 0.5 ... of all values) and the straightest is taken. Nothing for fewer than 10,000 values: the
// tails would say nothing.
std::optional<DualDirac> fit_tails(std::vector<double> values);

struct JitterLine {
    double frequency_hz = 0, amplitude_s = 0;  // peak
};

struct JitterSettings {
    double error_ratio = 1e-12;
    std::size_t pattern = 0;  // symbols after which the pattern repeats; 0: no repetition is used
    double line_db = 15;      // sinusoidal components stand out of the median of the spectrum by this much
};

struct JitterSplit {
    std::size_t edges = 0;
    double rms_s = 0, peak_to_peak_s = 0;
    double duty_cycle_s = 0;                 // mean of rising minus mean of falling edges
    std::optional<double> data_dependent_s;  // peak to peak of the means over the places of the pattern
    std::vector<double> by_place_s;          // these means; NaN where the pattern has no edge
    std::vector<JitterLine> lines;           // of what is left without them, largest first
    double periodic_s = 0;                   // peak to peak of all lines together, as if they met
    std::optional<DualDirac> model;
    std::vector<double> spectrum_hz, spectrum_s;  // amplitude against frequency of jitter
};

// Edges before clock.settled are left out.
JitterSplit split_jitter(const Clock& clock, const Edges& edges, const JitterSettings& settings);

// Error ratio against the place of sampling, 0 to 1 UI: both edges of the model with a transition density of
// 0.5.
struct Bathtub {
    std::vector<double> place_ui, error_ratio;
    double open_ui = 0;      // at the ratio asked for
    double least_ratio = 1;  // at the best place, not below 1e-300
};
Bathtub bathtub(const DualDirac& model, double interval_s, double error_ratio);

}  // namespace rt
