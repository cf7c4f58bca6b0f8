// radio.carrier: frequency and power of an unmodulated carrier.
#include "core/measure/procedure.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/dsp/density.hpp"
#include "core/measure/iq_setup.hpp"

namespace rt {
namespace {

constexpr auto carrier_parameters = joined(
    std::array{
        iq_centre_parameter,
        ParameterInfo{"within", ParameterKind::quantity, Unit::hertz, "",
                      "the carrier is looked for this far from the frequency meant; without it, everywhere"},
        iq_rate_parameter,
    },
    iq_part_rows);

constexpr std::array carrier_products{
    Product{"carrier_frequency", Unit::hertz, "frequency of the strongest tone"},
    Product{"frequency_offset", Unit::hertz, "that minus the frequency meant"},
    Product{"frequency_error", Unit::ppm, "the same relative to the frequency meant"},
    Product{"carrier_power", Unit::dbm, "power of the tone"},
    Product{"carrier_to_rest", Unit::db, "power of the tone over all other power in the record"},
};

// Sum of x exp(-j w n) over equal blocks of the record: a tone near `offset` becomes a slow phasor.
std::vector<std::complex<double>> phasors(const IqRecord& record, double offset_hz, std::size_t blocks,
                                          std::size_t length) {
    std::vector<std::complex<double>> out(blocks);
    const double turn = -2 * std::numbers::pi * offset_hz / record.sample_rate_hz;
    for (std::size_t b = 0; b < blocks; ++b) {
        const auto samples = record.read(b * length, length);
        const double cycles = offset_hz / record.sample_rate_hz * static_cast<double>(b * length);
        std::complex<double> rotor = std::polar(1.0, -2 * std::numbers::pi * (cycles - std::floor(cycles)));
        const std::complex<double> step = std::polar(1.0, turn);
        for (std::size_t i = 0; i < length; ++i) {
            out[b] += std::complex<double>(samples[i]) * rotor;
            rotor *= step;
            if (i % 1024 == 1023) rotor /= std::abs(rotor);
        }
        out[b] /= static_cast<double>(length);
    }
    return out;
}

// Power of the record's tone at `offset` from the slow phasors.
double power_at(const std::vector<std::complex<double>>& slow, double cycles_per_block) {
    std::complex<double> sum = 0;
    for (std::size_t b = 0; b < slow.size(); ++b) {
        sum += slow[b] * std::polar(1.0, -2 * std::numbers::pi * cycles_per_block * static_cast<double>(b));
    }
    return std::norm(sum / static_cast<double>(slow.size()));
}

double mean_power(const IqRecord& record, std::size_t count) {
    constexpr std::size_t piece = 1 << 16;
    double sum = 0;
    for (std::size_t at = 0; at < count; at += piece) {
        for (const auto& value : record.read(at, std::min(piece, count - at)))
            sum += std::norm(std::complex<double>(value));
    }
    return sum / static_cast<double>(count);
}

// The strongest tone: its offset from the centre of the record, its power and that of all samples.
struct Tone {
    double offset = 0, power = 0, all = 0;
    bool at_zero = false;  // where the receiver's own line stands
};

// The highest point of the density. Throws Error(input) when `within` leaves nothing of it.
std::size_t highest_point(const Density& seen, double meant, std::optional<double> within, double& total) {
    std::size_t top = seen.per_hz.size();
    for (std::size_t i = 0; i < seen.per_hz.size(); ++i) {
        total += seen.per_hz[i] * seen.step_hz;
        if (within && std::abs(seen.frequency_hz[i] - meant) > *within) continue;
        if (top == seen.per_hz.size() || seen.per_hz[i] > seen.per_hz[top]) top = i;
    }
    if (top == seen.per_hz.size()) {
        fail_input("the record covers nothing within " + format({*within, Unit::hertz}) + " of " +
                   format({meant, Unit::hertz}));
    }
    return top;
}

// Slow phasors around the highest point, then the maximum of their spectrum: grid, then golden section.
Tone refined_tone(const IqRecord& record, double offset, double total, std::size_t most_block) {
    const double rate = record.sample_rate_hz;
    const std::size_t blocks = 64, length = static_cast<std::size_t>(record.size() / blocks);
    Tone out{offset, 0, total, false};
    if (length < 4) return out;
    const std::size_t block = std::min<std::size_t>(length, most_block);
    const std::size_t count = static_cast<std::size_t>(std::min<std::uint64_t>(record.size() / block, 4096));
    const auto slow = phasors(record, offset, count, block);
    double best = 0, best_power = 0;
    const double grid = 0.25 / static_cast<double>(count);
    for (double f = -0.49; f <= 0.49; f += grid) {
        const double here = power_at(slow, f);
        if (here > best_power) best = f, best_power = here;
    }
    double low = best - grid, high = best + grid;
    constexpr double golden = 0.6180339887498949;
    for (int i = 0; i < 60; ++i) {
        const double a = high - golden * (high - low), b = low + golden * (high - low);
        (power_at(slow, a) > power_at(slow, b) ? high : low) = power_at(slow, a) > power_at(slow, b) ? b : a;
    }
    const double cycles = (low + high) / 2;
    const double shift = cycles * rate / static_cast<double>(block);
    out.offset += shift;
    // Once more at the frequency found: with every sample turned by its own angle, what noise adds to the
    // tone's power is what it adds to that of all samples, and the difference is what is not the tone.
    out.power = power_at(phasors(record, out.offset, count, block), 0);
    out.all = mean_power(record, count * block);
    // The receiver's own line stands at exactly 0 Hz; a carrier would have to hit it within a tenth of what
    // the record resolves.
    out.at_zero = std::abs(out.offset) < 0.1 * rate / static_cast<double>(count * block);
    return out;
}

Outcome measure_carrier(Capture any, const Parameters& p) {
    const IqRecord record = take_iq(std::move(any), "radio.carrier", p);
    if (record.size() < 256) fail_input("the record is shorter than 256 samples");
    DensitySettings settings;
    settings.window = Window::hann;
    settings.size = std::size_t{1} << static_cast<unsigned>(
                        std::clamp(std::floor(std::log2(static_cast<double>(record.size()))), 8.0, 14.0));
    const Density seen = power_density(record, settings);
    const double meant = p.number("centre").value_or(record.centre_hz);
    double total = 0;
    const std::size_t top = highest_point(seen, meant, p.number("within"), total);
    const auto [offset, power, all, at_zero] =
        refined_tone(record, seen.frequency_hz[top] - record.centre_hz, total, settings.size / 4);
    Outcome outcome;
    const double frequency = record.centre_hz + offset;
    const double rest = std::max(all - power, 1e-13 * all);
    constexpr double least_db = 3;
    const double ratio = 10 * std::log10(std::max(power, 1e-30) / rest);
    if (at_zero) {
        outcome.invalid =
            "the strongest tone stands at exactly 0 Hz of the record, where the receiver's own line "
            "stands: tune the receiver off the carrier, or leave 0 Hz out with centre and within";
    } else if (!(all > 0) || ratio < least_db) {
        outcome.invalid = "no unmodulated carrier: the strongest tone, at " +
                          format({frequency, Unit::hertz}) + ", holds only " +
                          format({100 * power / std::max(all, 1e-30), Unit::percent}, 3) + " of the power";
    }
    outcome.add("carrier_frequency", frequency, Unit::hertz);
    outcome.add("frequency_offset", frequency - meant, Unit::hertz);
    if (meant > 0) outcome.add("frequency_error", (frequency - meant) / meant * 1e6, Unit::ppm);
    outcome.results.push_back({"carrier_power", level_of(record, power), {}});
    outcome.add("carrier_to_rest", ratio, Unit::db);
    note_reference(record, outcome);
    return outcome;
}

}  // namespace

// From complex samples: the maximum of the spectrum, refined by the least-squares fit of a rotating phasor
// (maximum likelihood for a tone in white noise: Rife and Boorstyn 1974). Results `carrier_frequency`,
// `frequency_offset`, `frequency_error`, `carrier_power`, `carrier_to_rest`.
Procedure carrier() {
    return {"radio.carrier",
            "Frequency and power of a carrier",
            "Fits a rotating phasor to complex samples (maximum likelihood for a tone in white noise). "
            "Refuses when "
            "no tone holds at least two thirds of the power: a modulated carrier has its own procedures.",
            carrier_parameters,
            {},
            carrier_products,
            iq_setup,
            measure_carrier,
            preset_named};
}

}  // namespace rt
