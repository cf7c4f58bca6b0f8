// Network data: scattering parameters against frequency.
#pragma once

#include <complex>
#include <cstddef>
#include <optional>
#include <string>
#include <vector>

namespace rt {

// What a network analyser has to be asked for: all four parameters of two ports.
struct NetworkSetup {
    double start_hz = 0;
    double stop_hz = 0;
    std::size_t points = 0;  // evenly spaced, both ends included
    double bandwidth_hz = 0;
    // Instead of the parameters: what each port reflects while the other one drives (a2/b2 in place of S21,
    // a1/b1 in place of S12; the rest is 0).
    bool switch_terms = false;
    bool raw = false;  // with the analyser's own correction off
};

// Noise of a two-port at one frequency (Touchstone; H. Rothe, W. Dahlke, Proc. IRE 44, 1956).
struct NoisePoint {
    double frequency_hz = 0;
    double minimum_figure_db = 0;
    std::complex<double> optimum;  // reflection of the source that gives it, on the reference resistance
    double resistance_ohm = 0;     // equivalent noise resistance
};

struct Network {
    using Setup = NetworkSetup;
    static constexpr const char* kind = "network";
    static constexpr const char* needed =
        "network data (Touchstone)";  // what a procedure says that takes nothing else

    std::size_t ports = 0;
    std::vector<double> frequency_hz;       // ascends strictly
    std::vector<std::complex<double>> s;    // for each frequency ports x ports values, row by row
    std::vector<double> reference_ohm{50};  // one for all ports, or one for each
    std::vector<NoisePoint> noise{};        // of two-ports whose file gives it
    std::vector<double> uncertainty{};      // standard, of each of `s` as a distance; empty when not known
    std::optional<double> source_dbm{};     // level that drove the ports
    std::optional<double> attenuator_db{};  // in the source while it was measured
    std::vector<std::string> done{};        // what was done to it since it was measured, step by step
    std::optional<std::string> distrust{};  // why it cannot be trusted, if it cannot

    // Wave out of port `to` for a wave into port `from`; ports count from 1. S21 is (2, 1).
    std::complex<double> at(std::size_t index, std::size_t to, std::size_t from) const {
        return s[(index * ports + to - 1) * ports + from - 1];
    }
    // Of a port, from 1.
    double reference(std::size_t port) const {
        return reference_ohm.size() == 1 ? reference_ohm.front() : reference_ohm[port - 1];
    }
    bool one_reference() const;
};

// Why it cannot have been measured: all parameters are 0, or one is above 10,000. Empty when it can.
std::string implausible(const Network& capture);

}  // namespace rt
