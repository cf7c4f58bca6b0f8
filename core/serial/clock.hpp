// The clock of a serial signal, out of its edges.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <vector>

namespace rt {

enum class Recovery {
    constant,      // one rate and phase for the whole record, least squares
    first_order,   // follows jitter below the corner: observed jitter = TIE x jf / (jf + fc)
    second_order,  // type 2 loop: H = (2 z wn s + wn^2) / (s^2 + 2 z wn s + wn^2), observed = TIE (1 - H)
};

struct ClockSettings {
    Recovery recovery = Recovery::constant;
    // Symbol rate, if it is known: edges then stand whole numbers of these intervals apart. Without it the
    // rate is found from the shortest intervals.
    std::optional<double> rate_hz;
    double corner_hz = 0;  // first order: of the high-pass; second order: -3 dB of H
    double damping = 0.707;
    // The fitted rate may be off the one given by this part of it; farther away it is another signal.
    double within = 0.01;
    // For edges that stand early and late by a good part of the interval, as those of several levels do.
    bool loose = false;
};

// Times are in seconds from the beginning of the record.
struct Clock {
    double rate_hz = 0;              // best fit over all edges
    double first_s = 0;              // where the constant clock has its edge number 0
    std::vector<std::uint32_t> bit;  // for each edge: how many intervals after the first edge it stands
    std::vector<double> tie_s;       // edge minus constant clock
    std::vector<double> left_s;      // edge minus the clock of a loop; empty for a constant clock
    std::size_t settled = 0;         // first edge at which the loop has settled (0 for a constant clock)
    double interval_s() const { return 1 / rate_hz; }
    // Where the recovered clock has its edge that belongs to signal edge k.
    double place_s(std::size_t k) const { return first_s + bit[k] * interval_s() + tie_s[k] - jitter_s()[k]; }
    // Edge minus recovered clock.
    std::span<const double> jitter_s() const { return left_s.empty() ? tie_s : left_s; }
    std::span<const double> settled_jitter_s() const { return jitter_s().subspan(settled); }
};

// The interval of one symbol from the spacing of edges: the longest of which all spacings are whole
// multiples, within a quarter. Nothing for fewer than 16 edges or spacings that fit none.
std::optional<double> find_interval(const std::vector<double>& edges_s);

// Throws Error(signal): no interval found, or one that does not fit the rate given (says which would). Runs
// that all share a factor, as those of a signal of half the rate do, do not fit either; a clock pattern may
// have any.
Clock recover_clock(const std::vector<double>& edges_s, const ClockSettings& settings);

// The response of the loop at a frequency of jitter: what remains of it, 0 to 1 and a little above (peaking).
double observed_share(const ClockSettings& settings, double jitter_hz);

}  // namespace rt
