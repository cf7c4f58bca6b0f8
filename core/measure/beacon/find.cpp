#include "core/measure/beacon/find.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/fft.hpp"
#include "core/dsp/peaks.hpp"
#include "core/stats/median.hpp"

namespace rt::beacon {
namespace {

constexpr double piece_s = 10e-3, shortest_s = 0.25, longest_s = 1.0;

struct Peak {
    bool stands = false;
    double offset_hz = 0;
};

std::vector<Peak> peaks_of(const IqRecord& record, std::size_t length) {
    const std::size_t size = length;
    const Fft<float> transform(size);
    std::vector<float> window(size);
    for (std::size_t i = 0; i < size; ++i)
        window[i] =
            static_cast<float>(0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(i) + 0.5) /
                                                    static_cast<double>(size)));
    std::vector<std::complex<float>> data(size);
    std::vector<float> power(size), sorted;
    std::vector<Peak> out;
    const auto step = static_cast<std::uint64_t>(length);
    for (std::uint64_t at = 0; at + step <= record.size(); at += step) {
        record.samples->read(at, data);
        for (std::size_t i = 0; i < size; ++i) data[i] *= window[i];
        transform(data.data());
        for (std::size_t i = 0; i < size; ++i) power[i] = std::norm(data[i]);
        // The band's edges belong to the filters of the receiver.
        const auto inside = [&](std::size_t i) {
            const double f = static_cast<double>(i <= size / 2 ? i : size - i) / static_cast<double>(size);
            return f < 0.46;
        };
        std::size_t best = 0;
        for (std::size_t i = 1; i < size; ++i)
            if (inside(i) && power[i] > power[best]) best = i;
        sorted.assign(power.begin(), power.end());
        const auto middle = sorted.begin() + static_cast<std::ptrdiff_t>(size / 2);
        std::nth_element(sorted.begin(), middle, sorted.end());
        constexpr float above = 63;  // 18 dB
        Peak peak;
        peak.stands = power[best] > 0 && power[best] > above * *middle;
        if (peak.stands) {
            // A parabola through logarithms: exact enough for a Hann window.
            const auto level = [&](std::size_t i) { return std::log(std::max(power[i % size], 1e-30F)); };
            const double part = vertex(level(best + size - 1), level(best), level(best + 1));
            const double bin =
                (best < (size + 1) / 2 ? static_cast<double>(best)
                                       : static_cast<double>(best) - static_cast<double>(size)) +
                part;
            peak.offset_hz = bin * record.sample_rate_hz / static_cast<double>(size);
        }
        out.push_back(peak);
    }
    return out;
}

}  // namespace

std::vector<Candidate> find_candidates(const IqRecord& record) {
    const auto length = static_cast<std::size_t>(std::max(64.0, std::round(record.sample_rate_hz * piece_s)));
    const double piece = static_cast<double>(length) / record.sample_rate_hz, bin = 1 / piece;
    const auto peaks = peaks_of(record, length);
    std::vector<Candidate> out;
    for (std::size_t from = 0; from < peaks.size();) {
        if (!peaks[from].stands) {
            ++from;
            continue;
        }
        // The carrier alone first: 100 ms at one place.
        constexpr std::size_t alone = 10;
        std::vector<double> offsets{peaks[from].offset_hz};
        std::size_t last = from;
        while (last + 1 < peaks.size() && peaks[last + 1].stands &&
               std::abs(peaks[last + 1].offset_hz - median(offsets)) < 0.6 * bin) {
            offsets.push_back(peaks[++last].offset_hz);
            if (static_cast<double>(offsets.size()) * piece > longest_s) break;
        }
        if (offsets.size() < alone) {
            ++from;
            continue;
        }
        // Then modulation, whose lines at multiples of half the bit rate may be the higher ones.
        constexpr double beside_hz = 1300;
        const double line = median(offsets);
        for (std::size_t k = last + 1; k < peaks.size() && k <= last + 2; ++k)
            if (peaks[k].stands && std::abs(peaks[k].offset_hz - line) < beside_hz) last = k;
        const double seconds = static_cast<double>(last + 1 - from) * piece;
        if (seconds >= shortest_s && seconds <= longest_s) {
            out.push_back({static_cast<double>(from) * piece, static_cast<double>(last + 1) * piece, line,
                           from == 0, last + 1 == peaks.size()});
        }
        from = last + 1;
    }
    return out;
}

}  // namespace rt::beacon
