// Discrete Fourier transforms (FFTW). Plans are made without timing, so that the same input gives the same
// output bit for bit on every run.
#pragma once

#include <complex>
#include <cstddef>
#include <memory>
#include <vector>

namespace rt {

// A forward or backward transform of `size` points, in place. Without scaling: forward then backward
// multiplies by `size`. One object may be used by several threads at once.
template <typename Real>
class Fft {
  public:
    enum class Direction { forward, backward };
    explicit Fft(std::size_t size, Direction direction = Direction::forward);
    ~Fft();
    Fft(Fft&&) noexcept;
    Fft& operator=(Fft&&) noexcept;

    std::size_t size() const { return size_; }
    void operator()(std::complex<Real>* data) const;
    // From one place to another; `in` may be destroyed. Both must stand on whole 16 bytes, as new gives
    // memory.
    void operator()(std::complex<Real>* in, std::complex<Real>* out) const;

  private:
    struct Plan;
    std::size_t size_;
    std::unique_ptr<Plan> plan_;
};

// A transform that is kept for the next who asks for this size: making a plan takes longer than short
// transforms.
const Fft<double>& kept_transform(std::size_t size,
                                  Fft<double>::Direction direction = Fft<double>::Direction::forward);

extern template class Fft<float>;
extern template class Fft<double>;

// The smallest product of 2, 3 and 5 that is not below `size`: transforms of such sizes are fast.
std::size_t fast_size(std::size_t size);
// The same among whole multiples of 16, which fill vectors: for transforms of a few hundred points that are
// made by the million, two to three times as fast.
std::size_t fast_wide_size(std::size_t size);

// Values from the most negative frequency up, as people read them.
template <typename T>
std::vector<T> centred(const std::vector<T>& bins) {
    std::vector<T> out;
    out.reserve(bins.size());
    const auto middle = bins.begin() + static_cast<std::ptrdiff_t>((bins.size() + 1) / 2);
    out.insert(out.end(), middle, bins.end());
    out.insert(out.end(), bins.begin(), middle);
    return out;
}

// The frequency of each centred bin: k rate / size for k from -size/2 (rounded towards zero) up.
std::vector<double> centred_frequencies(std::size_t size, double rate_hz, double centre_hz);

}  // namespace rt
