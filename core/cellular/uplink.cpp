#include "core/cellular/uplink.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/cellular/gold.hpp"

namespace rt::cellular {
namespace {

constexpr double basic_rate = 30.72e6;  // in units of which prefixes are whole numbers
constexpr std::size_t lte_reference_symbol = 3;

bool is_prime(std::size_t n) {
    for (std::size_t d = 2; d * d <= n; ++d)
        if (n % d == 0) return false;
    return n > 1;
}

std::complex<double> turned_by(double angle) {
    return std::polar(1.0, angle);
}

// Reference elements of NR stand on every other subcarrier: those of ports 0 and 1 on the even ones.
std::size_t comb_of(unsigned port) {
    return port < 2 ? 0 : 1;
}

}  // namespace

std::size_t UplinkFormat::slots_per_subframe() const {
    return lte() ? 2 : static_cast<std::size_t>(std::llround(spacing_hz / 15e3));
}

double UplinkFormat::subcarrier_hz(std::size_t k) const {
    const double from_middle = static_cast<double>(k) - static_cast<double>(subcarriers()) / 2;
    return (from_middle + (lte() ? 0.5 : 0.0)) * spacing_hz;
}

UplinkFormat::Place UplinkFormat::symbol(std::size_t slot, std::size_t number) const {
    // NR lengthens a prefix every half subframe: symbols 0 and 7 * 2^mu of a subframe.
    const double scale = 15e3 / spacing_hz;
    const double useful = 2048 * scale, prefix = 144 * scale;
    const std::size_t every = lte() ? 7 : 7 * slots_per_subframe();
    const std::size_t first = lte() ? 0 : slot % slots_per_subframe() * symbols();
    double start = 0;
    double here = prefix;
    for (std::size_t l = 0; l <= number; ++l) {
        here = prefix + ((first + l) % every == 0 ? 16 : 0);
        if (l < number) start += here + useful;
    }
    // A slot of NR starts where its subframe's clock says: a subframe is not divided evenly.
    if (!lte()) {
        const double long_ones = first == 0 ? 0 : static_cast<double>(1 + (first - 1) / every);
        start +=
            static_cast<double>(first) * (prefix + useful) + 16 * long_ones - slot_start_s(slot) * basic_rate;
    }
    return {start / basic_rate, here / basic_rate};
}

bool UplinkFormat::is_reference(std::size_t number) const {
    if (lte()) return number == lte_reference_symbol;
    return std::find(reference_symbols.begin(), reference_symbols.end(), number) != reference_symbols.end();
}

double UplinkFormat::reference_gain() const {
    return !lte() && groups_without_data == 2 ? std::numbers::sqrt2 : 1;
}

bool UplinkFormat::is_data(std::size_t number, std::size_t element) const {
    if (!is_reference(number)) return true;
    return !lte() && groups_without_data == 1 && element % 2 != comb_of(port);
}

bool has_base_sequence(std::size_t length) {
    return length == 30 || length >= 36;
}

std::vector<std::complex<double>> base_sequence(unsigned group, unsigned number, std::size_t length) {
    std::vector<std::complex<double>> out(length);
    if (length == 30) {
        for (std::size_t n = 0; n < length; ++n)
            out[n] =
                turned_by(-std::numbers::pi * (group + 1.0) * static_cast<double>((n + 1) * (n + 2)) / 31);
        return out;
    }
    if (length < 36) fail_input(fmt::format("there is no reference sequence of {} elements here", length));
    std::size_t prime = length - 1;
    while (!is_prime(prime)) --prime;
    const double ideal = static_cast<double>(prime) * (group + 1.0) / 31;
    const double sign = static_cast<long long>(std::floor(2 * ideal)) % 2 == 0 ? 1 : -1;
    const auto root = static_cast<std::uint64_t>(std::floor(ideal + 0.5) + number * sign);
    for (std::size_t n = 0; n < length; ++n) {
        const std::uint64_t m = n % prime;
        // The exponent counts modulo two turns of half.
        const std::uint64_t halves = root * (m * (m + 1) % (2 * prime)) % (2 * prime);
        out[n] = turned_by(-std::numbers::pi * static_cast<double>(halves) / static_cast<double>(prime));
    }
    return out;
}

namespace {

// The same one is wanted for slot after slot.
std::vector<std::complex<double>> kept_base_sequence(unsigned group, std::size_t length) {
    thread_local std::vector<std::complex<double>> kept;
    thread_local unsigned kept_group = 0;
    if (kept.size() != length || kept_group != group)
        kept = base_sequence(group, 0, length), kept_group = group;
    return kept;
}

}  // namespace

unsigned lte_cyclic_shift(const UplinkFormat& format, std::size_t slot) {
    const unsigned group = (format.identity % 30 + format.shift_of_groups) % 30;
    const auto bits = gold_sequence((format.identity / 30) * 32 + group, 8 * 7 * (slot % 20), 8);
    unsigned pseudo_random = 0;
    for (std::size_t i = 0; i < bits.size(); ++i) pseudo_random += static_cast<unsigned>(bits[i]) << i;
    return (format.cyclic_shift + pseudo_random) % 12;
}

std::vector<std::complex<double>> UplinkFormat::reference(std::size_t slot, std::size_t number) const {
    if (lte()) {
        auto out = kept_base_sequence((identity % 30 + shift_of_groups) % 30, allocated());
        const unsigned shift = lte_cyclic_shift(*this, slot);
        std::array<std::complex<double>, 12> turns;  // there are no others
        for (std::size_t i = 0; i < turns.size(); ++i)
            turns[i] = turned_by(2 * std::numbers::pi * static_cast<double>(shift * i % 12) / 12);
        for (std::size_t n = 0; n < out.size(); ++n) out[n] *= turns[n % turns.size()];
        return out;
    }
    const std::size_t elements = 6 * blocks;  // every other one
    std::vector<std::complex<double>> values;
    if (precoded) {
        values = kept_base_sequence(identity % 30, elements);
    } else {
        const std::uint64_t n_slot = slot % slots_per_frame();
        const std::uint64_t wide =
            (std::uint64_t{1} << 17) * (14 * n_slot + number + 1) * (2 * identity + 1) + 2 * identity +
            scrambling;
        const std::size_t first = 6 * (grid_start + first_block);
        const auto bits = gold_sequence(static_cast<std::uint32_t>(wide % (std::uint64_t{1} << 31)),
                                        2 * first, 2 * elements);
        values.resize(elements);
        for (std::size_t n = 0; n < elements; ++n)
            values[n] =
                std::complex<double>(1 - 2.0 * bits[2 * n], 1 - 2.0 * bits[2 * n + 1]) / std::numbers::sqrt2;
    }
    std::vector<std::complex<double>> out(allocated());
    const bool turns = port % 2 == 1;  // the second of two ports on the same elements
    for (std::size_t n = 0; n < elements; ++n)
        out[2 * n + comb_of(port)] = values[n] * reference_gain() * (turns && n % 2 == 1 ? -1.0 : 1.0);
    return out;
}

bool can_be_precoded(std::size_t blocks) {
    for (const std::size_t factor : {2u, 3u, 5u})
        while (blocks > 0 && blocks % factor == 0) blocks /= factor;
    return blocks == 1;
}

std::size_t UplinkFormat::most_blocks() const {
    std::size_t out = carrier_blocks - std::min(carrier_blocks - 1, first_block);
    while (precoded && !can_be_precoded(out)) --out;
    return out;
}

void UplinkFormat::require_possible() const {
    if (blocks < 1 || first_block + blocks > carrier_blocks) {
        fail_input(
            fmt::format("parameters first_block and blocks: the channel has blocks 0 to {}, not {} to {}",
                        carrier_blocks - 1, first_block, first_block + blocks - 1));
    }
    if (lte() && identity > 503) fail_input("parameter cell: write 0 to 503");
    if (!lte() && identity > 65535) fail_input("parameter identity: write 0 to 65535");
    if (precoded && !can_be_precoded(blocks)) {
        fail_input(
            fmt::format("parameter blocks: {} cannot be precoded: write a product of 2, 3 and 5", blocks));
    }
    if (lte() && !has_base_sequence(allocated()))
        fail_input("parameter blocks: reference sequences of fewer than 3 blocks are not known here");
    if (!lte() && precoded && !has_base_sequence(6 * blocks))
        fail_input("parameter blocks: reference sequences of fewer than 5 blocks are not known here");
    if (modulation == Modulation::bpsk && (lte() || !precoded))
        fail_input("parameter modulation: pi/2-bpsk goes with precoding in NR only");
    if (!lte() && precoded && groups_without_data != 2)
        fail_input("parameter groups_without_data: is 2 with precoding");
    if (!lte() && port > (groups_without_data == 2 ? 3u : 1u))
        fail_input("parameter port: ports 2 and 3 need two groups without data");
}

std::string UplinkFormat::text() const {
    return fmt::format("{}, {} blocks of {:g} kHz, allocated {} to {}, {}{}", lte() ? "LTE" : "NR",
                       carrier_blocks, spacing_hz / 1e3, first_block, first_block + blocks - 1,
                       name(modulation),
                       lte()      ? ""
                       : precoded ? ", precoded"
                                  : ", not precoded");
}

namespace {

struct Width {
    double mhz;
    std::array<std::size_t, 3> blocks;  // at 15, 30 and 60 kHz
};
// TS 36.101 table 5.6-1.
constexpr std::array lte_widths{Width{1.4, {6, 0, 0}}, Width{3, {15, 0, 0}},  Width{5, {25, 0, 0}},
                                Width{10, {50, 0, 0}}, Width{15, {75, 0, 0}}, Width{20, {100, 0, 0}}};
// TS 38.101-1 table 5.3.2-1.
constexpr std::array nr_widths{Width{5, {25, 11, 0}},     Width{10, {52, 24, 11}},   Width{15, {79, 38, 18}},
                               Width{20, {106, 51, 24}},  Width{25, {133, 65, 31}},  Width{30, {160, 78, 38}},
                               Width{40, {216, 106, 51}}, Width{50, {270, 133, 65}}, Width{60, {0, 162, 79}},
                               Width{70, {0, 189, 93}},   Width{80, {0, 217, 107}},  Width{90, {0, 245, 121}},
                               Width{100, {0, 273, 135}}};

std::span<const Width> widths_of(Technology technology) {
    if (technology == Technology::lte) return lte_widths;
    return nr_widths;
}

}  // namespace

std::optional<std::size_t> blocks_of(Technology technology, double bandwidth_hz, double spacing_hz) {
    const std::size_t at = spacing_hz == 15e3 ? 0 : spacing_hz == 30e3 ? 1 : spacing_hz == 60e3 ? 2 : 3;
    for (const auto& width : widths_of(technology)) {
        if (at < 3 && std::abs(width.mhz * 1e6 - bandwidth_hz) < 1 && width.blocks[at] > 0)
            return width.blocks[at];
    }
    return std::nullopt;
}

}  // namespace rt::cellular
