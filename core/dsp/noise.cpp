#include "core/dsp/noise.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/dsp/fft.hpp"

namespace rt {

bool flat_as_noise(const IqRecord& record) {
    constexpr std::size_t size = 64, most = 2048, fewest = 256;
    constexpr double far_db = 2;
    const std::uint64_t blocks = record.size() / size;
    if (blocks < fewest) return false;
    const std::uint64_t every = std::max<std::uint64_t>(1, blocks / most);
    const Fft<double>& transform = kept_transform(size);
    std::vector<double> power(size);
    alignas(64) std::array<std::complex<double>, size> work;
    for (std::uint64_t block = 0; block < blocks; block += every) {
        const auto samples = record.read(block * size, size);
        for (std::size_t i = 0; i < size; ++i) {
            const double window =
                0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(i) + 0.5) / size);
            work[i] = window * std::complex<double>(samples[i]);
        }
        transform(work.data());
        for (std::size_t i = 0; i < size; ++i) power[i] += std::norm(work[i]);
    }
    auto sorted = power;
    std::nth_element(sorted.begin(), sorted.begin() + size / 2, sorted.end());
    const double high = *std::max_element(power.begin(), power.end());
    return high < sorted[size / 2] * std::pow(10, far_db / 10);
}

}  // namespace rt
