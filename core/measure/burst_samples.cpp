#include "core/measure/burst_samples.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/channel.hpp"

namespace rt {

BurstSamples burst_samples(const IqRecord& record, const Burst& burst, double room_s, double shift_hz) {
    const double rate = record.sample_rate_hz, size = static_cast<double>(record.size());
    const double from = std::clamp(std::floor((burst.start_s - room_s) * rate), 0.0, size);
    const double to = std::clamp(std::ceil((burst.stop_s + room_s) * rate), from, size);
    // Frames of the modulations measured here last milliseconds. What is longer is no frame, and would not
    // fit into memory several times over.
    constexpr double most_samples = 32e6;
    if (to - from > most_samples) {
        fail_signal("a burst of " + format({(to - from) / rate, Unit::second}) + " is no frame: at most " +
                    format({most_samples / rate, Unit::second}) + " at this sample rate are demodulated");
    }
    BurstSamples out;
    out.first_s = from / rate;
    out.samples =
        turned(record, shift_hz).read(static_cast<std::uint64_t>(from), static_cast<std::size_t>(to - from));
    return out;
}

void require_inside(const IqRecord& record, double shift_hz) {
    if (std::abs(shift_hz) < record.sample_rate_hz / 2) return;
    const double half = record.sample_rate_hz / 2;
    fail_input("the frequency meant, " + format({record.centre_hz + shift_hz, Unit::hertz}) +
               ", lies outside the record, which covers " + format({record.centre_hz - half, Unit::hertz}) +
               " to " + format({record.centre_hz + half, Unit::hertz}));
}

void note_left_out(std::size_t left_out, std::size_t all, const char* what, Outcome& outcome) {
    if (left_out == 0) return;
    outcome.notes.push_back(
        fmt::format("{} of {} bursts are no such {} and were left out", left_out, all, what));
}

}  // namespace rt
