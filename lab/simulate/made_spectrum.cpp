#include "lab/simulate/made_spectrum.hpp"

#include <algorithm>
#include <bit>

#include "core/dsp/density.hpp"
#include "lab/simulate/thermal.hpp"

namespace rt::lab {

EmittedDensity density_of(const ArrivingIq& arriving, double bandwidth_hz) {
    EmittedDensity out;
    if (!arriving.played.samples || arriving.played.samples->size() < 16) return out;
    const auto& samples = *arriving.played.samples;
    const double rate = arriving.played.rate_hz;
    // Points an eighth of the filter apart, where the signal is long enough for them.
    const auto wanted = static_cast<std::size_t>(std::clamp(8 * rate / bandwidth_hz, 256.0, 65536.0));
    DensitySettings settings;
    settings.size = std::min(std::bit_ceil(wanted), std::bit_floor(samples.size()));
    const auto density = power_density(iq_in_memory(samples, rate, arriving.frequency_hz), settings);
    out.from_hz = density.frequency_hz.front(), out.step_hz = density.step_hz;
    const double one = milliwatt(arriving.level_dbm);
    for (const double share : density.per_hz) out.mw_per_hz.push_back(share * one);
    return out;
}

}  // namespace rt::lab
