#include "lab/simulate/iq_display.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/fir.hpp"
#include "core/measure/radio/oqpsk/frame.hpp"
#include "lab/simulate/levels.hpp"
#include "lab/simulate/random.hpp"
#include "lab/simulate/thermal.hpp"

namespace rt::lab {
namespace {

using Complex = std::complex<double>;
using std::numbers::pi;

Complex noise(Random& random, double sigma) {
    const double i = random.normal(), q = random.normal();
    return Complex(i, q) * (sigma / std::numbers::sqrt2);
}

double density_at(const Emission& emission, double frequency_hz) {
    double sum = 0;
    for (const auto& part : emission.noise) {
        if (frequency_hz < part.from_hz || frequency_hz > part.to_hz) continue;
        const double share = part.from_hz == part.to_hz ? 0
                                                        : std::log(frequency_hz / part.from_hz) /
                                                              std::log(part.to_hz / part.from_hz);
        sum +=
            std::pow(10, (part.density_dbm_hz + share * (part.density_to_dbm_hz - part.density_dbm_hz)) / 10);
    }
    return sum;
}

// One frame's chips: random octets with their check.
std::vector<std::int8_t> frame_chips(std::size_t octets, Random& random) {
    std::vector<std::uint8_t> psdu;
    while (psdu.size() + 2 < octets) psdu.push_back(static_cast<std::uint8_t>(random.uniform() * 256));
    const auto check = oqpsk::frame_check(psdu);
    psdu.push_back(static_cast<std::uint8_t>(check & 255));
    psdu.push_back(static_cast<std::uint8_t>(check >> 8));
    return oqpsk::chips_of(oqpsk::frame_symbols(psdu));
}

double half_sine(const std::vector<std::int8_t>& chips, std::size_t branch, double u) {
    const double at = u - static_cast<double>(branch), k = std::floor(at / 2);
    const double index = 2 * k + static_cast<double>(branch);
    if (k < 0 || index >= static_cast<double>(chips.size())) return 0;
    return chips[static_cast<std::size_t>(index)] * std::sin(pi * (at - 2 * k) / 2);
}

void add_carrier(std::vector<Complex>& x, const EmittedCarrier& c, const IqSetup& setup,
                 double full_scale_dbm, Random& random) {
    const double rate = setup.sample_rate_hz, level = amplitude(c.level_dbm, full_scale_dbm);
    const double offset = c.frequency_hz * (1 + c.errors.frequency_ppm * 1e-6) - setup.centre_hz;
    if (std::abs(offset) > rate / 2) return;
    const double chip_rate = c.chip_rate_hz * (1 + c.errors.clock_ppm * 1e-6);
    const double lean = std::pow(10, c.errors.imbalance_db / 40),
                 origin = std::pow(10, c.errors.iq_offset_db / 20);
    // Third-order products: noise in three chip rates, in power what the intercept point says.
    std::vector<Complex> products(x.size());
    const double width = 3 * c.chip_rate_hz;
    const double sigma = amplitude(c.regrowth_dbm, full_scale_dbm) * std::sqrt(std::max(1.0, rate / width));
    for (auto& value : products) value = noise(random, sigma);
    if (width < 0.9 * rate) products = filtered(products, low_pass(width / 2, width / 4, rate));
    const auto symbols = static_cast<double>((6 + c.errors.frame_octets) * 2);
    const double length = (symbols * oqpsk::chips_per_symbol + 1) / chip_rate;
    double begin = c.errors.frame_gap_s / 2;
    const double phase = 2 * pi * random.uniform();
    while (begin * rate < static_cast<double>(x.size())) {
        const auto chips = frame_chips(c.errors.frame_octets, random);
        const auto from = static_cast<std::size_t>(std::ceil(begin * rate));
        const auto to = std::min(x.size(), static_cast<std::size_t>((begin + length) * rate) + 1);
        for (std::size_t n = from; n < to; ++n) {
            const double u = (static_cast<double>(n) / rate - begin) * chip_rate;
            const Complex ideal(half_sine(chips, 0, u) * lean, half_sine(chips, 1, u) / lean);
            const double cycles = offset * static_cast<double>(n) / rate;
            const Complex turn = std::polar(1.0, phase + 2 * pi * (cycles - std::floor(cycles)));
            x[n] += (level * (ideal + origin) + products[n]) * turn;
        }
        begin += length + c.errors.frame_gap_s;
    }
}

}  // namespace

IqDisplay record_samples(const Emission& emission, const IqSetup& setup, const InputStage& input,
                         std::uint64_t seed, const MoreSamples& more) {
    Random random(seed);
    IqDisplay out;
    out.full_scale_dbm = input.reference_dbm + 3;
    const double rate = setup.sample_rate_hz;
    std::vector<Complex> x(static_cast<std::size_t>(std::llround(rate * setup.duration_s)));
    const double own = std::pow(10, (thermal_dbm_hz + input.noise_figure_db + input.attenuation_db) / 10);
    const double power_mw = (own + density_at(emission, setup.centre_hz)) * rate;
    const double sigma = amplitude(10 * std::log10(power_mw), out.full_scale_dbm);
    for (auto& value : x) value = noise(random, sigma);
    for (const auto& line : emission.lines) {
        const double offset = line.frequency_hz - setup.centre_hz;
        if (std::abs(offset) > rate / 2) continue;
        const double level = amplitude(line.level_dbm, out.full_scale_dbm), phase = 2 * pi * random.uniform();
        // Lines that are there for a share of the time come in bursts of a millisecond's period.
        const double period = 1e-3 * rate;
        for (std::size_t n = 0; n < x.size(); ++n) {
            const double place = std::fmod(static_cast<double>(n), period) / period;
            if (place >= line.share_on) continue;
            const double cycles = offset * static_cast<double>(n) / rate;
            x[n] += std::polar(level, phase + 2 * pi * (cycles - std::floor(cycles)));
        }
    }
    for (const auto& carrier : emission.carriers) add_carrier(x, carrier, setup, out.full_scale_dbm, random);
    if (more) more(x, out.full_scale_dbm);
    out.samples.reserve(x.size());
    for (const auto& value : x) {
        const double i = std::clamp(value.real(), -1.0, 1.0), q = std::clamp(value.imag(), -1.0, 1.0);
        out.overload = out.overload || i != value.real() || q != value.imag();
        out.samples.emplace_back(static_cast<float>(i), static_cast<float>(q));
    }
    return out;
}

}  // namespace rt::lab
