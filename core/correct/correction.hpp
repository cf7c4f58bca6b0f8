// Corrections of a signal path: what stands between the unit and an instrument, by frequency.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/quantity/quantity.hpp"
#include "core/signal/spectrum.hpp"

namespace rt {

// Values between the frequencies of a table follow a straight line in dB, along log frequency (cables and
// antennas as they are tabulated) or along frequency.
enum class Between { log_frequency, frequency };

// dB (or dB/m) against frequency. Nothing is known outside the first and last frequency.
class CorrectionTable {
  public:
    // One row holds at its frequency only. Throws Error(input) for no rows, different lengths, frequencies
    // that do not rise or are not above 0, and values that are not numbers.
    CorrectionTable(std::vector<double> frequency_hz, std::vector<double> db,
                    Between between = Between::log_frequency);

    double from() const { return frequency_hz_.front(); }
    double to() const { return frequency_hz_.back(); }
    bool covers(double hz) const { return hz >= from() && hz <= to(); }
    // Throws Error(input) for a frequency that the table does not cover.
    double at(double hz) const;

    const std::vector<double>& frequency_hz() const { return frequency_hz_; }
    const std::vector<double>& db() const { return db_; }
    Between between() const { return between_; }

  private:
    std::vector<double> frequency_hz_, db_;
    Between between_;
};

// One thing in a path. A loss counts positive, a gain negative; an antenna's factor is a loss in dB/m that
// turns a voltage level into a field strength level.
struct PathPart {
    std::string name;  // "cable C-17"
    bool antenna = false;
    double constant_db = 0;
    std::optional<CorrectionTable> table;
    std::string invalid;  // why nothing measured through it may be judged: its calibration has lapsed ...

    // Throws Error(input) naming the part when its table does not cover the frequency.
    double loss_db(double hz) const;
};

// The parts in order, from the unit to the instrument.
struct SignalPath {
    std::vector<PathPart> parts;

    double loss_db(double hz) const;
    bool has_antenna() const;
    // The first reason why nothing may be judged, "" when there is none.
    std::string invalid() const;
};

// Levels as they were at the unit: every level raised by the loss of the path at its frequency, kept in
// Spectrum::correction_db too. Behind an antenna dBuV become dBuV/m; levels in dBm need the impedance for
// that. Throws Error(input) for frequencies that are not covered.
void correct(Spectrum& spectrum, const SignalPath& path);

}  // namespace rt
