#include "core/dsp/iq_scan.hpp"

#include <algorithm>
#include <cmath>
#include <cstring>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/simd.hpp"
#include "core/dsp/detect.hpp"
#include "core/dsp/fft.hpp"
#include "core/dsp/parallel.hpp"
#include "core/dsp/window.hpp"
#include "core/quantity/quantity.hpp"

namespace rt {
namespace {

using Sample = std::complex<float>;

// Beyond so many standard deviations a Gaussian window is cut off: below -108 dB.
constexpr double window_reach = 5;

void require_possible(const IqRecord& record, const GaussianFilter& filter,
                      const std::vector<Detector>& detectors) {
    const double bandwidth = filter.bandwidth_6db_hz();
    if (bandwidth > record.sample_rate_hz / 2) {
        fail_input("a resolution bandwidth of " + hz(bandwidth) +
                   " (6 dB) is too wide for a sample rate of " + hz(record.sample_rate_hz) +
                   ": choose at most half of it");
    }
    const double seconds = record.seconds();
    double needed = gate_needed_s(filter);
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

    struct Stretch {
        std::size_t bin, place, count;
    };
    // Bins that stand side by side.
    std::vector<Stretch> stretches() const {
        std::vector<Stretch> out;
        for (std::size_t i = 0; i < bin.size(); ++i) {
            if (out.empty() || bin[i] != bin[i - 1] + 1) out.push_back({bin[i], i, 0});
            ++out.back().count;
        }
        return out;
    }
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

double gate_needed_s(const GaussianFilter& filter) {
    return 2 * window_reach * filter.sigma_s();
}

Scan scan(const IqRecord& record, const ScanSettings& settings) {
    require_possible(record, settings.filter, settings.detectors);
    const double rate = record.sample_rate_hz, bandwidth = settings.filter.bandwidth_6db_hz();
    const double low = record.centre_hz - rate / 2, high = record.centre_hz + rate / 2;
    const double rounding = 1e-9 * (rate + std::abs(record.centre_hz));
    if (settings.start_hz < low - rounding || settings.stop_hz > high + rounding) {
        fail_input("the record covers " + hz(low) + " to " + hz(high) + ", not " + hz(settings.start_hz) +
                   " to " + hz(settings.stop_hz));
    }
    const double sigma = settings.filter.sigma_s() * rate;  // in samples
    const auto length = std::min<std::size_t>(
        record.size(), static_cast<std::size_t>(std::ceil(2 * window_reach * sigma)) | 1U);
    const std::size_t size =
        fast_wide_size(std::max(length, static_cast<std::size_t>(std::ceil(rate / (bandwidth / 4)))));
    const double per_bandwidth = dense(settings.detectors) ? 5 : 2;
    const auto hop = static_cast<std::size_t>(std::max(1.0, std::floor(rate / (per_bandwidth * bandwidth))));
    const Frames frames(record.size(), length, hop, rate, settings.gates);
    if (frames.count() == 0) {
        fail_input("no gate is as long as the " + format({gate_needed_s(settings.filter), Unit::second}) +
                   " that the resolution filter of " + hz(bandwidth) + " needs");
    }
    const Points points = points_within(record, size, settings.start_hz, settings.stop_hz);
    const std::size_t bins = points.bin.size();
    const auto stretches = points.stretches();
    if (bins == 0)
        fail_input("no frequency between " + hz(settings.start_hz) + " and " + hz(settings.stop_hz));
    const auto window = gaussian_window(length, sigma);
    const Fft<float> transform(size);
    const double step_s = static_cast<double>(hop) / rate;
    DetectorBank bank(settings.detectors, bandwidth, step_s, bins);

    const std::size_t at_once =
        std::clamp<std::size_t>((std::size_t{1} << 20) / std::max(bins, length), 1, 512);
    std::vector<float> envelopes(at_once * bins);
    const std::size_t workers = worker_count();
    for (std::uint64_t begin = 0, now = 0; begin < frames.count(); begin += now) {
        const Frames::Run run = frames.run(begin, frames.count(), at_once);
        now = run.frames;
        const auto samples = record.read(run.sample, (now - 1) * hop + length);
        in_parallel(workers, [&](std::size_t w) {
            std::vector<Sample> work(size), transformed(size);
            for (std::size_t k = now * w / workers; k < now * (w + 1) / workers; ++k) {
                weigh(reinterpret_cast<const float*>(samples.data() + k * hop), window.data(),
                      reinterpret_cast<float*>(work.data()), 2 * length);
                std::fill(work.begin() + static_cast<std::ptrdiff_t>(length), work.end(), Sample{});
                transform(work.data(), transformed.data());
                float* row = envelopes.data() + k * bins;
                for (const auto& [bin, place, count] : stretches)
                    magnitudes(reinterpret_cast<const float*>(transformed.data() + bin), row + place, count);
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
    return {points.frequency_hz, bank.readings(frames.count())};
}

namespace {

// A Gaussian in time, for each of `phases` positions between two samples.
struct Kernel {
    std::size_t taps = 0;
    std::vector<std::vector<float>> weights;
};

Kernel kernel_for(double rate, const GaussianFilter& filter, std::size_t phases) {
    Kernel out;
    const double sigma = filter.sigma_s() * rate;
    constexpr double kernel_reach = 4.5;  // -88 dB
    const auto reach = static_cast<std::ptrdiff_t>(std::ceil(kernel_reach * sigma)) + 1;
    // A multiple of eight; the last few weights are as good as nothing.
    out.taps = (static_cast<std::size_t>(2 * reach + 1) + 7) / 8 * 8;
    for (std::size_t p = 0; p < phases; ++p) {
        const double shift = static_cast<double>(p) / static_cast<double>(phases);
        std::vector<double> exact(out.taps);
        double sum = 0;
        for (std::size_t k = 0; k < out.taps; ++k) {
            const double x = (static_cast<double>(static_cast<std::ptrdiff_t>(k) - reach) - shift) / sigma;
            sum += exact[k] = std::exp(-x * x / 2);
        }
        auto& row = out.weights.emplace_back(out.taps);
        for (std::size_t k = 0; k < out.taps; ++k) row[k] = static_cast<float>(exact[k] / sum);
    }
    return out;
}

// I and Q apart, so that neighbouring values stand side by side, and turned so that the wanted frequency
// stands at zero. Every piece of the record begins with the same phase: that does not change an envelope.
RT_SIMD void turn_apart(const float* pairs, const float* cosine, const float* sine, float* i, float* q,
                        std::size_t count) {
    for (std::size_t k = 0; k < count; ++k) {
        const float a = pairs[2 * k], b = pairs[2 * k + 1];
        i[k] = a * cosine[k] - b * sine[k];
        q[k] = a * sine[k] + b * cosine[k];
    }
}

// Eight values side by side; loaded and stored as memory, so that they may stand anywhere.
typedef float Eight __attribute__((vector_size(32)));

// The filter at `count` neighbouring places, a multiple of 32, with the sums in registers: four at once, so
// that an addition need not wait for the one before.
RT_SIMD void side_by_side(const float* in, const float* weights, std::size_t taps, std::size_t count,
                          float* out) {
    for (std::size_t k = 0; k < count; k += 32) {
        Eight first{}, second{}, third{}, fourth{};
        for (std::size_t t = 0; t < taps; ++t) {
            const float* at = in + k + t;
            Eight a, b, c, d;
            std::memcpy(&a, at, sizeof a);
            std::memcpy(&b, at + 8, sizeof b);
            std::memcpy(&c, at + 16, sizeof c);
            std::memcpy(&d, at + 24, sizeof d);
            first += a * weights[t];
            second += b * weights[t];
            third += c * weights[t];
            fourth += d * weights[t];
        }
        std::memcpy(out + k, &first, sizeof first);
        std::memcpy(out + k + 8, &second, sizeof second);
        std::memcpy(out + k + 16, &third, sizeof third);
        std::memcpy(out + k + 24, &fourth, sizeof fourth);
    }
}

// At one place, eight taps at once; `taps` is a multiple of eight.
RT_SIMD float at_one_place(const float* in, const float* weights, std::size_t taps) {
    Eight sum{};
    for (std::size_t t = 0; t < taps; t += 8) {
        Eight a, b;
        std::memcpy(&a, in + t, sizeof a);
        std::memcpy(&b, weights + t, sizeof b);
        sum += a * b;
    }
    return ((sum[0] + sum[1]) + (sum[2] + sum[3])) + ((sum[4] + sum[5]) + (sum[6] + sum[7]));
}

RT_SIMD void magnitudes_of(const float* real, const float* imaginary, std::size_t count, float* out) {
    for (std::size_t k = 0; k < count; ++k)
        out[k] = std::sqrt(real[k] * real[k] + imaginary[k] * imaginary[k]);
}

// The envelope at `count` places, `hop` samples apart, for each phase of the kernel; `i` and `q` hold 32
// values more than the filter needs.
void envelope_of(const float* i, const float* q, const Kernel& kernel, std::size_t hop, std::size_t count,
                 float* out) {
    constexpr std::size_t block = 512;
    float real[block], imaginary[block], magnitude[block];
    const std::size_t phases = kernel.weights.size();
    for (std::size_t begin = 0; begin < count; begin += block) {
        const std::size_t now = std::min(block, count - begin);
        for (std::size_t p = 0; p < phases; ++p) {
            const float* weights = kernel.weights[p].data();
            if (hop == 1) {
                side_by_side(i + begin, weights, kernel.taps, (now + 31) / 32 * 32, real);
                side_by_side(q + begin, weights, kernel.taps, (now + 31) / 32 * 32, imaginary);
            } else {
                for (std::size_t k = 0; k < now; ++k) {
                    real[k] = at_one_place(i + (begin + k) * hop, weights, kernel.taps);
                    imaginary[k] = at_one_place(q + (begin + k) * hop, weights, kernel.taps);
                }
            }
            magnitudes_of(real, imaginary, now, magnitude);
            for (std::size_t k = 0; k < now; ++k) out[(begin + k) * phases + p] = magnitude[k];
        }
    }
}

}  // namespace

std::vector<double> measure_at(const IqRecord& record, double frequency_hz, const GaussianFilter& filter,
                               const std::vector<Detector>& detectors) {
    require_possible(record, filter, detectors);
    const double rate = record.sample_rate_hz, wanted = 8 * filter.bandwidth_6db_hz();
    const std::size_t phases = rate < wanted ? static_cast<std::size_t>(std::ceil(wanted / rate)) : 1;
    const std::size_t hop = phases > 1 ? 1 : static_cast<std::size_t>(rate / wanted);
    const Kernel kernel = kernel_for(rate, filter, phases);
    if (record.size() < kernel.taps) {
        fail_input("the record of " + std::to_string(record.size()) + " samples is too short for the filter");
    }
    const std::size_t places = (record.size() - kernel.taps) / hop + 1;
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
    // While the detectors take one piece, the filter works on the shares of the next, each with its own
    // samples.
    constexpr std::size_t shares = 8;
    const std::size_t in_share = std::min(places, std::max<std::size_t>(64, (std::size_t{1} << 15) / hop));
    const std::size_t longest = (in_share - 1) * hop + kernel.taps;
    std::vector<float> cosine(longest), sine(longest);
    for (std::size_t k = 0; k < longest; ++k) {
        const double cycles = (record.centre_hz - frequency_hz) / rate * static_cast<double>(k);
        const double angle = 2 * std::numbers::pi * (cycles - std::floor(cycles));
        cosine[k] = static_cast<float>(std::cos(angle));
        sine[k] = static_cast<float>(std::sin(angle));
    }
    struct Room {
        std::vector<Sample> samples;
        std::vector<float> i, q;
    };
    std::vector<Room> rooms(shares);
    std::size_t done = 0;
    std::vector<float> envelope, before;
    const auto detect = [&](const std::vector<float>& piece) {
        if (quasi) quasi->add(piece);
        if (plain.empty()) return;
        for (const float& value : piece) bank.add(0, {&value, 1}, ++done);
    };
    for (std::size_t begin = 0; begin < places; begin += shares * in_share) {
        const std::size_t now = std::min(shares * in_share, places - begin);
        std::swap(envelope, before);
        envelope.resize(now * phases);
        in_parallel(shares + 1, [&](std::size_t w) {
            if (w == 0) return detect(before);
            const std::size_t from = std::min(now, (w - 1) * in_share), to = std::min(now, w * in_share);
            if (to == from) return;
            auto& [samples, i, q] = rooms[w - 1];
            samples.resize((to - from - 1) * hop + kernel.taps);
            i.resize(samples.size() + 32), q.resize(samples.size() + 32);
            record.samples->read((begin + from) * hop, samples);
            turn_apart(reinterpret_cast<const float*>(samples.data()), cosine.data(), sine.data(), i.data(),
                       q.data(), samples.size());
            envelope_of(i.data(), q.data(), kernel, hop, to - from, envelope.data() + from * phases);
        });
    }
    detect(envelope);
    const auto readings = bank.readings(std::max<std::size_t>(done, 1));
    std::vector<double> out;
    std::size_t next = 0;
    for (const Detector d : detectors) {
        out.push_back(d == Detector::quasi_peak ? quasi->reading() : readings[next++][0]);
    }
    return out;
}

}  // namespace rt
