// LTE and NR uplinks made by direct sums over subcarriers, sample by sample: nothing here is shared with the
// receiver.
#pragma once

#include <algorithm>
#include <cmath>
#include <complex>
#include <cstdint>
#include <random>
#include <vector>

#include "tests/core/made_signals.hpp"

namespace made {

struct Uplink {
    bool nr = false;
    double spacing = 15e3;
    int channel_blocks = 6, first_block = 0, blocks = 6;
    int per_axis = 2;  // levels of the modulation on each axis; 1: pi/2-BPSK
    bool precoded = true;
    unsigned identity = 0, port = 0;
    std::vector<int> references = {2};
    bool one_group = false;    // data beside reference signals
    double turned_for_hz = 0;  // up-conversion of NR
    int slots = 2, first_slot = 0;
    std::vector<int> silent = {};  // of these slots
    double rate = 1.92e6, seconds = 1e-3;
    double delay_s = 0, offset_hz = 0, fast_ppm = 0;  // of its clock
    double evm = 0;                                   // noise on its subcarriers, as a share
    double leakage_db = -200, image_db = -200;
    double echo = 0, echo_s = 0;
    unsigned seed = 1;
};

inline std::vector<int> gold(unsigned start, int skip, int count) {
    std::vector<int> a(static_cast<std::size_t>(1600 + skip + count + 31)), b(a.size());
    a[0] = 1;
    for (std::size_t i = 0; i < 31; ++i) b[i] = static_cast<int>(start >> i & 1u);
    for (std::size_t i = 0; i + 31 < a.size(); ++i) {
        a[i + 31] = a[i + 3] ^ a[i];
        b[i + 31] = b[i + 3] ^ b[i + 2] ^ b[i + 1] ^ b[i];
    }
    std::vector<int> out;
    for (int i = 0; i < count; ++i)
        out.push_back(a[static_cast<std::size_t>(1600 + skip + i)] ^
                      b[static_cast<std::size_t>(1600 + skip + i)]);
    return out;
}

inline std::vector<Complex> base(unsigned group, int length) {
    int prime = length - 1;
    const auto is_prime = [](int n) {
        for (int d = 2; d * d <= n; ++d)
            if (n % d == 0) return false;
        return true;
    };
    while (!is_prime(prime)) --prime;
    const int q = static_cast<int>(std::floor(prime * (group + 1.0) / 31 + 0.5));
    std::vector<Complex> out;
    for (int n = 0; n < length; ++n) {
        const int m = n % prime;
        out.push_back(std::polar(1.0, -pi * q * std::fmod(double(m) * (m + 1), 2.0 * prime) / prime));
    }
    if (length == 30)
        for (int n = 0; n < 30; ++n)
            out[static_cast<std::size_t>(n)] = std::polar(1.0, -pi * (group + 1) * (n + 1) * (n + 2) / 31);
    return out;
}

namespace uplink_parts {

constexpr double tick = 1 / 30.72e6;

// Begin of a symbol from that of the subframe of its slot, and its prefix.
inline std::pair<double, double> times(const Uplink& u, int slot, int symbol) {
    if (!u.nr) {
        double at = (slot % 2) * 15360 + symbol * 2192 + (symbol > 0 ? 16 : 0);
        return {at * tick, (symbol == 0 ? 160 : 144) * tick};
    }
    const int scale = static_cast<int>(std::lround(u.spacing / 15e3));
    const int number = slot % scale * 14 + symbol;
    double at = 0, prefix = 0;
    for (int i = 0; i <= number; ++i) {
        prefix = 144.0 / scale + (i % (7 * scale) == 0 ? 16 : 0);
        if (i < number) at += prefix + 2048.0 / scale;
    }
    return {at * tick, prefix * tick};
}

inline std::vector<Complex> data(const Uplink& u, std::size_t count, std::mt19937_64& random) {
    std::vector<Complex> out;
    const auto level = [&] {
        std::uniform_int_distribution<int> pick(0, u.per_axis - 1);
        return 2.0 * pick(random) - u.per_axis + 1;
    };
    double power = 0;
    for (int i = 0; i < u.per_axis; ++i) power += std::pow(2.0 * i - u.per_axis + 1, 2) * 2 / u.per_axis;
    for (std::size_t k = 0; k < count; ++k) {
        if (u.per_axis == 1) {
            const double sign = random() % 2 == 0 ? 1 : -1;
            out.push_back(Complex(sign, sign) / std::sqrt(2.0) *
                          (k % 2 == 0 ? Complex(1, 0) : Complex(0, 1)));
        } else {
            const double i = level(), q = level();
            out.push_back(Complex(i, q) / std::sqrt(power));
        }
    }
    return out;
}

inline std::vector<Complex> precode(const std::vector<Complex>& d) {
    const auto size = static_cast<double>(d.size());
    std::vector<Complex> out(d.size());
    for (std::size_t k = 0; k < d.size(); ++k)
        for (std::size_t n = 0; n < d.size(); ++n)
            out[k] += d[n] * std::polar(1 / std::sqrt(size), -2 * pi * double(k * n % d.size()) / size);
    return out;
}

inline std::vector<Complex> reference(const Uplink& u, int slot, int symbol, std::mt19937_64& random) {
    const int count = 12 * u.blocks;
    if (!u.nr) {
        auto out = base(u.identity % 30, count);
        const auto bits = gold(u.identity / 30 * 32 + u.identity % 30, 56 * (slot % 20), 8);
        int shift = 0;
        for (int i = 0; i < 8; ++i) shift += bits[static_cast<std::size_t>(i)] << i;
        for (int n = 0; n < count; ++n)
            out[static_cast<std::size_t>(n)] *= std::polar(1.0, 2 * pi * (shift % 12) * n / 12);
        return out;
    }
    std::vector<Complex> values;
    if (u.precoded) {
        values = base(u.identity % 30, count / 2);
    } else {
        const int frame = static_cast<int>(std::lround(10 * u.spacing / 15e3));
        const std::uint64_t start =
            ((std::uint64_t{1} << 17) * static_cast<std::uint64_t>(14 * (slot % frame) + symbol + 1) *
                 (2 * u.identity + 1) +
             2 * u.identity) %
            (std::uint64_t{1} << 31);
        const auto bits = gold(static_cast<unsigned>(start), 12 * u.first_block, count);
        for (int n = 0; n < count / 2; ++n)
            values.push_back(Complex(1 - 2 * bits[static_cast<std::size_t>(2 * n)],
                                     1 - 2 * bits[static_cast<std::size_t>(2 * n + 1)]) /
                             std::sqrt(2.0));
    }
    std::vector<Complex> out(static_cast<std::size_t>(count));
    const std::size_t comb = u.port / 2;
    const auto beside = data(u, static_cast<std::size_t>(count / 2), random);
    for (std::size_t n = 0; n < values.size(); ++n) {
        out[2 * n + comb] =
            values[n] * (u.one_group ? 1 : std::sqrt(2.0)) * (u.port % 2 == 1 && n % 2 == 1 ? -1.0 : 1.0);
        if (u.one_group) out[2 * n + 1 - comb] = beside[n];
    }
    return out;
}

}  // namespace uplink_parts

inline Samples uplink(const Uplink& u) {
    using namespace uplink_parts;
    std::mt19937_64 random(u.seed);
    std::vector<Complex> x(static_cast<std::size_t>(std::lround(u.seconds * u.rate)));
    const int scale = u.nr ? static_cast<int>(std::lround(u.spacing / 15e3)) : 2;
    const int symbols = u.nr ? 14 : 7, count = 12 * u.blocks;
    const double unit = 0.1 / std::sqrt(double(count)), clock = 1 + u.fast_ppm * 1e-6;
    const double begin = u.first_slot / scale * 1e-3 + times(u, u.first_slot, 0).first;
    for (int slot = u.first_slot; slot < u.first_slot + u.slots; ++slot) {
        for (int l = 0; l < symbols; ++l) {
            const bool is_reference =
                u.nr ? std::count(u.references.begin(), u.references.end(), l) > 0 : l == 3;
            auto a = is_reference ? reference(u, slot, l, random)
                                  : data(u, static_cast<std::size_t>(count), random);
            if (!is_reference && u.precoded) a = precode(a);
            if (std::count(u.silent.begin(), u.silent.end(), slot - u.first_slot) > 0) continue;
            const auto [at, prefix] = times(u, slot, l);
            const double turns = u.turned_for_hz * (at + prefix);
            const double from = slot / scale * 1e-3 + at - begin, to = from + prefix + 1 / u.spacing;
            for (const auto& [gain, late] : {std::pair{1.0, 0.0}, std::pair{u.echo, u.echo_s}}) {
                if (gain == 0) continue;
                const auto first = std::max(0.0, std::floor((from / clock + u.delay_s + late) * u.rate));
                for (auto n = static_cast<std::size_t>(first); n < x.size(); ++n) {
                    const double t = (static_cast<double>(n) / u.rate - u.delay_s - late) * clock;
                    if (t < from) continue;
                    if (t >= to) break;
                    Complex sum;
                    // One subcarrier after another turns by the same: from the lowest up.
                    const double low =
                        (12 * u.first_block - 6 * u.channel_blocks + (u.nr ? 0 : 0.5)) * u.spacing;
                    Complex turn = std::polar(1.0, 2 * pi * low * (t - from - prefix));
                    const Complex step = std::polar(1.0, 2 * pi * u.spacing * (t - from - prefix));
                    for (const auto& value : a) sum += value * turn, turn *= step;
                    x[n] += gain * unit * sum * std::polar(1.0, -2 * pi * (turns - std::floor(turns)));
                }
            }
        }
    }
    const double leak = 0.1 * std::pow(10, u.leakage_db / 20), image = std::pow(10, u.image_db / 20);
    std::normal_distribution<double> normal(0, 1);
    const double sigma = 0.1 * u.evm * std::sqrt(u.rate / (count * u.spacing) / 2);
    Samples out;
    for (std::size_t n = 0; n < x.size(); ++n) {
        Complex y = x[n] + leak * std::polar(1.0, 0.7);
        y += image * std::polar(1.0, 0.4) * std::conj(y);
        y *= std::polar(1.0, 2 * pi * u.offset_hz * static_cast<double>(n) / u.rate + 1.0);
        const double i = normal(random), q = normal(random);
        out.push_back(std::complex<float>(y + sigma * Complex(i, q)));
    }
    return out;
}

}  // namespace made
