// cellular.lte-uplink and cellular.nr-uplink: a frame of an uplink, as a unit in a test mode sends it.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <bit>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/cellular/uplink.hpp"
#include "core/dsp/fft.hpp"
#include "core/outcome/rows.hpp"
#include "core/synthesis/chance.hpp"
#include "core/synthesis/signal.hpp"

namespace rt {
namespace {

using enum ParameterKind;
using cellular::Modulation;
using cellular::Technology;
using cellular::UplinkFormat;
using Complex = std::complex<double>;

constexpr double full_turn = 2 * std::numbers::pi;

constexpr std::array shared_rows{
    ParameterInfo{"first_block", number_from_0, Unit::none, "0", "first allocated block"},
    ParameterInfo{"blocks", whole_number, Unit::none, "", "allocated blocks; without it all that can be"},
    ParameterInfo{
        "levels", text, Unit::none, "0",
        "of one slot after another, again and again, in dB, such as \"0, -3, off\"; the level of a generator "
        "is that of 0"},
    ParameterInfo{"carrier_leakage", quantity, Unit::db, "",
                  "what stands at the carrier; nothing without it"},
    ParameterInfo{"image", quantity, Unit::db, "",
                  "its image at the other side of the carrier; none without it"},
    ParameterInfo{"noise", quantity, Unit::percent, "0 %", "noise as error vector magnitude, in the channel"},
    ParameterInfo{"tilt", quantity, Unit::db, "0 dB",
                  "gain at the upper end of the channel over that at the lower"},
    ParameterInfo{"compression", quantity, Unit::db, "",
                  "third-order products of the amplifier, total power over that of the signal: what fills "
                  "neighbouring channels; none without it"},
    ParameterInfo{"seed", whole_number, Unit::none, "1", "of its data and noise"},
};

constexpr auto lte_rows = joined(
    std::array{
        ParameterInfo{"channel_bandwidth", quantity, Unit::hertz, "20 MHz", "1.4, 3, 5, 10, 15 or 20 MHz"},
        ParameterInfo{"cell", number_from_0, Unit::none, "0", "physical cell identity, 0 to 503"},
        ParameterInfo{"modulation", choice, Unit::none, "qpsk", "of the data", "qpsk 16qam 64qam"},
        ParameterInfo{"cyclic_shift", number_from_0, Unit::none, "0", "n_DMRS(1) + n_DMRS(2)"},
    },
    shared_rows);

constexpr auto nr_rows = joined(
    std::array{
        ParameterInfo{"channel_bandwidth", quantity, Unit::hertz, "20 MHz", "5 to 100 MHz"},
        ParameterInfo{"subcarrier_spacing", quantity, Unit::hertz, "30 kHz", "15, 30 or 60 kHz"},
        ParameterInfo{"identity", number_from_0, Unit::none, "0", "scrambling identity, 0 to 65535"},
        ParameterInfo{"modulation", choice, Unit::none, "qpsk", "of the data",
                      "pi/2-bpsk qpsk 16qam 64qam 256qam"},
        ParameterInfo{"precoding", choice, Unit::none, "off", "transform precoding", "off on"},
        ParameterInfo{"up_converted", quantity, Unit::hertz, "0 Hz",
                      "carrier that symbols are turned for; 0 Hz: they are not"},
    },
    shared_rows);

// In dB, one for each slot; nothing where it is off.
std::vector<std::optional<double>> levels_in(const std::string& text) {
    std::vector<std::optional<double>> out;
    for (const auto part : split(text, ',')) {
        const std::string word = lower(trim(part));
        if (word == "off") {
            out.emplace_back();
            continue;
        }
        const auto value = to_double(word);
        if (!value || *value > 0 || *value < -100)
            fail_input("parameter levels: write 0 to -100 or off for each slot, not " + in_quotes(word));
        out.emplace_back(*value);
    }
    if (std::none_of(out.begin(), out.end(), [](const auto& level) { return level.has_value(); }))
        fail_input("parameter levels: no slot is on");
    return out;
}

void allocate(UplinkFormat& format, const Parameters& p) {
    format.first_block = static_cast<std::size_t>(p.required("first_block"));
    format.blocks =
        static_cast<std::size_t>(p.number("blocks").value_or(static_cast<double>(format.most_blocks())));
    format.require_possible();
}

std::size_t blocks_for(const UplinkFormat& format, const Parameters& p) {
    const auto blocks = blocks_of(format.technology, p.required("channel_bandwidth"), format.spacing_hz);
    if (!blocks) fail_input("parameter channel_bandwidth: there is no such channel with this spacing");
    return *blocks;
}

UplinkFormat lte_format(const Parameters& p) {
    UplinkFormat out;
    out.carrier_blocks = blocks_for(out, p);
    out.modulation = cellular::modulation_named(p.text("modulation"));
    out.identity = static_cast<unsigned>(p.required("cell"));
    out.cyclic_shift = static_cast<unsigned>(p.required("cyclic_shift")) % 12;
    allocate(out, p);
    return out;
}

UplinkFormat nr_format(const Parameters& p) {
    UplinkFormat out;
    out.technology = Technology::nr;
    out.spacing_hz = p.required("subcarrier_spacing");
    out.carrier_blocks = blocks_for(out, p);
    out.modulation = cellular::modulation_named(p.text("modulation"));
    out.precoded = p.text("precoding") == "on";
    out.identity = static_cast<unsigned>(p.required("identity"));
    allocate(out, p);
    return out;
}

// Data of one symbol: as points, precoded where they are.
std::vector<Complex> data_of(const UplinkFormat& format, const Chance& chance, std::uint64_t first) {
    std::vector<Complex> out(format.allocated());
    std::array<std::uint8_t, 8> bits{};
    const std::size_t count = bits_of(format.modulation);
    for (std::size_t k = 0; k < out.size(); ++k) {
        const std::uint64_t word = chance.bits(first + k);
        for (std::size_t b = 0; b < count; ++b) bits[b] = static_cast<std::uint8_t>(word >> (8 + b) & 1u);
        out[k] = point_of(format.modulation, std::span(bits).first(count), k);
    }
    if (format.precoded) {
        kept_transform(out.size())(out.data());
        for (auto& x : out) x /= std::sqrt(static_cast<double>(out.size()));
    }
    return out;
}

// A frame of unit power where the level is 0 dB. Beyond the channel there is room for what amplifiers add.
std::vector<Complex> frame_of(const UplinkFormat& format, std::size_t size,
                              const std::vector<std::optional<double>>& levels, double up_converted_hz,
                              double tilt_db, std::uint64_t seed) {
    const double rate = static_cast<double>(size) * format.spacing_hz;
    std::vector<Complex> out(static_cast<std::size_t>(std::llround(rate * 10e-3)));
    const Chance chance(seed, 11);
    const Fft<double> transform(size, Fft<double>::Direction::backward);
    std::uint64_t number = 0;
    const double unit = 1 / std::sqrt(static_cast<double>(format.allocated()));
    std::vector<Complex> bins(size);
    for (std::size_t slot = 0; slot < format.slots_per_frame(); ++slot) {
        const auto& level = levels[slot % levels.size()];
        const double begin =
            static_cast<double>(slot / format.slots_per_subframe()) * 1e-3 + format.slot_start_s(slot);
        for (std::size_t l = 0; l < format.symbols(); ++l, ++number) {
            if (!level) continue;
            const auto where = format.symbol(slot, l);
            const auto at = static_cast<std::size_t>(std::llround((begin + where.start_s) * rate));
            const auto prefix = static_cast<std::size_t>(std::llround(where.prefix_s * rate));
            auto values =
                format.is_reference(l) ? format.reference(slot, l) : data_of(format, chance, number << 16);
            const double turns =
                up_converted_hz * (format.slot_start_s(slot) + where.start_s + where.prefix_s);
            const Complex turn =
                std::polar(unit * std::pow(10, *level / 20), -full_turn * (turns - std::floor(turns)));
            std::fill(bins.begin(), bins.end(), Complex{});
            for (std::size_t k = 0; k < values.size(); ++k) {
                const std::size_t subcarrier = format.first_subcarrier() + k;
                const double place = format.subcarrier_hz(subcarrier) / format.occupied_hz();
                const std::size_t bin = (subcarrier + size - format.subcarriers() / 2) % size;
                bins[bin] = values[k] * turn * std::pow(10, tilt_db * place / 20);
            }
            transform(bins.data());
            // LTE's subcarriers stand half a spacing above whole ones: a slow turn over the symbol.
            const double half = format.lte() ? std::numbers::pi / static_cast<double>(size) : 0;
            for (std::size_t n = 0; n < prefix + size && at + n < out.size(); ++n) {
                const double from_useful = static_cast<double>(n) - static_cast<double>(prefix);
                out[at + n] = bins[(n + size - prefix) % size] * std::polar(1.0, half * from_useful);
            }
        }
    }
    return out;
}

void add_faults(std::vector<Complex>& wave, const UplinkFormat& format, double rate, const Parameters& p) {
    if (const auto total = p.number("compression")) {
        // Of a Gaussian signal of unit power x |x|^2 has the part 2 x of the signal itself and 2 of the rest.
        const double rest = std::pow(10, *total / 20) / std::numbers::sqrt2;
        for (auto& x : wave) x += rest * (std::norm(x) - 2) * x;
    }
    if (const auto image = p.number("image")) {
        const Complex by = std::polar(std::pow(10, *image / 20), 0.4);
        for (auto& x : wave) x += by * std::conj(x);
    }
    if (const auto leak = p.number("carrier_leakage")) {
        const Complex by = std::polar(std::pow(10, *leak / 20), 0.9);
        // It is there while the transmitter is.
        for (auto& x : wave)
            if (x != 0.0) x += by;
    }
    const double noise = p.required("noise") / 100;
    if (noise > 0) {
        const Chance chance(static_cast<std::uint64_t>(p.required("seed")), 12);
        const double allocated = static_cast<double>(format.allocated()) * format.spacing_hz;
        const double sigma = noise * std::sqrt(rate / allocated / 2);
        for (std::size_t n = 0; n < wave.size(); ++n)
            if (wave[n] != 0.0) wave[n] += sigma * Complex(chance.normal(2 * n), chance.normal(2 * n + 1));
    }
}

MadeSignal make_uplink(const UplinkFormat& format, double up_converted_hz, const Parameters& p) {
    const auto levels = levels_in(p.text("levels"));
    if (p.required("noise") < 0) fail_input("parameter noise: must not be below 0 %");
    // Room for products in the neighbouring channels, where they are wanted.
    const double room = p.number("compression") ? 2.6 : 1.3;
    const std::size_t size =
        std::bit_ceil(static_cast<std::size_t>(std::ceil(room * static_cast<double>(format.subcarriers()))));
    const double rate = static_cast<double>(size) * format.spacing_hz;
    auto wave = frame_of(format, size, levels, up_converted_hz, p.required("tilt"),
                         static_cast<std::uint64_t>(p.required("seed")));
    add_faults(wave, format, rate, p);
    double power = 0, on = 0, highest = 0;
    for (const auto& x : wave) {
        power += std::norm(x), on += x != 0.0;
        highest = std::max(highest, std::abs(x));
    }
    std::vector<std::complex<float>> samples(wave.size());
    for (std::size_t n = 0; n < wave.size(); ++n) samples[n] = std::complex<float>(wave[n] / highest);
    MadeSignal out;
    out.above_level_db = 20 * std::log10(highest);
    out.turn = iq_in_memory(std::move(samples), rate);
    out.is.push_back({"peak_over_level", {out.above_level_db, Unit::db}, {}});
    out.is.push_back({"mean_while_on", {10 * std::log10(power / on), Unit::db}, {}});
    out.notes.push_back(format.text());
    return out;
}

MadeSignal make_lte(const Parameters& p, const SignalInputs&) {
    return make_uplink(lte_format(p), 0, p);
}

MadeSignal make_nr(const Parameters& p, const SignalInputs&) {
    return make_uplink(nr_format(p), p.required("up_converted"), p);
}

}  // namespace

SignalKind cellular_lte_uplink() {
    return {"cellular.lte-uplink",
            "A frame of an LTE uplink",
            "Random data and reference signals of a physical uplink shared channel in all slots of a frame "
            "(TS 36.211 "
            "clause 5), with what may be wrong with a transmitter. The level of a generator that plays it is "
            "the mean "
            "power of a slot of 0 dB.",
            lte_rows,
            true,
            false,
            make_lte};
}

SignalKind cellular_nr_uplink() {
    return {"cellular.nr-uplink",
            "A frame of an NR uplink",
            "The same for NR, not precoded or precoded (TS 38.211 clauses 5 and 6): mapping type A over "
            "whole slots, "
            "reference signals of type 1 in symbol 2.",
            nr_rows,
            true,
            false,
            make_nr};
}

}  // namespace rt
