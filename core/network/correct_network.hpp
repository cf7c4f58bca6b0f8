// Raw network data corrected by error terms, and made raw by them.
#pragma once

#include <string>

#include "core/network/two.hpp"
#include "core/signal/error_terms.hpp"

namespace rt {

// Twelve-term model of a two-port measured in both directions (R. Marks, 50th ARFTG Conference, 1997), and
// its inverse.
Two raw_of(const Two& actual, const TermValues& terms);
Two actual_of(const Two& raw, const TermValues& terms);
// One port: M = D + T G / (1 - S G), and its inverse. `terms` are the three of one direction.
std::complex<double> raw_of(std::complex<double> actual, const std::complex<double>* terms);
std::complex<double> actual_of(std::complex<double> raw, const std::complex<double>* terms);

// Corrected data, on the reference of the terms, with a standard uncertainty by the noise of raw readings and
// of the standards where the terms state it (to first order). One-port terms take the reflection at their
// port of data with more ports. Throws Error(input) for other frequencies than those of the terms, more than
// two ports and too few; Error(signal) for another source attenuator.
Network corrected(const Network& raw, const ErrorTerms& terms);

}  // namespace rt
