#include "core/measure/radio/gfsk/demodulate.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>
#include <numeric>

#include "core/dsp/fir.hpp"
#include "core/quantity/quantity.hpp"
#include "core/short_range/advertising.hpp"
#include "core/short_range/packet.hpp"
#include "core/signal/interpolate.hpp"

namespace rt::gfsk {
namespace {

using Complex = std::complex<double>;
constexpr double bit_s = 1 / bit_rate_hz;

// Gaussian-filtered frequency of bits (BT = 0.5), `count` values a bit, +-1 for a long run.
std::vector<double> template_of(const std::vector<std::uint8_t>& bits, std::size_t count) {
    // Standard deviation of the Gaussian in bits: sqrt(ln 2) / (2 pi BT).
    const double sigma = std::sqrt(std::numbers::ln2) / (2 * std::numbers::pi * 0.5);
    std::vector<double> out(bits.size() * count);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const double t = (static_cast<double>(i) + 0.5) / static_cast<double>(count);
        double sum = 0;
        const auto here = static_cast<std::ptrdiff_t>(t);
        for (std::ptrdiff_t b = here - 2; b <= here + 2; ++b) {
            if (b < 0 || b >= static_cast<std::ptrdiff_t>(bits.size())) continue;
            const double low = (static_cast<double>(b) - t) / sigma / std::numbers::sqrt2;
            const double high = (static_cast<double>(b) + 1 - t) / sigma / std::numbers::sqrt2;
            sum += (bits[static_cast<std::size_t>(b)] ? 0.5 : -0.5) * (std::erf(high) - std::erf(low));
        }
        out[i] = sum;
    }
    return out;
}

// Frequency of a signal resampled to `rate`: the turn of the phase from one value to the next.
std::vector<double> frequency_of(std::span<const Complex> x, double from_rate, double start_s, double rate,
                                 std::size_t count) {
    std::vector<double> out(count);
    Complex previous = value_between(x, start_s * from_rate);
    for (std::size_t i = 0; i < count; ++i) {
        const Complex next = value_between(x, (start_s + static_cast<double>(i + 1) / rate) * from_rate);
        out[i] = std::arg(next * std::conj(previous)) * rate / (2 * std::numbers::pi);
        previous = next;
    }
    return out;
}

struct Match {
    double at = 0, quality = 0;  // place in values of the sequence
};

// Normalised correlation with means removed, best place between values.
Match best_match(const std::vector<double>& sequence, std::vector<double> pattern) {
    Match best;
    if (sequence.size() < pattern.size()) return best;
    const auto n = static_cast<double>(pattern.size());
    const double mean = std::accumulate(pattern.begin(), pattern.end(), 0.0) / n;
    double energy = 0;
    for (double& p : pattern) p -= mean, energy += p * p;
    std::vector<double> quality;
    for (std::size_t at = 0; at + pattern.size() <= sequence.size(); ++at) {
        double sum = 0, squares = 0, product = 0;
        for (std::size_t k = 0; k < pattern.size(); ++k) {
            const double v = sequence[at + k];
            sum += v;
            squares += v * v;
            product += v * pattern[k];
        }
        quality.push_back(product / std::sqrt(energy * std::max(squares - sum * sum / n, 1e-30)));
    }
    const auto top =
        static_cast<std::size_t>(std::max_element(quality.begin(), quality.end()) - quality.begin());
    best.quality = quality[top];
    best.at = static_cast<double>(top);
    if (top > 0 && top + 1 < quality.size()) {
        const double a = quality[top - 1], b = quality[top], c = quality[top + 1];
        if (a - 2 * b + c < 0) best.at += (a - c) / (2 * (a - 2 * b + c));
    }
    return best;
}

}  // namespace

const std::vector<double>& smoothing() {
    static const auto taps = low_pass(1.75e6, 0.5e6, per_bit * bit_rate_hz);
    return taps;
}

double Packet::mean(double from_bit, double to_bit) const {
    const auto from = static_cast<std::size_t>(std::lround(from_bit * per_bit));
    const auto to = std::min(frequency_hz.size(), static_cast<std::size_t>(std::lround(to_bit * per_bit)));
    double sum = 0;
    for (std::size_t i = from; i < to; ++i) sum += frequency_hz[i];
    return sum / static_cast<double>(to - from);
}

Attempt demodulate(std::span<const std::complex<float>> samples, double rate, double bandwidth_hz,
                   std::uint32_t access_address, std::uint32_t crc_initial,
                   std::optional<unsigned> whitened_channel) {
    if (rate < 4e6) {
        return {{},
                "GFSK at 1 Mbit/s needs at least 4 million samples a second, the record has " +
                    fixed(rate / 1e6, 3) + " million"};
    }
    std::vector<Complex> x(samples.begin(), samples.end());
    if (bandwidth_hz < rate * 0.9) x = filtered(x, low_pass(bandwidth_hz / 2, bandwidth_hz / 4, rate));
    const auto head = head_bits(access_address);
    constexpr std::size_t coarse = 8;
    const double seconds = static_cast<double>(x.size()) / rate;
    const double needed = static_cast<double>(head.size() + 16 + 24) * bit_s;
    if (seconds < needed)
        return {{}, "the burst of " + fixed(seconds * 1e6, 0) + " us is too short for a packet"};
    const auto searched = std::min(seconds, static_cast<double>(head.size()) * bit_s + 60e-6);
    const auto sequence = frequency_of(x, rate, 0, coarse * bit_rate_hz,
                                       static_cast<std::size_t>(searched * coarse * bit_rate_hz));
    const Match match = best_match(sequence, template_of(head, coarse));
    constexpr double least_match = 0.8;
    if (match.quality < least_match) {
        return {{},
                "no preamble and access address: the best match is " + fixed(100 * match.quality, 0) +
                    " %, at least " + fixed(100 * least_match, 0) + " % were expected"};
    }
    Packet out;
    out.start_s = match.at / (coarse * bit_rate_hz);
    const auto bits = static_cast<std::size_t>((seconds - out.start_s) / bit_s);
    out.frequency_hz = frequency_of(x, rate, out.start_s, per_bit * bit_rate_hz, bits * per_bit);
    out.frequency_hz = filtered(std::span<const double>(out.frequency_hz), smoothing());
    // From the middle of the second bit of the preamble to the middle of the last: the alternation cancels,
    // and what the ramp does to the first bit stays out.
    out.preamble_offset_hz = out.mean(1.5, 7.5);
    double middle = out.preamble_offset_hz;
    for (std::size_t b = 0; b < bits; ++b) {
        const double f = out.mean(static_cast<double>(b) + 0.25, static_cast<double>(b) + 0.75);
        out.bits.push_back(f > middle);
    }
    if (!std::equal(head.begin(), head.end(), out.bits.begin())) {
        return {{}, "the access address is not the one expected"};
    }
    if (whitened_channel) {
        const auto added = whitening(*whitened_channel, out.bits.size() - head.size());
        for (std::size_t i = 0; i < added.size(); ++i) out.bits[head.size() + i] ^= added[i];
    }
    const auto body = std::span(out.bits).subspan(head.size());
    const auto header = octets_of(body.first(16));
    const std::size_t length = header[1];
    const std::size_t whole = head.size() + 16 + 8 * length + 24;
    if (out.bits.size() < whole) {
        return {{}, "the burst ends before the " + std::to_string(length) + " octets that its header states"};
    }
    out.type = header[0] & 15U, out.header = header[0];
    out.payload = octets_of(body.subspan(16, 8 * length));
    const auto crc = crc_bits(body.first(16 + 8 * length), crc_initial);
    out.crc_ok =
        std::equal(crc.begin(), crc.end(), body.begin() + static_cast<std::ptrdiff_t>(16 + 8 * length));
    out.bits.resize(whole);
    out.frequency_hz.resize(whole * per_bit);
    return {std::move(out), {}};
}

std::vector<double> deviations_of_runs(const Packet& packet) {
    std::vector<double> out;
    each_octet(packet, [&](double first, double centre) {
        for (const int bit : {1, 2, 5, 6})
            out.push_back(std::abs(packet.mean(first + bit, first + bit + 1) - centre));
    });
    return out;
}

std::vector<double> group_frequencies(const Packet& packet) {
    std::vector<double> out;
    const std::size_t bits = 8 * packet.payload.size();
    for (std::size_t first = 1; first + 10 <= bits; first += 10) {
        const auto at = static_cast<double>(packet.payload_at() + first);
        out.push_back(packet.mean(at, at + 10));
    }
    return out;
}

}  // namespace rt::gfsk
