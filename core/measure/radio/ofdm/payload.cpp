#include "core/measure/radio/ofdm/payload.hpp"

#include <algorithm>
#include <cmath>
#include <limits>

#include "core/measure/radio/ofdm/convolutional.hpp"

namespace rt::ofdm {
namespace {

constexpr std::size_t data_carriers = 48;

// Soft bits of one axis with 2^bits levels in Gray code, the first bit highest: how much farther the nearest
// level with a 0 is than the nearest with a 1, by squares of distances.
void axis(double value, int bits, double weight, std::vector<double>& out) {
    const int levels = 1 << bits;
    for (int b = bits - 1; b >= 0; --b) {
        double zero = std::numeric_limits<double>::infinity(), one = zero;
        for (int i = 0; i < levels; ++i) {
            const double off = value - (2 * i - levels + 1);
            double& nearest = ((i ^ (i >> 1)) >> b & 1) ? one : zero;
            nearest = std::min(nearest, off * off);
        }
        out.push_back(weight * (zero - one));
    }
}

std::vector<double> soft_bits(std::span<const std::complex<double>> symbol, std::span<const double> weight,
                              int bits) {
    const double scale = bits == 1 ? 1 : std::sqrt(bits == 2 ? 2.0 : bits == 4 ? 10.0 : 42.0);
    std::vector<double> out;
    for (std::size_t k = 0; k < symbol.size(); ++k) {
        // Distances count in the plain constellation: noise is by the square of the scale larger there.
        const double w = weight[k] / (scale * scale);
        axis(symbol[k].real() * scale, std::max(1, bits / 2), w, out);
        if (bits > 1) axis(symbol[k].imag() * scale, bits / 2, w, out);
    }
    return out;
}

// Both permutations of clause 17.3.5.7 undone.
std::vector<double> in_coded_order(const std::vector<double>& sent, int bits_per_carrier) {
    const std::size_t n = sent.size(), s = static_cast<std::size_t>(std::max(bits_per_carrier / 2, 1));
    std::vector<double> out(n);
    for (std::size_t k = 0; k < n; ++k) {
        const std::size_t i = n / 16 * (k % 16) + k / 16;
        const std::size_t j = s * (i / s) + (i + n - 16 * i / n) % s;
        out[k] = sent[j];
    }
    return out;
}

// Puts 0 where bits of the mother code were not sent: of pairs A B all at rate 1/2, A1 B1 A2 at 2/3, A1 B1 A2
// B3 at 3/4.
void unpuncture(const std::vector<double>& sent, const Rate& rate, std::vector<double>& out) {
    const auto coded = static_cast<int>(sent.size());
    const bool half = 2 * rate.bits_per_symbol == coded, two_thirds = 3 * rate.bits_per_symbol == 2 * coded;
    std::size_t at = 0;
    for (int bit = 0; bit < rate.bits_per_symbol; ++bit) {
        const bool a = half || two_thirds || bit % 3 != 2;
        const bool b = half || (two_thirds ? bit % 2 == 0 : bit % 3 != 1);
        out.push_back(a ? sent[at++] : 0);
        out.push_back(b ? sent[at++] : 0);
    }
}

}  // namespace

std::uint32_t frame_check(std::span<const std::uint8_t> octets) {
    std::uint32_t check = 0xFFFFFFFFU;
    for (const auto octet : octets) {
        check ^= octet;
        for (int bit = 0; bit < 8; ++bit) check = check >> 1 ^ (check & 1U ? 0xEDB88320U : 0U);
    }
    return ~check;
}

Payload decode_payload(std::span<const std::complex<double>> values, std::span<const double> weight,
                       const Signal& signal) {
    std::vector<double> soft;
    for (std::size_t at = 0; at + data_carriers <= values.size(); at += data_carriers) {
        const auto sent = soft_bits(values.subspan(at, data_carriers), weight, signal.rate.bits_per_carrier);
        unpuncture(in_coded_order(sent, signal.rate.bits_per_carrier), signal.rate, soft);
    }
    // SERVICE, octets and six zeros that bring the code back to state 0; what fills the last symbol is left.
    constexpr std::size_t service = 16, tail = 6;
    const std::size_t bits = service + 8 * signal.octets + tail;
    Payload out;
    if (soft.size() < 2 * bits) return out;
    soft.resize(2 * bits);
    const auto scrambled = viterbi(soft);
    // The first seven bits of SERVICE are zero: what is there is the scrambler's state.
    std::vector<unsigned> sequence(scrambled.begin(), scrambled.begin() + 7);
    for (std::size_t i = 7; i < service + 8 * signal.octets; ++i)
        sequence.push_back(sequence[i - 7] ^ sequence[i - 4]);
    const auto plain = [&](std::size_t i) { return scrambled[i] ^ sequence[i]; };
    out.service_right = true;
    for (std::size_t i = 7; i < service; ++i) out.service_right = out.service_right && plain(i) == 0;
    for (std::size_t n = 0; n < signal.octets; ++n) {
        unsigned octet = 0;
        for (std::size_t b = 0; b < 8; ++b) octet |= plain(service + 8 * n + b) << b;
        out.octets.push_back(static_cast<std::uint8_t>(octet));
    }
    if (out.octets.size() > 4) {
        const auto body = std::span(out.octets).first(out.octets.size() - 4);
        std::uint32_t sent = 0;
        for (std::size_t b = 0; b < 4; ++b) sent |= std::uint32_t{out.octets[body.size() + b]} << (8 * b);
        out.check_right = frame_check(body) == sent;
    }
    return out;
}

}  // namespace rt::ofdm
