#include "core/signal/plausible.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

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

std::optional<std::string> odd(const Spectrum& s) {
    constexpr std::size_t enough = 8;
    constexpr double far_below = 40;
    std::vector<double> read = s.level;
    for (std::size_t i = 0; i < s.correction_db.size() && i < read.size(); ++i) read[i] -= s.correction_db[i];
    if (read.empty()) return std::nullopt;
    const auto [low, high] = std::minmax_element(s.level.begin(), s.level.end());
    if (s.level.size() >= enough && *low == *high) {
        return "all " + std::to_string(s.level.size()) + " levels are " + format({*low, s.unit}) +
               ": no receiver reads so";
    }
    const auto shift = to_dbm(s);
    if (!shift) return std::nullopt;
    const double floor = thermal_dbm_per_hz + 10 * std::log10(s.resolution_bandwidth_hz.value_or(1)) - *shift;
    const double top = *std::max_element(read.begin(), read.end());
    const auto middle = read.begin() + static_cast<std::ptrdiff_t>(read.size() / 2);
    std::nth_element(read.begin(), middle, read.end());
    // Levels that are all the same are what somebody wrote for nothing; a receiver's own noise never is.
    const bool noise = *std::min_element(read.begin(), middle + 1) < *middle;
    if (top >= floor && (*middle >= floor - far_below || !noise)) return std::nullopt;
    const bool all = top < floor;
    return (all ? "no level reaches" : "half of the levels lie more than 40 dB below") +
           std::string(" the thermal noise of ") +
           (s.resolution_bandwidth_hz ? "the resolution bandwidth, " : "1 Hz, ") +
           format({floor, s.unit == Unit::dbm ? Unit::dbm : Unit::dbuv}, 3) +
           ": is the unit another one, or the byte order?";
}

std::optional<std::string> odd(const PowerReading& p) {
    const double raw = p.level_dbm - p.correction_db.value_or(0);
    if (raw >= -150 && raw <= 70) return std::nullopt;
    return "no power sensor reads " + format({raw, Unit::dbm});
}

std::optional<std::string> odd(const Network& n) {
    bool any = false;
    for (const auto& s : n.s) {
        any = any || s != 0.0;
        if (!(std::abs(s) <= 1e4))
            return "a scattering parameter has the magnitude " + std::to_string(std::abs(s));
    }
    if (any) return std::nullopt;
    return "all scattering parameters are 0: no analyser reads so";
}

template <typename Other>
std::optional<std::string> odd(const Other&) {
    return std::nullopt;
}

template <typename Number>
bool tiny(std::span<const Number> values, Number least) {
    return std::any_of(values.begin(), values.end(), [&](Number v) { return v != 0 && std::abs(v) < least; });
}

}  // namespace

std::optional<std::string> implausible(const Capture& capture) {
    return std::visit([](const auto& c) { return odd(c); }, capture);
}

bool scrambled(std::span<const double> values) {
    return tiny<double>(values, 1e-60);
}

bool scrambled(std::span<const float> values) {
    return tiny<float>(values, 1e-30F);
}

}  // namespace rt
