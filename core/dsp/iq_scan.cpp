#include "core/dsp/iq_scan.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/dsp/detect.hpp"
#include "core/dsp/fft.hpp"
#include "core/dsp/parallel.hpp"
#include "core/dsp/simd.hpp"
#include "core/quantity/quantity.hpp"

namespace rt {
namespace {

using Sample = std::complex<float>;

std::string hz(double value) {
    return format({value, Unit::hertz});
}

// Beyond so many standard deviations a Gaussian window is cut off: below -108 dB.
constexpr double window_reach = 5;

struct Part {
    std::uint64_t first, count;
};

Part part_of(const IqRecord& record, std::uint64_t first, std::uint64_t count) {
    const std::uint64_t size = record.size();
    if (first > size) first = size;
    return {first, count == 0 ? size - first : std::min(count, size - first)};
}

void require_possible(const IqRecord& record, const GaussianFilter& filter,
                      const std::vector<Detector>& detectors, const Part& part) {
    const double bandwidth = filter.bandwidth_6db_hz();
    if (bandwidth > record.sample_rate_hz / 2) {
        fail_input("a resolution bandwidth of " + hz(bandwidth) + " (6 dB) is too wide for a sample rate of " +
                   hz(record.sample_rate_hz) + ": choose at most half of it");
    }
    const double seconds = static_cast<double>(part.count) / record.sample_rate_hz;
    double needed = 2 * window_reach * filter.sigma_s();
    std::string what = "the resolution filter of " + hz(bandwidth);
    for (const Detector detector : detectors) {
        if (!has_meter(detector)) continue;
        const CisprBand band = require_cispr_band(detector, bandwidth);
        if (band.settling_s() < needed) continue;
        needed = band.settling_s();
        what = std::string("the ") + name(detector) + " detector with its meter";
    }
    if (seconds < needed) {
        fail_input("the record of " + format({seconds, Unit::second}) + " is too short for " + what +
                   ", which needs " + format({needed, Unit::second}) + " to settle");
    }
}

RT_SIMD void weigh(const float* in, const float* twice_window, float* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) out[i] = in[i] * twice_window[i];
}

RT_SIMD void magnitudes(const float* bins, float* out, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
        out[i] = std::sqrt(bins[2 * i] * bins[2 * i] + bins[2 * i + 1] * bins[2 * i + 1]);
    }
}

bool dense(const std::vector<Detector>& detectors) {
    return std::any_of(detectors.begin(), detectors.end(), [](Detector d) {
        return d == Detector::peak || d == Detector::negative_peak || has_meter(d);
    });
}

// A Gaussian window of `length` samples, normalised so that a tone keeps its magnitude.
std::vector<float> gaussian_window(std::size_t length, double sigma_samples) {
    std::vector<double> exact(length);
    double sum = 0;
    const double middle = static_cast<double>(length - 1) / 2;
    for (std::size_t i = 0; i < length; ++i) {
        const double x = (static_cast<double>(i) - middle) / sigma_samples;
        exact[i] = std::exp(-x * x / 2);
        sum += exact[i];
    }
    std::vector<float> twice(2 * length);
    for (std::size_t i = 0; i < length; ++i) {
        twice[2 * i] = twice[2 * i + 1] = static_cast<float>(exact[i] / sum);
    }
    return twice;
}

// The points wanted, as one or two runs of transform bins (negative frequencies come last there).
struct Points {
    std::vector<double> frequency_hz;
    std::vector<std::size_t> bin;
};

Points points_within(const IqRecord& record, std::size_t size, double start, double stop) {
    Points out;
    const auto all = centred_frequencies(size, record.sample_rate_hz, record.centre_hz);
    const double step = record.sample_rate_hz / static_cast<double>(size);
    for (std::size_t i = 0; i < size; ++i) {
        if (all[i] < start - step * 0.51 || all[i] > stop + step * 0.51) continue;
        out.frequency_hz.push_back(all[i]);
        out.bin.push_back((i + size - size / 2) % size);
    }
    return out;
}

}  // namespace

Scan scan(const IqRecord& record, const ScanSettings& settings) {
    const Part part = part_of(record, settings.first, settings.count);
    require_possible(record, settings.filter, settings.detectors, part);
    const double rate = record.sample_rate_hz, bandwidth = settings.filter.bandwidth_6db_hz();
    const double low = record.centre_hz - rate / 2, high = record.centre_hz + rate / 2;
    if (settings.start_hz < low * (1 - 1e-12) - 1e-6 || settings.stop_hz > high * (1 + 1e-12) + 1e-6) {
        fail_input("the record covers " + hz(low) + " to " + hz(high) + ", not " + hz(settings.start_hz) +
                   " to " + hz(settings.stop_hz));
    }
    const double sigma = settings.filter.sigma_s() * rate;  // in samples
    const auto length =
        std::min<std::size_t>(part.count, static_cast<std::size_t>(std::ceil(2 * window_reach * sigma)) | 1U);
    const std::size_t size =
        fast_size(std::max(length, static_cast<std::size_t>(std::ceil(rate / (bandwidth / 4)))));
    const double per_bandwidth = dense(settings.detectors) ? 5 : 2;
    const auto hop =
        static_cast<std::size_t>(std::max(1.0, std::floor(rate / (per_bandwidth * bandwidth))));
    const auto frames = static_cast<std::size_t>((part.count - length) / hop + 1);
    const Points points = points_within(record, size, settings.start_hz, settings.stop_hz);
    const std::size_t bins = points.bin.size();
    if (bins == 0) fail_input("no frequency between " + hz(settings.start_hz) + " and " + hz(settings.stop_hz));
    const auto window = gaussian_window(length, sigma);
    const Fft<float> transform(size);
    const double step_s = static_cast<double>(hop) / rate;
    DetectorBank bank(settings.detectors, bandwidth, step_s, bins);

    const std::size_t at_once =
        std::clamp<std::size_t>((std::size_t{1} << 20) / std::max(bins, length), 1, 512);
    std::vector<float> envelopes(at_once * bins);
    const std::size_t workers = worker_count();
    for (std::size_t begin = 0; begin < frames; begin += at_once) {
        const std::size_t now = std::min(at_once, frames - begin);
        const auto samples = record.read(part.first + begin * hop, (now - 1) * hop + length);
        in_parallel(workers, [&](std::size_t w) {
            std::vector<Sample> work(size);
            std::vector<float> all(size);
            for (std::size_t k = now * w / workers; k < now * (w + 1) / workers; ++k) {
                weigh(reinterpret_cast<const float*>(samples.data() + k * hop), window.data(),
                      reinterpret_cast<float*>(work.data()), 2 * length);
                std::fill(work.begin() + static_cast<std::ptrdiff_t>(length), work.end(), Sample{});
                transform(work.data());
                magnitudes(reinterpret_cast<const float*>(work.data()), all.data(), size);
                float* row = envelopes.data() + k * bins;
                for (std::size_t i = 0; i < bins; ++i) row[i] = all[points.bin[i]];
            }
        });
        in_parallel(workers, [&](std::size_t w) {
            const std::size_t from = bins * w / workers, to = bins * (w + 1) / workers;
            if (from == to) return;
            for (std::size_t k = 0; k < now; ++k) {
                bank.add(from, {envelopes.data() + k * bins + from, to - from}, begin + k + 1);
            }
        });
    }
    return {points.frequency_hz, bank.readings(frames), frames, step_s};
}

namespace {

// A band-pass Gaussian in time, for each of `phases` positions between two samples.
struct Kernel {
    std::size_t taps = 0;
    std::vector<std::vector<float>> real, imaginary;
};

Kernel kernel_for(double offset_hz, double rate, const GaussianFilter& filter, std::size_t phases) {
    Kernel out;
    const double sigma = filter.sigma_s() * rate;
    const auto reach = static_cast<std::ptrdiff_t>(std::ceil(window_reach * sigma)) + 1;
    out.taps = static_cast<std::size_t>(2 * reach + 1);
    for (std::size_t p = 0; p < phases; ++p) {
        const double shift = static_cast<double>(p) / static_cast<double>(phases);
        std::vector<double> weights(out.taps);
        double sum = 0;
        for (std::size_t k = 0; k < out.taps; ++k) {
            const double x = (static_cast<double>(static_cast<std::ptrdiff_t>(k) - reach) - shift) / sigma;
            sum += weights[k] = std::exp(-x * x / 2);
        }
        auto& re = out.real.emplace_back(out.taps);
        auto& im = out.imaginary.emplace_back(out.taps);
        for (std::size_t k = 0; k < out.taps; ++k) {
            const double angle = -2 * std::numbers::pi * offset_hz / rate * static_cast<double>(k);
            re[k] = static_cast<float>(weights[k] / sum * std::cos(angle));
            im[k] = static_cast<float>(weights[k] / sum * std::sin(angle));
        }
    }
    return out;
}

RT_SIMD float filtered_magnitude(const float* in, const float* re, const float* im, std::size_t taps) {
    float xr[8] = {}, xi[8] = {}, yr[8] = {}, yi[8] = {};
    std::size_t k = 0;
    // Samples come as pairs (I, Q); the sums keep I and Q apart.
    for (; k + 8 <= taps; k += 8) {
        for (std::size_t l = 0; l < 8; ++l) {
            const float i = in[2 * (k + l)], q = in[2 * (k + l) + 1];
            xr[l] += i * re[k + l];
            yr[l] += q * im[k + l];
            xi[l] += i * im[k + l];
            yi[l] += q * re[k + l];
        }
    }
    float real = 0, imaginary = 0;
    for (std::size_t l = 0; l < 8; ++l) {
        real += xr[l] - yr[l];
        imaginary += xi[l] + yi[l];
    }
    for (; k < taps; ++k) {
        real += in[2 * k] * re[k] - in[2 * k + 1] * im[k];
        imaginary += in[2 * k] * im[k] + in[2 * k + 1] * re[k];
    }
    return std::sqrt(real * real + imaginary * imaginary);
}

}  // namespace

std::vector<double> measure_at(const IqRecord& record, double frequency_hz, const GaussianFilter& filter,
                               const std::vector<Detector>& detectors, std::uint64_t first,
                               std::uint64_t count) {
    const Part part = part_of(record, first, count);
    require_possible(record, filter, detectors, part);
    const double rate = record.sample_rate_hz, wanted = 8 * filter.bandwidth_6db_hz();
    const std::size_t phases = rate < wanted ? static_cast<std::size_t>(std::ceil(wanted / rate)) : 1;
    const std::size_t hop = phases > 1 ? 1 : static_cast<std::size_t>(rate / wanted);
    const Kernel kernel = kernel_for(frequency_hz - record.centre_hz, rate, filter, phases);
    if (part.count < kernel.taps) {
        fail_input("the record of " + std::to_string(part.count) + " samples is too short for the filter");
    }
    const std::size_t places = (part.count - kernel.taps) / hop + 1;
    const double step_s = static_cast<double>(hop) / static_cast<double>(phases) / rate;
    std::vector<Detector> plain;
    for (const Detector d : detectors) {
        if (d != Detector::quasi_peak) plain.push_back(d);
    }
    DetectorBank bank(plain, filter.bandwidth_6db_hz(), step_s, 1);
    std::optional<QuasiPeak> quasi;
    if (plain.size() != detectors.size()) {
        quasi.emplace(require_cispr_band(Detector::quasi_peak, filter.bandwidth_6db_hz()), step_s);
    }
    const std::size_t at_once = 1 << 16;
    std::size_t done = 0;
    std::vector<float> envelope;
    for (std::size_t begin = 0; begin < places; begin += at_once) {
        const std::size_t now = std::min(at_once, places - begin);
        const auto samples = record.read(part.first + begin * hop, (now - 1) * hop + kernel.taps);
        envelope.resize(now * phases);
        const std::size_t shares = 2 * worker_count();
        in_parallel(shares, [&](std::size_t w) {
            for (std::size_t k = now * w / shares; k < now * (w + 1) / shares; ++k) {
                const auto* in = reinterpret_cast<const float*>(samples.data() + k * hop);
                for (std::size_t p = 0; p < phases; ++p) {
                    envelope[k * phases + p] =
                        filtered_magnitude(in, kernel.real[p].data(), kernel.imaginary[p].data(), kernel.taps);
                }
            }
        });
        if (quasi) quasi->add(envelope);
        if (plain.empty()) continue;
        for (std::size_t i = 0; i < envelope.size(); ++i) bank.add(0, {&envelope[i], 1}, ++done);
    }
    const auto readings = bank.readings(std::max<std::size_t>(done, 1));
    std::vector<double> out;
    std::size_t next = 0;
    for (const Detector d : detectors) {
        out.push_back(d == Detector::quasi_peak ? quasi->reading() : readings[next++][0]);
    }
    return out;
}

double highest_near(const IqRecord& record, double frequency_hz, const GaussianFilter& filter) {
    const double reach = filter.bandwidth_6db_hz(), half = record.sample_rate_hz / 2;
    ScanSettings settings;
    settings.filter = filter;
    settings.detectors = {Detector::peak};
    settings.start_hz = std::max(frequency_hz - reach, record.centre_hz - half);
    settings.stop_hz = std::min(frequency_hz + reach, record.centre_hz + half);
    const Scan seen = scan(record, settings);
    const auto& level = seen.reading.front();
    const auto top = static_cast<std::size_t>(std::max_element(level.begin(), level.end()) - level.begin());
    if (top == 0 || top + 1 == level.size()) return seen.frequency_hz[top];
    // The logarithm of a Gaussian is a parabola.
    const double a = std::log(std::max(level[top - 1], 1e-30)), b = std::log(std::max(level[top], 1e-30)),
                 c = std::log(std::max(level[top + 1], 1e-30));
    const double bend = a - 2 * b + c;
    const double shift = bend < 0 ? (a - c) / (2 * bend) : 0;
    return seen.frequency_hz[top] + shift * (seen.frequency_hz[1] - seen.frequency_hz[0]);
}

}  // namespace rt
