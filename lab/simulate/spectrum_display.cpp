#include "lab/simulate/spectrum_display.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/detect.hpp"
#include "core/dsp/resolution.hpp"
#include "lab/simulate/random.hpp"
#include "lab/simulate/thermal.hpp"

namespace rt::lab {
namespace {

constexpr std::size_t most_draws = 256, most_weighted = 4'000'000;
constexpr double burst_period_s = 1e-3;

double decibel(double ratio) {
    return 10 * std::log10(ratio);
}

double noise_density_mw(const Emission& emission, double frequency_hz) {
    double density = 0;
    for (const auto& n : emission.noise) {
        if (frequency_hz < n.from_hz || frequency_hz > n.to_hz) continue;
        const double share = std::log(frequency_hz / n.from_hz) / std::log(n.to_hz / n.from_hz);
        density += milliwatt(n.density_dbm_hz + (n.density_to_dbm_hz - n.density_dbm_hz) * share);
    }
    return density;
}

// Power of the carrier behind the filter: its density weighted with the response, by Simpson's rule over
// +-3.5 standard deviations of the filter.
double carrier_power_mw(const EmittedCarrier& carrier, double frequency_hz, const GaussianFilter& filter) {
    constexpr int steps = 14;
    const double offset = frequency_hz - carrier.frequency_hz;
    const double reach = filter.noise_bandwidth_hz() / std::sqrt(2 * std::numbers::pi) * 3.5;
    const double main = milliwatt(carrier.level_dbm), third = milliwatt(carrier.regrowth_dbm);
    double sum = 0;
    for (int i = 0; i <= steps; ++i) {
        const double x = reach * (2.0 * i / steps - 1);
        const double weight = i == 0 || i == steps ? 1 : i % 2 == 1 ? 4 : 2;
        const double density = main * oqpsk_density(offset + x, carrier.chip_rate_hz) +
                               third * oqpsk_regrowth_density(offset + x, carrier.chip_rate_hz);
        sum += weight * density * filter.power_response(x);
    }
    return sum * (2 * reach / steps) / 3;
}

// Power of a made signal behind the filter. Points of its density stand closer than the filter is wide, or as
// close as the signal is long.
double made_power_mw(const EmittedDensity& made, double frequency_hz, const GaussianFilter& filter) {
    const auto last = static_cast<double>(made.mw_per_hz.size()) - 1;
    const double reach = std::max(filter.reach_hz(), made.step_hz);
    const auto place = [&](double hz) { return std::clamp((hz - made.from_hz) / made.step_hz, 0.0, last); };
    const auto from = static_cast<std::size_t>(std::ceil(place(frequency_hz - reach)));
    const auto to = static_cast<std::size_t>(place(frequency_hz + reach));
    double sum = 0;
    for (std::size_t i = from; i <= to && i < made.mw_per_hz.size(); ++i) {
        const double away = made.from_hz + made.step_hz * static_cast<double>(i) - frequency_hz;
        if (std::abs(away) <= reach) sum += made.mw_per_hz[i] * filter.power_response(away);
    }
    return sum * made.step_hz;
}

struct SeenLine {
    double amplitude;  // sqrt(mW), behind the filter
    double share_on;
};

// A detector fed with envelope powers in mW; the level in dBm.
double detect(Detector detector, const std::vector<double>& power) {
    double sum = 0;
    switch (detector) {
        case Detector::peak:
            return decibel(*std::max_element(power.begin(), power.end()));
        case Detector::negative_peak:
            return decibel(*std::min_element(power.begin(), power.end()));
        case Detector::sample:
            return decibel(power.front());
        case Detector::rms:
            for (const double p : power) sum += p;
            return decibel(sum / static_cast<double>(power.size()));
        case Detector::average:
            for (const double p : power) sum += std::sqrt(p);
            return 2 * decibel(sum / static_cast<double>(power.size()));
        case Detector::quasi_peak:
        case Detector::cispr_average:
            break;  // weighted() below
    }
    return 0;
}

// A detector with a meter, fed with independent envelope powers one reciprocal bandwidth apart.
double weighted(Detector detector, const std::vector<double>& power, double bandwidth_hz) {
    DetectorBank bank({detector}, bandwidth_hz, 1 / bandwidth_hz, 1);
    for (std::size_t k = 0; k < power.size(); ++k) {
        const auto envelope = static_cast<float>(std::sqrt(power[k]));
        bank.add(0, {&envelope, 1}, k + 1);
    }
    return 2 * decibel(bank.readings(power.size())[0][0]);
}

class Point {
  public:
    Point(std::size_t draws, const SpectrumSetup& setup, Random& random)
        : power_(draws),
          detector_(setup.detector),
          bandwidth_hz_(setup.resolution_bandwidth_hz),
          random_(random) {}

    double level_dbm(const std::vector<SeenLine>& lines, double noise_mw) {
        // All lines of a point are gated together from a random instant of the burst period.
        const double start = random_.uniform();
        const double periods = has_meter(detector_) ? 1 / std::max(8.0, burst_period_s * bandwidth_hz_)
                                                    : 16 / static_cast<double>(power_.size());
        for (std::size_t k = 0; k < power_.size(); ++k) {
            double i = 0, q = 0;
            add(i, q, std::sqrt(-noise_mw * std::log(random_.uniform())));
            const double phase = std::fmod(start + static_cast<double>(k) * periods, 1);
            for (const auto& line : lines) {
                if (phase < line.share_on) add(i, q, line.amplitude);
            }
            power_[k] = i * i + q * q;
        }
        if (has_meter(detector_)) return weighted(detector_, power_, bandwidth_hz_);
        return detect(detector_, power_);
    }

  private:
    void add(double& i, double& q, double amplitude) {
        const double angle = 2 * std::numbers::pi * random_.uniform();
        i += amplitude * std::cos(angle);
        q += amplitude * std::sin(angle);
    }

    std::vector<double> power_;
    Detector detector_;
    double bandwidth_hz_;
    Random& random_;
};

double total_mw(const Emission& emission, double from_hz, double to_hz) {
    double sum = 0;
    for (const auto& line : emission.lines) {
        if (line.frequency_hz >= from_hz && line.frequency_hz <= to_hz) sum += milliwatt(line.level_dbm);
    }
    for (const auto& carrier : emission.carriers) {
        if (carrier.frequency_hz >= from_hz && carrier.frequency_hz <= to_hz)
            sum += milliwatt(carrier.level_dbm);
    }
    for (const auto& made : emission.made) {
        for (std::size_t i = 0; i < made.mw_per_hz.size(); ++i) {
            const double at = made.from_hz + made.step_hz * static_cast<double>(i);
            if (at >= from_hz && at <= to_hz) sum += made.mw_per_hz[i] * made.step_hz;
        }
    }
    return sum;
}

}  // namespace

Display show(const Emission& emission, const SpectrumSetup& setup, const InputStage& input,
             std::uint64_t seed) {
    const auto filter = GaussianFilter::customary(setup.resolution_bandwidth_hz);
    const double own_density_mw = milliwatt(thermal_dbm_hz + input.noise_figure_db + input.attenuation_db);
    const bool meter = has_meter(setup.detector);
    const double settling =
        meter ? require_cispr_band(setup.detector, setup.resolution_bandwidth_hz).settling_s() : 0;
    const double values = (setup.dwell_s + settling) * setup.resolution_bandwidth_hz;
    const auto draws = static_cast<std::size_t>(
        std::clamp(values, 1.0, static_cast<double>(meter ? most_weighted : most_draws)));
    const double ceiling_dbm = input.reference_dbm + 3;
    Random random(seed);
    Point point(draws, setup, random);
    Display display;
    display.level_dbm.resize(setup.points);
    std::vector<SeenLine> seen;
    auto first = emission.lines.begin();
    for (std::size_t i = 0; i < setup.points; ++i) {
        const double f = setup.start_hz + setup.step_hz() * static_cast<double>(i);
        seen.clear();
        while (first != emission.lines.end() && first->frequency_hz < f - filter.reach_hz()) ++first;
        for (auto line = first; line != emission.lines.end() && line->frequency_hz <= f + filter.reach_hz();
             ++line) {
            const double power = milliwatt(line->level_dbm) * filter.power_response(line->frequency_hz - f);
            seen.push_back({std::sqrt(power), line->share_on});
        }
        double noise_mw = (own_density_mw + noise_density_mw(emission, f)) * filter.noise_bandwidth_hz();
        for (const auto& carrier : emission.carriers) noise_mw += carrier_power_mw(carrier, f, filter);
        for (const auto& made : emission.made) noise_mw += made_power_mw(made, f, filter);
        display.level_dbm[i] = std::min(point.level_dbm(seen, noise_mw), ceiling_dbm);
    }
    const double in_span = total_mw(emission, setup.start_hz, setup.stop_hz);
    const double in_all = total_mw(emission, 0, 1e15);
    display.overload = in_span > milliwatt(ceiling_dbm) || in_all > milliwatt(input.attenuation_db - 5);
    return display;
}

}  // namespace rt::lab
