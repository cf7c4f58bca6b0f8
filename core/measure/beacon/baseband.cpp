#include "core/measure/beacon/baseband.hpp"

#include "core/dsp/fir.hpp"
#include "core/dsp/least_squares.hpp"

namespace rt::beacon {
namespace {

using Complex = std::complex<double>;
double step_rise(const std::vector<double>& taps, double rate) {
    double sum = 0, low = 0, high = 0, before = 0;
    for (std::size_t i = 0; i < taps.size(); ++i) {
        before = sum;
        sum += taps[i];
        const auto at = [&](double level) {
            return static_cast<double>(i) + (level - before) / (sum - before);
        };
        if (before < 0.1 && sum >= 0.1) low = at(0.1);
        if (before < 0.9 && sum >= 0.9) {
            high = at(0.9);
            break;
        }
    }
    return (high - low) / rate;
}

}  // namespace

Baseband baseband(const IqRecord& record, const Candidate& candidate) {
    constexpr double room_s = 60e-3, wide_hz = 10e3, wanted_rate = 80e3;
    const double rate = record.sample_rate_hz;
    const auto from =
        static_cast<std::uint64_t>(std::max(0.0, std::floor((candidate.start_s - room_s) * rate)));
    const auto to =
        std::min(record.size(), static_cast<std::uint64_t>(std::ceil((candidate.stop_s + room_s) * rate)));
    Baseband out;
    // Means of a few samples first where there are very many: their response is flat within the band.
    const auto coarse = static_cast<std::size_t>(std::max(1.0, std::floor(rate / 1e6)));
    std::vector<Complex> mixed;
    mixed.reserve(static_cast<std::size_t>(to - from) / coarse + 1);
    constexpr std::uint64_t piece = 1 << 16;
    Complex sum = 0;
    std::size_t taken = 0;
    for (std::uint64_t at = from; at < to; at += piece) {
        const auto samples = record.read(at, static_cast<std::size_t>(std::min(piece, to - at)));
        for (std::size_t i = 0; i < samples.size(); ++i) {
            const double cycles = -candidate.offset_hz * static_cast<double>(at + i - from) / rate;
            sum += Complex(samples[i]) * std::polar(1.0, 2 * pi * (cycles - std::floor(cycles)));
            if (++taken < coarse) continue;
            mixed.push_back(sum / static_cast<double>(coarse));
            sum = 0, taken = 0;
        }
    }
    const double mixed_rate = rate / static_cast<double>(coarse);
    // A record of 20 kHz holds the carrier and 8 kHz to either side, if it stands in its middle.
    out.cutoff_hz = std::min(wide_hz, 0.42 * mixed_rate);
    const auto taps = low_pass(out.cutoff_hz, std::min(4e3, 0.3 * out.cutoff_hz), mixed_rate);
    const auto thin = static_cast<std::size_t>(std::max(1.0, std::floor(mixed_rate / wanted_rate)));
    const auto half = static_cast<std::ptrdiff_t>(taps.size() / 2),
               count = static_cast<std::ptrdiff_t>(mixed.size());
    for (std::ptrdiff_t n = 0; n < count; n += static_cast<std::ptrdiff_t>(thin)) {
        Complex value = 0;
        for (std::ptrdiff_t k = std::max<std::ptrdiff_t>(-half, -n); k <= half && n + k < count; ++k)
            value += mixed[static_cast<std::size_t>(n + k)] * taps[static_cast<std::size_t>(k + half)];
        out.z.push_back(value);
    }
    out.rate = mixed_rate / static_cast<double>(thin);
    out.first_s = (static_cast<double>(from) + static_cast<double>(coarse - 1) / 2) / rate;
    out.rise_s = step_rise(taps, mixed_rate);
    return out;
}

Carrier carrier_of(const Baseband& base, double from_s, double to_s) {
    constexpr double block_s = 1e-3;
    std::vector<double> x, y;
    const auto blocks = static_cast<std::size_t>((to_s - from_s) / block_s);
    double last = 0;
    for (std::size_t b = 0; b < blocks; ++b) {
        const auto first = static_cast<std::size_t>(
            std::max(0.0, std::ceil(base.place(from_s + static_cast<double>(b) * block_s))));
        const auto end = std::min(
            base.z.size(), static_cast<std::size_t>(std::max(
                               0.0, std::ceil(base.place(from_s + static_cast<double>(b + 1) * block_s)))));
        Complex sum = 0;
        for (std::size_t n = first; n < end; ++n) sum += base.z[n];
        if (end <= first) continue;
        double phase = std::arg(sum);
        if (!y.empty()) phase = last + wrapped(phase - last);
        last = phase;
        x.push_back((base.time(first) + base.time(end - 1)) / 2);
        y.push_back(phase);
    }
    const double middle = (from_s + to_s) / 2;
    for (auto& value : x) value -= middle;
    const StraightLine line = line_through(x, y);
    return {line.slope / (2 * pi), line.value, middle};
}

Drift::Drift(const Baseband& base, const Carrier& reference, double from_s, double to_s) : from_s_(from_s) {
    constexpr double block_s = 10e-3;
    LeastSquares fit(4);
    double last = 0;
    bool first = true;
    for (double t = from_s; t + block_s <= to_s; t += block_s / 2) {
        Complex sum = 0;
        const auto begin = static_cast<std::size_t>(std::max(0.0, std::ceil(base.place(t))));
        for (std::size_t n = begin; n < base.z.size() && base.time(n) < t + block_s; ++n)
            sum += base.z[n] * std::polar(1.0, -reference.phase_at(base.time(n)));
        const double phase = first ? std::arg(sum) : last + wrapped(std::arg(sum) - last);
        first = false, last = phase;
        const double x = t + block_s / 2 - from_s;
        fit.add(std::array{1.0, x, x * x, x * x * x}, phase);
    }
    const auto solved = fit.solve();
    std::copy(solved.begin() + 1, solved.end(), powers_.begin());
}

}  // namespace rt::beacon
