// Complex samples at other times than they were taken, band-limited on the way.
#pragma once

#include <complex>
#include <cstddef>
#include <span>
#include <vector>

namespace rt {

class Resampler {
  public:
    // Passes up to `pass_hz` to both sides of 0 Hz and nothing from `stop_hz` on (90 dB down, Kaiser). Throws
    // Error(internal) unless 0 <= pass < stop.
    Resampler(double rate_hz, double pass_hz, double stop_hz);

    // out[i] is the signal at place `first` + i * `step`, in samples of `in`; beyond its ends `in` is zero.
    void operator()(std::span<const std::complex<float>> in, double first, double step,
                    std::span<std::complex<float>> out) const;

    // Samples that count on each side of a place.
    std::size_t reach() const { return taps_ / 2; }

  private:
    std::size_t taps_;  // even
    std::vector<float>
        table_;  // a row of weights, each twice, for each part of a sample, and one for a whole sample
};

}  // namespace rt
