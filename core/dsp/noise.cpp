#include "core/dsp/noise.hpp"

#include <algorithm>
#include <cmath>

#include "core/dsp/summed_power.hpp"

namespace rt {

bool flat_as_noise(const IqRecord& record) {
    constexpr std::size_t size = 64, most = 2048, fewest = 256;
    constexpr double far_db = 2;
    const std::uint64_t blocks = record.size() / size;
    if (blocks < fewest) return false;
    const std::uint64_t every = std::max<std::uint64_t>(1, blocks / most);
    SummedPower sum(size);
    for (std::uint64_t block = 0; block < blocks; block += every) sum.add(record.read(block * size, size));
    auto power = sum.power();
    std::nth_element(power.begin(), power.begin() + size / 2, power.end());
    const double middle = power[size / 2], high = *std::max_element(power.begin(), power.end());
    return high < middle * std::pow(10, far_db / 10);
}

}  // namespace rt
