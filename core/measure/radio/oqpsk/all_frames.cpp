#include "core/measure/radio/oqpsk/all_frames.hpp"

#include <algorithm>
#include <iterator>

#include "core/dsp/parallel.hpp"
#include "core/measure/burst_samples.hpp"
#include "core/measure/radio/oqpsk/frame.hpp"

namespace rt::oqpsk {
namespace {

// The frame that a burst begins with.
Frame demodulate_one(const IqRecord& record, const IqRecord& channel, const Burst& burst, double search_hz,
                     double shift) {
    Frame out;
    out.burst = burst;
    const auto piece = burst_samples(record, burst, 8e-6, shift);
    const auto quiet = burst_samples(channel, burst, 8e-6, 0);
    out.first_s = piece.first_s;
    // A neighbour is not the unit's error: beside one, vectors are compared behind the channel filter as
    // well.
    constexpr double least_ratio = 0.003, beyond_hz = 3e6;
    const Neighbour neighbour = neighbour_of(piece.samples, record.sample_rate_hz, beyond_hz);
    if (neighbour.ratio > least_ratio) {
        out.neighbour = neighbour;
        out.attempt = demodulate(quiet.samples, record.sample_rate_hz, search_hz);
    } else {
        out.attempt = demodulate(piece.samples, record.sample_rate_hz, search_hz, quiet.samples);
    }
    if (!out.attempt.burst) return out;
    // Its power is that from the first chip to the last, whatever the trigger took for the burst.
    const auto& d = *out.attempt.burst;
    const auto& samples = out.neighbour.ratio > 0 ? quiet.samples : piece.samples;
    const double rate = record.sample_rate_hz, chips = static_cast<double>(d.chips.size());
    const auto at = [&](double seconds) {
        return static_cast<std::size_t>(std::clamp(seconds * rate, 0.0, static_cast<double>(samples.size())));
    };
    const std::size_t from = at(d.start_s + 1 / chip_rate_hz), to = at(d.start_s + chips / chip_rate_hz);
    double sum = 0;
    for (std::size_t i = from; i < to; ++i) sum += std::norm(std::complex<double>(samples[i]));
    if (to > from) out.burst.power = sum / static_cast<double>(to - from);
    return out;
}

}  // namespace

std::vector<Frame> all_frames(const IqRecord& record, const IqRecord& channel,
                              const std::vector<Burst>& bursts, double search_hz, double shift) {
    constexpr double shortest_s = 200e-6;  // preamble, delimiter, length and a little
    constexpr double longest_s = 5e-3, looked_s = 150e-6;
    constexpr std::size_t most_in_vain = 100;
    std::vector<std::vector<Frame>> frames(bursts.size());
    in_parallel(bursts.size(), [&](std::size_t i) {
        Burst rest = bursts[i];
        std::size_t in_vain = 0;
        while (true) {
            Burst part = rest;
            if (!frames[i].empty()) part.stop_s = std::min(rest.stop_s, rest.start_s + longest_s);
            Frame frame = demodulate_one(record, channel, part, search_hz, shift);
            const bool found = frame.attempt.burst.has_value();
            if (!found && !frames[i].empty()) {
                // A preamble is looked for within 200 us.
                rest.start_s += looked_s;
                if (rest.stop_s - rest.start_s < shortest_s || ++in_vain > most_in_vain) break;
                continue;
            }
            in_vain = 0;
            frames[i].push_back(std::move(frame));
            if (!found) break;
            const auto& d = *frames[i].back().attempt.burst;
            const double chips = static_cast<double>(d.chips.size()) + 1;
            const double end = frames[i].back().first_s + d.start_s + chips / chip_rate_hz;
            frames[i].back().burst.stop_s = std::min(rest.stop_s, end);
            if (rest.stop_s - end < shortest_s) break;
            rest.start_s = end;
        }
    });
    std::vector<Frame> out;
    for (auto& some : frames) std::move(some.begin(), some.end(), std::back_inserter(out));
    return out;
}

}  // namespace rt::oqpsk
