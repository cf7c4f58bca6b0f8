// Where the power and the phase of a burst change.
#pragma once

#include <optional>
#include <vector>

#include "core/measure/beacon/baseband.hpp"

namespace rt::beacon {

inline constexpr double nominal_rate = 400;

// The edges of the power around a burst.
struct Edge {
    double at_90_s = 0;
    std::optional<double> rise_s;
    bool hidden = false;
};
// `way` +1 looks forward from `from_s` for the rise, -1 backwards for the fall.
std::optional<Edge> edge_of(const Cumulated& power, const Baseband& base, double from_s, double to_s, int way,
                            double carrier, double noise, double smoothing_s);

// Where bits begin, and how fast they come.
struct Clock {
    double first_s = 0, rate = nominal_rate;
    double bit_s() const { return 1 / rate; }
    double begin(double bit) const { return first_s + bit / rate; }
};

// The clock at which the halves of so many bits differ most, within 6 % and 0.3 ms.
Clock clock_of(const Cumulated& phase, double modulation_s, int bits);

// A change of the phase near an instant: when it crosses the middle between what is before and behind.
struct Transition {
    double time_s = 0, from = 0, to = 0;
    bool rising() const { return to > from; }
};
std::optional<Transition> transition_at(const Cumulated& phase, double t, double bit_s);

// The mean shape of transitions of one direction, from 0 to 1 over time: 10 % to 90 %.
std::optional<double> shape_rise(const std::vector<Transition>& all, bool rising,
                                 const std::vector<double>& phase, const Baseband& base, double bit_s);

}  // namespace rt::beacon
