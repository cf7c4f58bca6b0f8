#include "core/dsp/density.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/simd.hpp"
#include "core/dsp/fft.hpp"
#include "core/dsp/parallel.hpp"

namespace rt {
namespace {

using Sample = std::complex<float>;

RT_SIMD void add_power(const float* bins, float* sum, std::size_t count) {
    for (std::size_t i = 0; i < count; ++i) {
        sum[i] += bins[2 * i] * bins[2 * i] + bins[2 * i + 1] * bins[2 * i + 1];
    }
}

void flush(std::vector<float>& from, std::vector<double>& to) {
    for (std::size_t i = 0; i < from.size(); ++i) {
        to[i] += static_cast<double>(from[i]);
        from[i] = 0;
    }
}

// A part of the segments, summed on its own.
class Part {
  public:
    Part(const IqRecord& record, const Fft<float>& transform, const std::vector<float>& window,
         std::size_t hop, const Frames& frames)
        : record_(record),
          frames_(frames),
          transform_(transform),
          window_(window),
          hop_(hop),
          work_(transform.size()),
          bins_(transform.size()),
          brief_(transform.size()) {}

    // Segments `from` to `to`.
    std::vector<double> sum(std::uint64_t from, std::uint64_t to) {
        const std::size_t size = transform_.size();
        std::vector<double> total(size);
        // Read as much at once as stays in the processor's cache.
        const std::size_t at_once = std::max<std::size_t>(1, (std::size_t{1} << 14) / hop_);
        std::vector<Sample> samples;
        std::size_t unflushed = 0;
        Frames::Run run;
        for (std::uint64_t at = from; at < to; at += run.frames) {
            run = frames_.run(at, to, at_once);
            samples.resize((run.frames - 1) * hop_ + size);
            record_.samples->read(run.sample, samples);
            for (std::size_t k = 0; k < run.frames; ++k) {
                const auto* in = reinterpret_cast<const float*>(samples.data() + k * hop_);
                auto* out = reinterpret_cast<float*>(work_.data());
                weigh(in, window_.data(), out, 2 * size);
                transform_(work_.data(), bins_.data());
                add_power(reinterpret_cast<const float*>(bins_.data()), brief_.data(), size);
                if (++unflushed < 16) continue;
                flush(brief_, total);
                unflushed = 0;
            }
        }
        flush(brief_, total);
        return total;
    }

  private:
    const IqRecord& record_;
    const Frames& frames_;
    const Fft<float>& transform_;
    const std::vector<float>& window_;
    std::size_t hop_;
    std::vector<Sample> work_, bins_;
    std::vector<float> brief_;
};

}  // namespace

Density power_density(const IqRecord& record, const DensitySettings& settings) {
    const std::size_t size = settings.size;
    const std::uint64_t count = record.size();
    if (count < size) {
        fail_input(
            fmt::format("the record of {} samples is shorter than one transform of {}: choose a wider "
                        "resolution or a longer record",
                        count, size));
    }
    const auto window = window_values(settings.window, size);
    std::vector<float> twice(2 * size);
    double squares = 0;
    for (std::size_t i = 0; i < size; ++i) {
        twice[2 * i] = twice[2 * i + 1] = static_cast<float>(window[i]);
        squares += window[i] * window[i];
    }
    const auto hop = static_cast<std::size_t>(
        std::max(1.0, std::round(static_cast<double>(size) * (1 - settings.overlap))));
    const Frames frames(count, size, hop, record.sample_rate_hz, settings.gates);
    const std::uint64_t segments = frames.count();
    if (segments == 0) {
        fail_input("no gate is as long as one transform of " + std::to_string(size) +
                   " samples: choose a wider resolution");
    }
    // A fixed division of the work: the sums do not depend on how many cores share it.
    const std::uint64_t parts = std::clamp<std::uint64_t>((std::uint64_t{1} << 21) / size, 2, 32);
    const Fft<float> transform(size);
    std::vector<std::vector<double>> sums(parts);
    in_parallel(parts, [&](std::size_t p) {
        const std::uint64_t from = segments * p / parts, to = segments * (p + 1) / parts;
        if (to > from) sums[p] = Part(record, transform, twice, hop, frames).sum(from, to);
    });
    std::vector<double> total(size);
    for (const auto& sum : sums) {
        for (std::size_t i = 0; i < sum.size(); ++i) total[i] += sum[i];
    }
    Density out;
    out.segments = segments;
    out.step_hz = record.sample_rate_hz / static_cast<double>(size);
    out.noise_bandwidth_hz = noise_bandwidth_bins(window) * out.step_hz;
    out.frequency_hz = centred_frequencies(size, record.sample_rate_hz, record.centre_hz);
    const double scale = 1 / (static_cast<double>(segments) * squares * record.sample_rate_hz);
    for (double& value : total) value *= scale;
    out.per_hz = centred(total);
    return out;
}

}  // namespace rt
