#include "core/signal/spectrum.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"

namespace rt {
namespace {

// kT at 290 K, in dBm/Hz (ITU-R SM.328: -174 dBm/Hz).
constexpr double thermal_dbm_per_hz = -174;

// What the input saw, in dBm: the level without what the path added. Nothing for units that are no power.
std::optional<double> to_dbm(const Spectrum& s) {
    switch (s.unit) {
        case Unit::dbm:
            return 0;
        case Unit::dbuv:
        case Unit::dbuv_per_metre:
            break;
        default:
            return std::nullopt;
    }
    // A field strength was dBuV before its antenna factor, which stands among the corrections.
    if (s.unit == Unit::dbuv_per_metre && s.correction_db.empty()) return std::nullopt;
    const auto shift = convert({0, Unit::dbuv}, Unit::dbm, {s.impedance_ohm.value_or(50), Unit::ohm});
    return shift ? std::optional(shift->value) : std::nullopt;
}

}  // namespace

void require_valid(const Spectrum& s, const std::string& place) {
    if (s.frequency_hz.empty()) fail_input(place, "the spectrum has no points");
    if (s.frequency_hz.size() != s.level.size()) {
        fail_input(place, fmt::format("the spectrum has {} frequencies but {} levels", s.frequency_hz.size(),
                                      s.level.size()));
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

std::string implausible(const Spectrum& s) {
    constexpr std::size_t enough = 8;
    constexpr double far_below = 40;
    std::vector<double> read = s.level;
    for (std::size_t i = 0; i < s.correction_db.size() && i < read.size(); ++i) read[i] -= s.correction_db[i];
    if (read.empty()) return {};
    const auto [low, high] = std::minmax_element(s.level.begin(), s.level.end());
    if (s.level.size() >= enough && *low == *high) {
        return "all " + std::to_string(s.level.size()) + " levels are " + format({*low, s.unit}) +
               ": no receiver reads so";
    }
    const auto shift = to_dbm(s);
    if (!shift) return {};
    const double floor = thermal_dbm_per_hz + 10 * std::log10(s.resolution_bandwidth_hz.value_or(1)) - *shift;
    const double top = *std::max_element(read.begin(), read.end());
    const auto middle = read.begin() + static_cast<std::ptrdiff_t>(read.size() / 2);
    std::nth_element(read.begin(), middle, read.end());
    // Levels that are all the same are what somebody wrote for nothing; a receiver's own noise never is.
    const bool noise = *std::min_element(read.begin(), middle + 1) < *middle;
    if (top >= floor && (*middle >= floor - far_below || !noise)) return {};
    const bool all = top < floor;
    return (all ? "no level reaches" : "half of the levels lie more than 40 dB below") +
           std::string(" the thermal noise of ") +
           (s.resolution_bandwidth_hz ? "the resolution bandwidth, " : "1 Hz, ") +
           format({floor, s.unit == Unit::dbm ? Unit::dbm : Unit::dbuv}, 3) +
           ": is the unit another one, or the byte order?";
}

}  // namespace rt
