#include "core/measure/radio/ofdm/frame.hpp"

#include <algorithm>
#include <cmath>

#include "core/measure/radio/ofdm/convolutional.hpp"

namespace rt::ofdm {
namespace {

constexpr int training[53] = {1,  1,  -1, -1, 1,  1, -1, 1,  -1, 1, 1,  1,  1,  1, 1,  -1, -1, 1,
                              1,  -1, 1,  -1, 1,  1, 1,  1,  0,  1, -1, -1, 1,  1, -1, 1,  -1, 1,
                              -1, -1, -1, -1, -1, 1, 1,  -1, -1, 1, -1, 1,  -1, 1, 1,  1,  1};

constexpr std::array all_rates{
    Rate{6, 0b1101, 1, 24, "BPSK, rate 1/2"},     Rate{9, 0b1111, 1, 36, "BPSK, rate 3/4"},
    Rate{12, 0b0101, 2, 48, "QPSK, rate 1/2"},    Rate{18, 0b0111, 2, 72, "QPSK, rate 3/4"},
    Rate{24, 0b1001, 4, 96, "16-QAM, rate 1/2"},  Rate{36, 0b1011, 4, 144, "16-QAM, rate 3/4"},
    Rate{48, 0b0001, 6, 192, "64-QAM, rate 2/3"}, Rate{54, 0b0011, 6, 216, "64-QAM, rate 3/4"},
};

// Scrambler x^7 + x^4 + 1 from all ones; 0 is +1, 1 is -1.
std::array<std::int8_t, 127> make_polarity() {
    std::array<std::int8_t, 127> out{};
    unsigned state = 127;
    for (auto& value : out) {
        const unsigned bit = ((state >> 6) ^ (state >> 3)) & 1U;
        state = ((state << 1) | bit) & 127U;
        value = bit ? -1 : 1;
    }
    return out;
}

double level(double value, int side) {
    // Odd numbers from -(2^side - 1) to 2^side - 1.
    const double most = (1 << side) - 1;
    return std::clamp(2 * std::floor(value / 2) + 1, -most, most);
}

}  // namespace

double long_training(int carrier) {
    return training[carrier + outermost];
}

bool is_pilot(int carrier) {
    return std::find(pilot_carriers.begin(), pilot_carriers.end(), carrier) != pilot_carriers.end();
}

double pilot(std::size_t n, std::size_t index) {
    static const auto polarity = make_polarity();
    return polarity[n % polarity.size()] * (index == 3 ? -1.0 : 1.0);
}

std::span<const Rate> rates() {
    return all_rates;
}

std::optional<Signal> decode_signal(std::span<const double> values) {
    std::vector<double> soft(48);
    for (std::size_t k = 0; k < 48; ++k) soft[k] = values[3 * (k % 16) + k / 16];
    const auto bits = viterbi(soft);
    unsigned parity = 0, code = 0, octets = 0;
    for (std::size_t i = 0; i < 18; ++i) parity ^= bits[i];
    for (std::size_t i = 0; i < 4; ++i) code = (code << 1) | bits[i];
    for (std::size_t i = 0; i < 12; ++i) octets |= bits[5 + i] << i;
    const bool tail = std::any_of(bits.begin() + 18, bits.end(), [](unsigned b) { return b != 0; });
    const auto rate =
        std::find_if(all_rates.begin(), all_rates.end(), [&](const Rate& r) { return r.code == code; });
    if (parity != 0 || tail || rate == all_rates.end() || octets == 0) return std::nullopt;
    const unsigned wanted = 16 + 8 * octets + 6, each = static_cast<unsigned>(rate->bits_per_symbol);
    return Signal{*rate, octets, (wanted + each - 1) / each};
}

std::complex<double> nearest(std::complex<double> value, int bits) {
    if (bits == 1) return value.real() < 0 ? -1 : 1;
    const int side = bits / 2;
    const double scale = std::sqrt(bits == 2 ? 2.0 : bits == 4 ? 10.0 : 42.0);
    return {level(value.real() * scale, side) / scale, level(value.imag() * scale, side) / scale};
}

}  // namespace rt::ofdm
