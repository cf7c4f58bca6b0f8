// Scattering parameters in other forms and on other references; ports put in another order, in pairs, in a
// row.
#pragma once

#include <string_view>
#include <utility>
#include <vector>

#include "core/signal/network.hpp"

namespace rt {

// What stands in a matrix of a network. All but the first two and the last are for two ports only.
enum class Form {
    impedance,       // V = Z I, ohm
    admittance,      // I = Y V, siemens
    hybrid,          // [V1; I2] = H [I1; V2]
    inverse_hybrid,  // [I1; V2] = G [V1; I2]
    chain,           // [V1; I1] = A [V2; -I2], ABCD
    wave_chain,      // [b1; a1] = T [a2; b2]
    scattering,
};

// For each frequency ports x ports values, row by row, in SI units. Relations between waves, voltages and
// currents as in D. Frickey, IEEE Trans. MTT 42 (1994), references real and each port's own. Throws
// Error(signal) where the form does not exist (an open line has no impedance matrix), Error(input) for a form
// that needs two ports.
std::vector<std::complex<double>> matrices(const Network& network, Form form);
// The other way. `values` as above.
Network network_of(Form form, std::vector<double> frequency_hz,
                   const std::vector<std::complex<double>>& values, std::size_t ports,
                   std::vector<double> reference_ohm);

// The same network counted from other resistances, one for all ports or one for each (power waves of real
// references: K. Kurokawa, IEEE Trans. MTT 13, 1965). Open and shorted ones too.
Network renormalised(const Network& network, std::vector<double> reference_ohm);

// Ports in another order, or some of them with the others ended in their references; `order` holds the old
// numbers, from 1. Throws Error(input) for numbers that are not there or come twice.
Network reordered(const Network& network, const std::vector<std::size_t>& order);

// Two networks in a row: the second half of the first one's ports on the first half of the second one's.
// Throws Error(input) for different frequencies, odd numbers of ports and references that differ where they
// are joined.
Network cascaded(const Network& first, const Network& second);
// What stands behind `first` in `total`, or before `last`. Throws Error(signal) where that lets nothing
// through.
Network behind(const Network& total, const Network& first);
Network before(const Network& total, const Network& last);

using PortPairs = std::vector<std::pair<std::size_t, std::size_t>>;

// Mixed-mode parameters (D. Bockelman, W. Eisenstadt, IEEE Trans. MTT 43, 1995): the differential ports of
// all pairs, then their common ports, then the single ports in order. The references of a pair's ports must
// be equal, Z: its differential port counts from 2 Z, its common one from Z / 2.
Network mixed_mode(const Network& network, const PortPairs& pairs);
// Back: `pairs` and single ports as above, in the numbers of the result.
Network single_ended(const Network& mixed, const PortPairs& pairs);

// Throws Error(input) naming both when the frequencies differ by more than 1e-9 of them.
void require_same_grid(const Network& a, std::string_view name_a, const Network& b, std::string_view name_b);

}  // namespace rt
