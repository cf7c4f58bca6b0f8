// Power over frequency, summed over blocks of samples: for looking at a short record as a whole.
#pragma once

#include <complex>
#include <span>
#include <vector>

#include "core/dsp/fft.hpp"
#include "core/dsp/window.hpp"

namespace rt {

// Blocks of `size` samples, each through a Hann window. Only ratios between points mean something.
class SummedPower {
  public:
    explicit SummedPower(std::size_t size)
        : transform_(kept_transform(size)),
          window_(window_values(Window::hann, size)),
          work_(size),
          power_(size) {}

    void add(std::span<const std::complex<float>> block) {
        for (std::size_t i = 0; i < work_.size(); ++i) work_[i] = window_[i] * std::complex<double>(block[i]);
        transform_(work_.data());
        for (std::size_t i = 0; i < work_.size(); ++i) power_[i] += std::norm(work_[i]);
    }
    // In the order of the transform: from 0 Hz up, then the negative frequencies.
    const std::vector<double>& power() const { return power_; }

  private:
    const Fft<double>& transform_;
    std::vector<double> window_;
    std::vector<std::complex<double>> work_;
    std::vector<double> power_;
};

}  // namespace rt
