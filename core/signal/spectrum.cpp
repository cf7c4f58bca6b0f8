#include "core/signal/spectrum.hpp"

#include <cmath>

#include "core/base/error.hpp"

namespace rt {

void require_valid(const Spectrum& s, const std::string& place) {
    if (s.frequency_hz.empty()) fail_input(place, "the spectrum has no points");
    if (s.frequency_hz.size() != s.level.size()) {
        fail_input(place, "the spectrum has " + std::to_string(s.frequency_hz.size()) + " frequencies but " +
                              std::to_string(s.level.size()) + " levels");
    }
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        if (!std::isfinite(s.frequency_hz[i]) || !std::isfinite(s.level[i])) {
            fail_input(place, "point " + std::to_string(i + 1) + " is not a finite number");
        }
        if (i > 0 && !(s.frequency_hz[i] > s.frequency_hz[i - 1])) {
            fail_input(place, "the frequency of point " + std::to_string(i + 1) +
                                  " does not rise: " + format({s.frequency_hz[i], Unit::hertz}) + " after " +
                                  format({s.frequency_hz[i - 1], Unit::hertz}));
        }
    }
}

}  // namespace rt
