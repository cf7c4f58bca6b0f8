#include "core/dsp/noise.hpp"

#include <algorithm>
#include <cmath>
#include <numeric>
#include <vector>

#include "core/dsp/summed_power.hpp"

namespace rt {

namespace {

constexpr std::size_t size = 64;

// Power at so many points, ascending; empty for records that are too short for a mean.
std::vector<double> sorted_power(const IqRecord& record) {
    constexpr std::size_t most = 2048, fewest = 256;
    const std::uint64_t blocks = record.size() / size;
    if (blocks < fewest) return {};
    const std::uint64_t every = std::max<std::uint64_t>(1, blocks / most);
    SummedPower sum(size);
    for (std::uint64_t block = 0; block < blocks; block += every) sum.add(record.read(block * size, size));
    auto power = sum.power();
    std::sort(power.begin(), power.end());
    return power;
}

}  // namespace

bool flat_as_noise(const IqRecord& record) {
    constexpr double far_db = 2;
    const auto power = sorted_power(record);
    return !power.empty() && power.back() < power[size / 2] * std::pow(10, far_db / 10);
}

bool mostly_noise(const IqRecord& record) {
    constexpr double share = 0.75;
    const auto power = sorted_power(record);
    return !power.empty() &&
           power[size / 4] * size >= share * std::accumulate(power.begin(), power.end(), 0.0);
}

}  // namespace rt
