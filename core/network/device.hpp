// An embedded device: its pads taken away, and its figures of merit.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/network/two.hpp"

namespace rt {

// Open-short: Yi = inv(inv(Yd - Yo) - inv(Ys - Yo)) (M. Koolen et al., IEEE Bipolar Circuits and Technology
// Meeting, 1991). Open only: Yd - Yo. Pad-open-short: the pad's admittance first, from all three.
Two without_pads(const Two& device, const Two& open, double ohm);
Two without_pads(const Two& device, const Two& open, const Two& short_circuit, double ohm);
Two without_pads(const Two& device, const Two& pad, const Two& open, const Two& short_circuit, double ohm);

struct Dummies {
    const Network* open = nullptr;
    const Network* short_circuit = nullptr;  // null for open only
    const Network* pad = nullptr;
};
// The same over all frequencies. Throws Error(input) for other frequencies, ports and references;
// Error(signal) for dummies that are swapped (an open that conducts more than the short) or one measured
// twice.
Network de_embedded(const Network& device, const Dummies& dummies);

// Of a two-port at one frequency (M. Gupta, IEEE Trans. MTT 40, 1992; S. Mason, Trans. IRE CT-1, 1954).
struct DeviceFigures {
    double h21 = 0;          // |h21|, current gain with a short at the output
    double k = 0;            // stability factor of Rollett
    double mu = 0;           // of Edwards and Sinsky
    double determinant = 0;  // |S11 S22 - S12 S21|
    double stable_gain = 0;  // MSG |S21 / S12|, as a power ratio; infinite without feedback
    double available = 0;    // MAG where K > 1, otherwise MSG, as a power ratio
    double unilateral = 0;   // U of Mason, as a power ratio; below 0 or infinite where it is none
};
DeviceFigures figures_of(const Two& s);

// Where a gain that falls with 20 dB a decade would be 1: the geometric mean of f |gain| (a voltage or
// current ratio) over the frequencies in the range. `slope_db` comes back as the straight line's own fall a
// decade, `spread` as the largest deviation in dB. Nothing with fewer than three frequencies, or ratios that
// are none.
struct UnityGain {
    double frequency_hz = 0, slope_db = 0, deviation_db = 0;
};
std::optional<UnityGain> unity_gain(const std::vector<double>& frequency_hz, const std::vector<double>& ratio,
                                    double from_hz, double to_hz);

// The first frequency at which values rise (or fall) through `level`, by a straight line; nothing if they do
// not.
std::optional<double> crossing_at(const std::vector<double>& frequency_hz, const std::vector<double>& values,
                                  double level, bool rising);

}  // namespace rt
