// Whether network data can be what it says: passive, reciprocal, causal, without steps and dropouts.
#pragma once

#include <optional>
#include <vector>

#include "core/signal/network.hpp"

namespace rt {

// The largest singular value of the matrix at each frequency: at most 1 for a passive network (references
// real).
std::vector<double> largest_singular_values(const Network& network);

// The largest |Sij - Sji| at each frequency: 0 for a reciprocal network.
std::vector<double> reciprocity_errors(const Network& network);

// Share of the energy of an impulse response that comes before t = 0. The response is the inverse transform
// of the parameter with a Hann window over the band, its later half counting as negative times; what lies
// within the window's own width of 2 / band around 0 counts as 0. Its lobes beyond leave 0.03 % of something
// without delay. Nothing where frequencies are not evenly
// spaced (to 1e-3 of a step), or fewer than 16. `longest_s` comes back as the time that later responses fold
// over at, half of 1 / step.
std::optional<double> energy_before_zero(const std::vector<double>& frequency_hz,
                                         const std::vector<std::complex<double>>& values,
                                         double* longest_s = nullptr);

// Places where one value lies apart from what its neighbours lead to: more than `factor` times the typical
// (median) distance of neighbours there, and above `floor`. `steps` begin something new, `dropouts` are
// single values (or equal ones in a row) between neighbours that fit together.
struct Breaks {
    std::vector<std::size_t> steps, dropouts;  // indices, of a step the first value behind it
};
Breaks breaks_of(const std::vector<std::complex<double>>& values, double factor = 12, double floor = 1e-3);

// -d(phase)/d(angular frequency) in s, phase unwrapped, over `aperture` steps centred on each frequency
// (fewer at the ends).
std::vector<double> group_delay(const std::vector<double>& frequency_hz,
                                const std::vector<std::complex<double>>& values, std::size_t aperture);

// Standard deviation of the noise on values that otherwise run smoothly over frequency, as a distance: from
// what the middle of three lies apart from its neighbours, once the turn that all steps have in common is
// taken out. Of noise alone it is the values' own rms. Nothing below 8 values.
std::optional<double> noise_of(const std::vector<std::complex<double>>& values);

// In radians, without turns. A step of more than half a turn between neighbours cannot be told.
std::vector<double> unwrapped(const std::vector<std::complex<double>>& values);

}  // namespace rt
