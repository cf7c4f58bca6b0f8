// Signals with known properties, made for tests from the definitions of the standards and not with the code
// under test.
#pragma once

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <cstdint>
#include <numbers>
#include <random>
#include <string>
#include <vector>

#include "core/signal/iq_record.hpp"

namespace made {

using Complex = std::complex<double>;
using Samples = std::vector<Complex>;
inline constexpr double pi = std::numbers::pi;

inline rt::IqRecord record(const Samples& x, double rate, double centre = 0,
                           std::optional<double> reference = {}) {
    std::vector<std::complex<float>> samples(x.begin(), x.end());
    return rt::iq_in_memory(std::move(samples), rate, centre, reference);
}

inline Samples tone(double amplitude, double frequency, double rate, std::size_t count, double phase = 0) {
    Samples out(count);
    for (std::size_t i = 0; i < count; ++i) {
        out[i] = std::polar(amplitude, phase + 2 * pi * frequency * static_cast<double>(i) / rate);
    }
    return out;
}

// Complex white noise; `sigma` is the square root of its mean power.
inline void add_noise(Samples& x, double sigma, unsigned seed = 1) {
    std::mt19937_64 random(seed);
    std::normal_distribution<double> normal(0, sigma / std::numbers::sqrt2);
    for (auto& value : x) value += Complex(normal(random), normal(random));
}

inline void append(Samples& to, const Samples& from) {
    to.insert(to.end(), from.begin(), from.end());
}

inline void shift(Samples& x, double frequency, double rate) {
    for (std::size_t i = 0; i < x.size(); ++i) {
        x[i] *= std::polar(1.0, 2 * pi * frequency * static_cast<double>(i) / rate);
    }
}

// ---- IEEE 802.15.4 O-QPSK ----

// The table of IEEE 802.15.4, chip c0 first.
inline const std::array<std::string, 16> chip_table{
    "11011001110000110101001000101110", "11101101100111000011010100100010",
    "00101110110110011100001101010010", "00100010111011011001110000110101",
    "01010010001011101101100111000011", "00110101001000101110110110011100",
    "11000011010100100010111011011001", "10011100001101010010001011101101",
    "10001100100101100000011101111011", "10111000110010010110000001110111",
    "01111011100011001001011000000111", "01110111101110001100100101100000",
    "00000111011110111000110010010110", "01100000011101111011100011001001",
    "10010110000001110111101110001100", "11001001011000000111011110111000"};

struct Oqpsk {
    std::vector<std::uint8_t> payload{1, 2, 3, 4, 5, 6, 7, 8, 9, 10};  // without its check
    double rate = 16e6, carrier = 0, clock_ppm = 0, phase = 0.4, amplitude = 0.5, room = 30e-6;
    Complex offset = 0;    // of the origin, relative to the amplitude
    double imbalance = 0;  // I is 1 + this, Q 1 - this
    bool wrong_check = false;

    Samples make() const {
        std::vector<std::uint8_t> psdu = payload;
        unsigned crc = 0;
        for (const auto octet : payload) {
            for (unsigned i = 0; i < 8; ++i) {
                const unsigned bit = (octet >> i) & 1U, out = (crc & 1U) ^ bit;
                crc >>= 1;
                if (out) crc ^= 0x8408;
            }
        }
        if (wrong_check) crc ^= 1;
        psdu.push_back(static_cast<std::uint8_t>(crc & 255));
        psdu.push_back(static_cast<std::uint8_t>(crc >> 8));
        std::vector<std::uint8_t> octets{0, 0, 0, 0, 0xA7, static_cast<std::uint8_t>(psdu.size())};
        octets.insert(octets.end(), psdu.begin(), psdu.end());
        std::string chips;
        for (const auto octet : octets) chips += chip_table[octet & 15U] + chip_table[octet >> 4];
        const double chip = 0.5e-6 / (1 + clock_ppm * 1e-6);
        const double length = (static_cast<double>(chips.size()) + 1) * chip;
        Samples out(static_cast<std::size_t>((length + 2 * room) * rate));
        for (std::size_t n = 0; n < out.size(); ++n) {
            const double t = static_cast<double>(n) / rate - room;
            if (t < 0 || t > length) continue;
            double part[2] = {0, 0};
            for (const std::size_t branch : {0U, 1U}) {
                const double u = t / chip - static_cast<double>(branch);
                const auto k = static_cast<std::ptrdiff_t>(std::floor(u / 2));
                const std::ptrdiff_t index = 2 * k + static_cast<std::ptrdiff_t>(branch);
                if (k < 0 || index >= static_cast<std::ptrdiff_t>(chips.size())) continue;
                const double sign = chips[static_cast<std::size_t>(index)] == '1' ? 1 : -1;
                part[branch] = sign * std::sin(pi * (u - 2 * static_cast<double>(k)) / 2);
            }
            const Complex ideal(part[0] * (1 + imbalance), part[1] * (1 - imbalance));
            out[n] = amplitude * (ideal + offset) *
                     std::polar(1.0, phase + 2 * pi * carrier * static_cast<double>(n) / rate);
        }
        return out;
    }
};

// ---- Bluetooth LE, 1 Msymbol/s ----

struct Gfsk {
    unsigned type = 1;  // 1: 11110000, 2: 10101010
    std::size_t octets = 37;
    double rate = 16e6, index = 0.5, carrier = 0, drift_hz_per_s = 0, amplitude = 0.5, room = 10e-6;
    bool wrong_crc = false;
    std::uint32_t address = 0x71764129;
    std::vector<unsigned> pdu{};  // header and payload octets in place of a test packet
    int whitened_for = -1;        // channel

    // The register that link layers in wide use have: eight bits, the index turned round.
    void whiten(std::vector<int>& body) const {
        unsigned v = 2;
        for (unsigned i = 0; i < 8; ++i) v |= ((static_cast<unsigned>(whitened_for) >> i) & 1U) << (7 - i);
        for (int& bit : body) {
            if (v & 0x80U) v ^= 0x11U, bit ^= 1;
            v = (v << 1) & 0xFFU;
        }
    }

    std::vector<int> bits() const {
        std::vector<int> out, body;
        for (unsigned i = 0; i < 8; ++i) out.push_back(static_cast<int>((address ^ i) & 1U));
        for (unsigned i = 0; i < 32; ++i) out.push_back(static_cast<int>((address >> i) & 1U));
        if (pdu.empty()) {
            for (unsigned i = 0; i < 8; ++i) body.push_back(static_cast<int>((type >> i) & 1U));
            for (unsigned i = 0; i < 8; ++i) body.push_back(static_cast<int>((octets >> i) & 1U));
            for (std::size_t i = 0; i < 8 * octets; ++i)
                body.push_back(type == 1 ? (i % 8 < 4) : (i % 2 == 0));
        }
        for (const unsigned octet : pdu)
            for (unsigned i = 0; i < 8; ++i) body.push_back(static_cast<int>((octet >> i) & 1U));
        unsigned state = 0x555555;
        for (const int bit : body) {
            const unsigned top = ((state >> 23) ^ static_cast<unsigned>(bit)) & 1U;
            state = (state << 1) & 0xFFFFFF;
            if (top) state ^= 0x00065B;
        }
        if (wrong_crc) state ^= 1;
        for (int i = 23; i >= 0; --i) body.push_back(static_cast<int>((state >> i) & 1U));
        if (whitened_for >= 0) whiten(body);
        out.insert(out.end(), body.begin(), body.end());
        return out;
    }

    Samples make() const {
        const auto all = bits();
        const double sigma = std::sqrt(std::numbers::ln2) / pi;  // bits, BT = 0.5
        const auto quiet = static_cast<std::size_t>(room * rate);
        const auto length = static_cast<std::size_t>(static_cast<double>(all.size()) * 1e-6 * rate);
        Samples out(length + 2 * quiet);
        constexpr int fine = 16;
        double phase = 0.7;
        for (std::size_t n = 0; n < length; ++n) {
            out[quiet + n] = std::polar(amplitude, phase);
            for (int k = 0; k < fine; ++k) {
                const double t = (static_cast<double>(n) + (k + 0.5) / fine) / rate, u = t * 1e6;
                double shape = 0;
                for (auto b = static_cast<std::ptrdiff_t>(u) - 3; b <= static_cast<std::ptrdiff_t>(u) + 3;
                     ++b) {
                    if (b < 0 || b >= static_cast<std::ptrdiff_t>(all.size())) continue;
                    const double low = (static_cast<double>(b) - u) / sigma / std::numbers::sqrt2;
                    const double high = (static_cast<double>(b) + 1 - u) / sigma / std::numbers::sqrt2;
                    shape +=
                        (all[static_cast<std::size_t>(b)] ? 0.5 : -0.5) * (std::erf(high) - std::erf(low));
                }
                const double frequency = shape * index / 2 * 1e6 + carrier + drift_hz_per_s * t;
                phase += 2 * pi * frequency / rate / fine;
            }
        }
        return out;
    }
};

// ---- IEEE 802.11 OFDM, 20 MHz ----

struct Ofdm {
    int mbit = 54;
    unsigned octets = 500;
    std::size_t times = 1;                                          // samples over 20 MHz
    double carrier = 0, amplitude = 0.2, leakage = 0, tilt_db = 0;  // tilt from carrier -26 to 26
    std::size_t room = 100;                                         // samples at 20 MHz
    std::vector<std::uint8_t> psdu{};  // sent with its check in place of random points; octets counts both
    bool wrong_check = false;

    double rate() const { return 20e6 * static_cast<double>(times); }
    std::size_t symbols() const {
        const unsigned each = static_cast<unsigned>(mbit) * 4;
        return (16 + 8 * octets + 6 + each - 1) / each;
    }

    Samples symbol(const std::array<Complex, 53>& carriers) const {
        const std::size_t size = 64 * times;
        Samples out(size), turn(size);
        for (std::size_t n = 0; n < size; ++n)
            turn[n] = std::polar(1.0, 2 * pi * static_cast<double>(n) / static_cast<double>(size));
        for (int k = -26; k <= 26; ++k) {
            if (carriers[static_cast<std::size_t>(k + 26)] == 0.0) continue;
            const Complex value = carriers[static_cast<std::size_t>(k + 26)] *
                                  std::pow(10, tilt_db * k / 52 / 20) / std::sqrt(52.0);
            const std::size_t step =
                k < 0 ? size - static_cast<std::size_t>(-k) : static_cast<std::size_t>(k);
            for (std::size_t n = 0, at = 0; n < size; ++n, at = (at + step) % size)
                out[n] += value * turn[at];
        }
        return out;
    }
    Samples guarded(const Samples& symbol_) const {
        Samples out(symbol_.end() - static_cast<std::ptrdiff_t>(16 * times), symbol_.end());
        append(out, symbol_);
        return out;
    }

    // The code 133/171 from state 0.
    static std::string coded(const std::string& bits) {
        std::string out, past = "000000";
        for (const char bit : bits) {
            const std::string w = bit + past;
            const auto sum = [&](std::initializer_list<std::size_t> at) {
                int total = 0;
                for (const auto i : at) total += w[i] == '1';
                return total % 2 ? '1' : '0';
            };
            out += sum({0, 2, 3, 5, 6});
            out += sum({0, 1, 2, 3, 6});
            past = w.substr(0, 6);
        }
        return out;
    }

    // The bits of all data symbols as they are mapped, N_CBPS a symbol.
    std::string sent_bits() const {
        std::string bits(16, '0');
        std::uint32_t check = 0xFFFFFFFF;
        const auto put = [&](unsigned octet) {
            for (unsigned i = 0; i < 8; ++i) bits += octet >> i & 1U ? '1' : '0';
        };
        for (const auto octet : psdu) {
            put(octet);
            for (unsigned i = 0; i < 8; ++i) {
                const bool top = (check >> 31 & 1U) != (octet >> i & 1U);
                check = check << 1 ^ (top ? 0x04C11DB7U : 0U);
            }
        }
        // Sent with the coefficient of x^31 first.
        for (int i = 31; i >= 0; --i) bits += (check >> i & 1U) == 0 ? '1' : '0';
        if (wrong_check) bits.back() = bits.back() == '1' ? '0' : '1';
        const std::size_t tail = bits.size(), each = static_cast<std::size_t>(mbit) * 4;
        bits.resize(symbols() * each, '0');
        unsigned state = 0b1011101;
        for (std::size_t i = 0; i < bits.size(); ++i) {
            const unsigned next = (state >> 6 ^ state >> 3) & 1U;
            state = (state << 1 | next) & 127U;
            if (next && (i < tail || i >= tail + 6)) bits[i] = bits[i] == '1' ? '0' : '1';
        }
        const std::string mother = coded(bits);
        // Per three or four coded bits and so on: which of a period of the mother code are sent.
        const std::string kept = mbit == 48                                            ? "1110"
                                 : mbit == 9 || mbit == 18 || mbit == 36 || mbit == 54 ? "111001"
                                                                                       : "1";
        std::string out;
        for (std::size_t i = 0; i < mother.size(); ++i) {
            if (kept[i % kept.size()] == '1') out += mother[i];
        }
        return out;
    }

    // Where coded bit k of a symbol of n goes.
    static std::size_t interleaved(std::size_t k, std::size_t n, std::size_t per_carrier) {
        const std::size_t s = std::max<std::size_t>(per_carrier / 2, 1), i = n / 16 * (k % 16) + k / 16;
        return s * (i / s) + (i + n - 16 * i / n) % s;
    }

    Samples make(unsigned seed = 3) const {
        static const std::string training = "++--++-+-++++++--++-+-++++0+--++-+-+-----++--+-+-++++";
        static const int pilots[4] = {-21, -7, 7, 21};
        std::vector<int> polarity;
        unsigned scrambler = 127;
        for (int i = 0; i < 127; ++i) {
            const unsigned bit = ((scrambler >> 6) ^ (scrambler >> 3)) & 1U;
            scrambler = ((scrambler << 1) | bit) & 127U;
            polarity.push_back(bit ? -1 : 1);
        }
        std::array<Complex, 53> brief{}, long_{};
        const std::pair<int, int> tones[] = {{-24, 1}, {-20, -1}, {-16, 1}, {-12, -1}, {-8, -1}, {-4, 1},
                                             {4, -1},  {8, -1},   {12, 1},  {16, 1},   {20, 1},  {24, 1}};
        for (const auto& [k, sign] : tones) {
            brief[static_cast<std::size_t>(k + 26)] = Complex(sign, sign) * std::sqrt(13.0 / 6);
        }
        for (std::size_t i = 0; i < 53; ++i) long_[i] = training[i] == '0' ? 0 : training[i] == '+' ? 1 : -1;
        const Samples s = symbol(brief), l = symbol(long_);
        Samples body;
        for (int i = 0; i < 3; ++i) append(body, s);
        body.resize(160 * times);
        body.insert(body.end(), l.end() - static_cast<std::ptrdiff_t>(32 * times), l.end());
        append(body, l);
        append(body, l);
        const auto with_pilots = [&](std::array<Complex, 53> values, std::size_t n) {
            for (std::size_t i = 0; i < 4; ++i) {
                values[static_cast<std::size_t>(pilots[i] + 26)] = polarity[n % 127] * (i == 3 ? -1 : 1);
            }
            return guarded(symbol(values));
        };
        std::vector<int> data;
        for (int k = -26; k <= 26; ++k) {
            const bool pilot = k == -21 || k == -7 || k == 7 || k == 21;
            if (k != 0 && !pilot) data.push_back(k + 26);
        }
        // SIGNAL: rate, length, parity, tail through the code 133/171 and the interleaver.
        const std::pair<int, const char*> codes[] = {{6, "1101"},  {9, "1111"},  {12, "0101"}, {18, "0111"},
                                                     {24, "1001"}, {36, "1011"}, {48, "0001"}, {54, "0011"}};
        std::string bits;
        for (const auto& [rate_, code] : codes) bits += rate_ == mbit ? code : "";
        bits += '0';
        for (unsigned i = 0; i < 12; ++i) bits += (octets >> i) & 1U ? '1' : '0';
        bits += std::count(bits.begin(), bits.end(), '1') % 2 ? '1' : '0';
        bits += "000000";
        const std::string field = coded(bits);
        std::array<Complex, 53> values{};
        for (std::size_t k = 0; k < 48; ++k) {
            values[static_cast<std::size_t>(data[3 * (k % 16) + k / 16])] = field[k] == '1' ? 1 : -1;
        }
        append(body, with_pilots(values, 0));
        std::mt19937 random(seed);
        const int levels = mbit <= 9 ? 1 : mbit <= 18 ? 2 : mbit <= 36 ? 4 : 8;
        const double scale = levels == 1   ? 1
                             : levels == 2 ? std::sqrt(2.0)
                             : levels == 4 ? std::sqrt(10.0)
                                           : std::sqrt(42.0);
        const auto draw = [&] {
            const int n = std::max(levels, 2);
            return (2 * static_cast<int>(random() % static_cast<unsigned>(n)) - n + 1) / scale;
        };
        const std::string sent = psdu.empty() ? "" : sent_bits();
        const std::size_t per_carrier = levels == 8 ? 6 : static_cast<std::size_t>(levels);
        const std::size_t per_symbol = 48 * per_carrier;
        // Gray: the levels from the lowest up.
        static const std::string gray[4] = {"", "0 1", "00 01 11 10", "000 001 011 010 110 111 101 100"};
        const auto axis = [&](const std::string& these) {
            if (these.size() == 1) return (these == "1" ? 1 : -1) / scale;
            const auto at = gray[these.size()].find(these) / (these.size() + 1);
            return (2 * static_cast<double>(at) - (std::pow(2, these.size()) - 1)) / scale;
        };
        for (std::size_t n = 1; n <= symbols(); ++n) {
            values = {};
            if (!sent.empty()) {
                std::string placed(per_symbol, '0');
                for (std::size_t k = 0; k < per_symbol; ++k)
                    placed[interleaved(k, per_symbol, per_carrier)] = sent[(n - 1) * per_symbol + k];
                for (std::size_t k = 0; k < 48; ++k) {
                    const std::string here = placed.substr(k * per_carrier, per_carrier);
                    const std::size_t half = std::max<std::size_t>(per_carrier / 2, 1);
                    values[static_cast<std::size_t>(data[k])] = {
                        axis(here.substr(0, half)), per_carrier == 1 ? 0.0 : axis(here.substr(half))};
                }
                append(body, with_pilots(values, n));
                continue;
            }
            for (const int k : data)
                values[static_cast<std::size_t>(k)] = {draw(), levels == 1 ? 0.0 : draw()};
            append(body, with_pilots(values, n));
        }
        Samples out(room * times);
        for (auto& value : body) value += leakage;
        append(out, body);
        out.resize(out.size() + room * times);
        for (auto& value : out) value *= amplitude;
        shift(out, carrier, rate());
        return out;
    }
};

}  // namespace made
