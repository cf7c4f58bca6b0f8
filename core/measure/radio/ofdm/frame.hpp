// IEEE 802.11 OFDM PHY, 20 MHz (IEEE 802.11-2016 clause 17): training sequences, pilots, SIGNAL field, rates.
#pragma once

#include <array>
#include <complex>
#include <optional>
#include <span>
#include <vector>

namespace rt::ofdm {

inline constexpr double rate_hz = 20e6;
inline constexpr std::size_t points = 64, guard = 16, symbol = 80;
inline constexpr int outermost = 26;
inline constexpr std::array<int, 4> pilot_carriers{-21, -7, 7, 21};

// Long training sequence on carrier -26 to 26 (0 for the centre).
double long_training(int carrier);
bool is_pilot(int carrier);
// What pilot `index` (0 to 3) of symbol `n` carries; the SIGNAL symbol is number 0.
double pilot(std::size_t n, std::size_t index);

struct Rate {
    int mbit;              // 6 to 54
    unsigned code;         // R1 to R4, R1 in the highest of four bits
    int bits_per_carrier;  // 1, 2, 4, 6
    int bits_per_symbol;   // of data, N_DBPS
    const char* name;      // "64-QAM, rate 3/4"
};
std::span<const Rate> rates();

struct Signal {
    Rate rate;
    unsigned octets;
    std::size_t symbols;  // of data
};
// Decodes the 48 values of the SIGNAL symbol (real parts of carriers from -26 up, without pilots). Nothing
// when parity, tail or rate are wrong.
std::optional<Signal> decode_signal(std::span<const double> values);

// The nearest point of the constellation, mean power 1.
std::complex<double> nearest(std::complex<double> value, int bits_per_carrier);

}  // namespace rt::ofdm
