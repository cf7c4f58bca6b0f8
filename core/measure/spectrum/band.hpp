// Power and bandwidth out of a spectrum: what several procedures share.
#pragma once

#include <optional>
#include <vector>

#include "core/outcome/outcome.hpp"
#include "core/signal/spectrum.hpp"

namespace rt {

// Noise bandwidth of the resolution filter: as stated, else 1.0645 times the 3 dB bandwidth (Gaussian; 6 dB
// for the three CISPR bandwidths). Nothing when the spectrum states no bandwidth.
std::optional<double> noise_bandwidth(const Spectrum& spectrum);

// Power between two frequencies relative to the spectrum's 0 dB (1 mW for dBm): the sum of each point's power
// times the part of its cell inside the band, over the noise bandwidth. Nothing without noise bandwidth.
std::optional<double> band_power(const Spectrum& spectrum, double from_hz, double to_hz);

// The same sum for many bands of one trace with even steps: power up to a frequency, below the first cell 0.
// The trace states its noise bandwidth.
class PowerBelow {
  public:
    explicit PowerBelow(const Spectrum& spectrum);
    double operator()(double hz) const;

  private:
    double first_hz_, step_hz_;
    std::vector<double> sum_;  // one more than points
};

// True when every point of the band lies inside the trace.
bool covers(const Spectrum& spectrum, double from_hz, double to_hz);

double to_db(double power);  // 10 log10, at least -300 dB

// BandEdges within which `share` of the power between `from_hz` and `to_hz` lies, half of the rest on each
// side.
struct BandEdges {
    double low_hz = 0, high_hz = 0;
};
BandEdges occupied_edges(const Spectrum& spectrum, double share, double from_hz, double to_hz);

// The outermost crossings of the level `below_db` under the highest point in the band, with straight lines in
// dB between points. Nothing when the trace does not fall so far on both sides.
std::optional<BandEdges> level_edges(const Spectrum& spectrum, double below_db, double from_hz, double to_hz);

// Index of the highest level in a band. Throws Error(input) when no point lies there.
std::size_t highest_in(const Spectrum& spectrum, double from_hz, double to_hz);

// "dBm per Hz" for dBm, "dBFS per Hz" for dBFS. Throws Error(input) for other units.
Unit density_unit(Unit level);
// Throws Error(input) unless levels are in dBm or dBFS.
void require_power(const Spectrum& spectrum, const char* procedure);
// A remark when the detector makes sums of power only an estimate.
void note_detector(const Spectrum& spectrum, Outcome& outcome);

}  // namespace rt
