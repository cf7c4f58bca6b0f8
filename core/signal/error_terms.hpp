// Error terms of a network analyser: what a calibration came to.
#pragma once

#include <array>
#include <complex>
#include <cstddef>
#include <optional>
#include <string>
#include <vector>

namespace rt {

struct ErrorTermsSetup {};

// The six of each direction, forward (port 1 drives) before reverse.
enum Term : std::size_t {
    directivity,
    source_match,
    reflection_tracking,
    load_match,
    transmission_tracking,
    isolation,
    reverse,  // of the other direction: reverse + load_match ...
};
constexpr std::size_t term_count = 12;
using TermValues = std::array<std::complex<double>, term_count>;
// "EDF" ... "EXR": what tables call them.
extern const std::array<const char*, term_count> term_names;

struct ErrorTerms {
    using Setup = ErrorTermsSetup;
    static constexpr const char* kind = "error-terms";
    static constexpr const char* needed = "error terms of a network analyser";

    std::size_t ports = 2;  // 1: only directivity, source match and reflection tracking, of `port`
    std::size_t port = 1;
    std::vector<double> frequency_hz;
    std::vector<TermValues> values;
    double reference_ohm = 50;  // that corrected parameters count from
    std::string method;         // in words, for those who read corrected data
    // The state of the analyser that they hold for.
    std::optional<double> source_dbm{}, attenuator_db{};
    // Noise of a raw reading: a part that does not depend on it, and one in proportion (standard deviations).
    double noise_floor = 0, noise_share = 0;
    // For each frequency, how the terms move with one standard deviation of each reading of a standard: rows
    // of term_count values. Empty without noise.
    std::vector<std::vector<TermValues>> moves{};
    std::vector<std::string> deviations{};  // what keeps them from being as usual, though they may be right
    std::optional<std::string> distrust{};
};

// Why they cannot be those of an analyser. Empty when they can.
std::string implausible(const ErrorTerms& terms);

}  // namespace rt
