#include "core/dsp/coherent_am.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/fft.hpp"
#include "core/dsp/peaks.hpp"
#include "core/quantity/quantity.hpp"

namespace rt {
namespace {

using Complex = std::complex<double>;
constexpr double pi = std::numbers::pi;
constexpr double wanted_rate = 12e3, common_s = 1.0 / 30;

// The strongest line of a record within `most` samples of its middle, by a Hann window and a parabola.
double strongest_line(const IqRecord& record) {
    const std::uint64_t most = 1 << 20, size = std::min(record.size(), most);
    const std::uint64_t from = (record.size() - size) / 2;
    auto samples = record.read(from, static_cast<std::size_t>(size));
    const std::size_t points = fast_size(samples.size());
    std::vector<Complex> work(points);
    for (std::size_t i = 0; i < samples.size(); ++i)
        work[i] = Complex(samples[i]) * (0.5 - 0.5 * std::cos(2 * pi * (static_cast<double>(i) + 0.5) /
                                                              static_cast<double>(samples.size())));
    Fft<double> transform(points);
    transform(work.data());
    std::size_t best = 0;
    for (std::size_t i = 1; i < points; ++i)
        if (std::norm(work[i]) > std::norm(work[best])) best = i;
    const auto level = [&](std::size_t i) { return std::log(std::max(std::norm(work[i % points]), 1e-300)); };
    const double part = vertex(level(best + points - 1), level(best), level(best + 1));
    const double bin = best <= points / 2 ? static_cast<double>(best)
                                          : static_cast<double>(best) - static_cast<double>(points);
    return (bin + part) * record.sample_rate_hz / static_cast<double>(points);
}

}  // namespace

double CoherentAm::response(double hz) const {
    const double step = pi * hz / rate / static_cast<double>(thin);
    if (thin < 2 || step == 0) return 1;
    return std::sin(step * static_cast<double>(thin)) / (static_cast<double>(thin) * std::sin(step));
}

CoherentAm coherent_am(const IqRecord& record, double about_hz, double least_share) {
    CoherentAm out;
    const double rate = record.sample_rate_hz;
    if (record.seconds() < 0.2) {
        out.reason = "the record lasts " + format({record.seconds(), Unit::second}) +
                     ": 200 ms are needed to tell 90 Hz from 150 Hz";
        return out;
    }
    const double line = strongest_line(record);
    // Mixed to 0 Hz and thinned by means: flat to 0.3 dB up to 1.5 kHz.
    const auto thin = static_cast<std::uint64_t>(std::max(1.0, std::floor(rate / about_hz)));
    std::vector<Complex> z;
    Complex sum = 0;
    std::uint64_t taken = 0;
    constexpr std::uint64_t piece = 1 << 16;
    for (std::uint64_t at = 0; at < record.size(); at += piece) {
        const auto samples = record.read(at, static_cast<std::size_t>(std::min(piece, record.size() - at)));
        for (std::size_t i = 0; i < samples.size(); ++i) {
            const double cycles = -line * static_cast<double>(at + i) / rate;
            sum += Complex(samples[i]) * std::polar(1.0, 2 * pi * (cycles - std::floor(cycles)));
            if (++taken < thin) continue;
            z.push_back(sum / static_cast<double>(thin));
            sum = 0, taken = 0;
        }
    }
    out.rate = rate / static_cast<double>(thin), out.thin = thin;
    // The carrier: means over whole periods of all tones, around each sample.
    const auto half = static_cast<std::size_t>(std::max(1.0, std::round(out.rate * common_s / 2)));
    std::vector<Complex> sums(z.size() + 1);
    for (std::size_t i = 0; i < z.size(); ++i) sums[i + 1] = sums[i] + z[i];
    const std::size_t first = half, end = z.size() > half ? z.size() - half : 0;
    if (end <= first + 100) {
        out.reason = "the record is too short";
        return out;
    }
    double level = 0, against = 0, turned = 0, all = 0;
    Complex last = 0;
    for (std::size_t n = first; n < end; ++n) {
        const Complex carrier = (sums[n + half] - sums[n - half]) / static_cast<double>(2 * half);
        const double height = std::abs(carrier);
        if (n > first) turned += std::arg(carrier * std::conj(last));
        last = carrier;
        level += height;
        all += std::norm(z[n]);
        const Complex turnedback = height > 0 ? z[n] * std::conj(carrier) / height : Complex(0);
        out.depth.push_back(turnedback.real());
        against += turnedback.imag() * turnedback.imag();
    }
    const auto count = static_cast<double>(out.depth.size());
    out.carrier = level / count;
    if (!(out.carrier > 0)) {
        out.reason = "there is no signal";
        return out;
    }
    for (auto& value : out.depth) value /= out.carrier;
    out.offset_hz = line + turned / (2 * pi) * out.rate / (count - 1);
    out.noise = std::sqrt(against / count) / out.carrier;
    // White noise, or another modulation, stands as much across the carrier as along it.
    if (out.noise > 0.5 || out.carrier * out.carrier < least_share * all / count) {
        out.reason = "no amplitude-modulated carrier stands out";
        out.depth.clear();
    }
    return out;
}

CoherentAm detected_am(const std::vector<double>& volts, double rate_hz) {
    CoherentAm out;
    const auto thin = static_cast<std::size_t>(std::max(1.0, std::floor(rate_hz / wanted_rate)));
    out.rate = rate_hz / static_cast<double>(thin), out.thin = thin;
    double mean = 0;
    for (std::size_t at = 0; at + thin <= volts.size(); at += thin) {
        double sum = 0;
        for (std::size_t k = 0; k < thin; ++k) sum += volts[at + k];
        out.depth.push_back(sum / static_cast<double>(thin));
        mean += out.depth.back();
    }
    if (static_cast<double>(out.depth.size()) < 0.2 * out.rate) {
        out.reason = "the record is too short: 200 ms are needed to tell 90 Hz from 150 Hz";
        return out;
    }
    mean /= static_cast<double>(out.depth.size());
    double spread = 0;
    for (const double value : out.depth) spread = std::max(spread, std::abs(value - mean));
    // A depth below 100 % never takes the voltage of a detector to zero.
    if (!(std::abs(mean) > 0) || spread > 1.3 * std::abs(mean)) {
        out.reason =
            "the voltage has no direct part that could be the carrier: depths count from it; couple the "
            "detector for "
            "direct voltage";
        out.depth.clear();
        return out;
    }
    out.carrier = std::abs(mean);
    for (auto& value : out.depth) value /= mean;
    return out;
}

}  // namespace rt
