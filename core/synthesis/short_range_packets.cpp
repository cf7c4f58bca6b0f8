// short-range.packets: packets of Bluetooth LE as a transmitter sends them, for tests or to be found.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/serial/pattern.hpp"
#include "core/short_range/advertising.hpp"
#include "core/short_range/packet.hpp"
#include "core/synthesis/signal.hpp"

namespace rt {
namespace {

using enum ParameterKind;

constexpr std::array packets_parameters{
    ParameterInfo{"content", choice, Unit::none, "10101010",
                  "of a test packet (prbs9, 11110000, 10101010), or advertising",
                  "prbs9 11110000 10101010 advertising"},
    ParameterInfo{"octets", whole_number, Unit::none, "37", "payload of a test packet, 1 to 255"},
    ParameterInfo{"interval", quantity, Unit::second, "1.25 ms", "from one packet to the next"},
    ParameterInfo{"deviation", quantity, Unit::hertz, "250 kHz", "of a long run of equal bits"},
    ParameterInfo{"bandwidth_time", quantity, Unit::none, "0.5",
                  "of the Gaussian filter: its bandwidth, times a bit"},
    ParameterInfo{"drift", quantity, Unit::hertz, "0 Hz", "of the carrier, from the first bit to the last"},
    ParameterInfo{"ramp", quantity, Unit::second, "2 us", "on either side of a packet"},
    ParameterInfo{"channel", choice, Unit::none, "37", "of advertising: 2402, 2426, 2480 MHz", "37 38 39"},
    ParameterInfo{"address", text, Unit::none, "c0:5e:77:20:00:02", "of the device that advertises"},
    ParameterInfo{"name", text, Unit::none, "", "of the device, at most 20 letters"},
    ParameterInfo{"allows", choice, Unit::none, "connect-scan",
                  "of others: connections and scan requests, connections of one device, scan requests, "
                  "neither",
                  "connect-scan connect scan neither"},
    ParameterInfo{"sample_rate", quantity, Unit::hertz, "8 MHz", "at least 4 MHz"},
};

using Bits = std::vector<std::uint8_t>;

void append_octet(Bits& bits, unsigned octet) {
    for (unsigned i = 0; i < 8; ++i) bits.push_back(static_cast<std::uint8_t>((octet >> i) & 1U));
}

// The register's nine ones, then what it makes of them.
void append_prbs9(Bits& bits, std::size_t count) {
    constexpr std::size_t stages = 9;
    bits.insert(bits.end(), std::min(stages, count), 1);
    if (count <= stages) return;
    for (const bool bit : sequence_bits("prbs9", count - stages)) bits.push_back(bit);
}

// Header and payload of a test packet (Bluetooth Core Specification, Vol 6 Part F, 4.1.5).
Bits test_body(const Parameters& p) {
    const std::string content = p.text("content");
    const double octets = p.required("octets");
    if (octets < 1 || octets > 255) fail_input("parameter octets: must be 1 to 255");
    const auto count = static_cast<std::size_t>(octets);
    Bits out;
    append_octet(out, content == "prbs9" ? 0 : content == "11110000" ? 1 : 2);
    append_octet(out, static_cast<unsigned>(count));
    if (content == "prbs9") {
        append_prbs9(out, 8 * count);
    } else {
        for (std::size_t i = 0; i < 8 * count; ++i)
            out.push_back(content == "11110000" ? i % 8 < 4 : i % 2 == 0);
    }
    return out;
}

std::array<unsigned, 6> address_octets(const std::string& text) {
    const auto parts = split(text, ':');
    std::array<unsigned, 6> out{};
    bool good = parts.size() == 6;
    for (std::size_t i = 0; good && i < 6; ++i) {
        const auto part = parts[i];
        const auto [end, error] = std::from_chars(part.data(), part.data() + part.size(), out[5 - i], 16);
        good = part.size() == 2 && error == std::errc{} && end == part.data() + part.size();
    }
    if (!good) fail_input("parameter address: " + in_quotes(text) + " is none; write c0:5e:77:20:00:02");
    return out;
}

// Header and payload of an advertising packet (the same, Vol 6 Part B, 2.3.1).
Bits advertising_body(const Parameters& p) {
    const std::string allows = p.text("allows"), name = p.text("name");
    if (name.size() > 20) fail_input("parameter name: at most 20 letters fit");
    const auto address = address_octets(p.text("address"));
    const auto kind = allows == "connect-scan" ? gfsk::AdvertisingKind::connectable
                      : allows == "connect"    ? gfsk::AdvertisingKind::directed
                      : allows == "scan"       ? gfsk::AdvertisingKind::scannable
                                               : gfsk::AdvertisingKind::neither;
    std::vector<unsigned> payload(address.begin(), address.end());
    if (kind == gfsk::AdvertisingKind::directed) {
        // Whom it lets connect.
        for (unsigned i = 0; i < 6; ++i) payload.push_back(0x10U + i);
    } else {
        payload.insert(payload.end(), {2U, 0x01U, 0x06U});  // its flags
        if (!name.empty()) {
            payload.insert(payload.end(), {static_cast<unsigned>(name.size()) + 1, 0x09U});
            for (const char c : name) payload.push_back(static_cast<unsigned char>(c));
        }
    }
    Bits out;
    // The two highest bits of a static random address are ones.
    append_octet(out, static_cast<unsigned>(kind) | ((address[5] & 0xC0U) == 0xC0U ? 0x40U : 0U));
    append_octet(out, static_cast<unsigned>(payload.size()));
    for (const unsigned octet : payload) append_octet(out, octet);
    return out;
}

Bits packet_bits(const Parameters& p) {
    const bool advertises = p.text("content") == "advertising";
    Bits body = advertises ? advertising_body(p) : test_body(p);
    const Bits check = gfsk::crc_bits(body, gfsk::advertising_crc_initial);
    body.insert(body.end(), check.begin(), check.end());
    if (advertises) {
        const auto white =
            gfsk::whitening(static_cast<unsigned>(to_double(p.text("channel")).value_or(37)), body.size());
        for (std::size_t i = 0; i < body.size(); ++i) body[i] ^= white[i];
    }
    Bits out = gfsk::head_bits(advertises ? gfsk::advertising_access_address : gfsk::test_access_address);
    out.insert(out.end(), body.begin(), body.end());
    return out;
}

// The integral of a Gaussian-filtered step of height 1 at 0, in bits: what its phase has done by `u`.
double ramped_step(double u, double sigma) {
    const double x = u / sigma;
    return u * 0.5 * std::erfc(-x / std::numbers::sqrt2) +
           sigma * std::exp(-0.5 * x * x) / std::sqrt(2 * std::numbers::pi);
}

// Phase in cycles of a deviation of one cycle a bit, at places in bits from the beginning of the packet.
class PhaseOf {
  public:
    PhaseOf(const Bits& bits, double sigma) : bits_(&bits), sigma_(sigma) {
        long sum = 0;
        for (const auto bit : bits) before_.push_back(sum), sum += bit ? 1 : -1;
        before_.push_back(sum);
    }
    double operator()(double u) const {
        // Bits well before count whole, those well behind not at all.
        constexpr std::ptrdiff_t reach = 4;
        const auto here = static_cast<std::ptrdiff_t>(std::floor(u));
        const auto count = static_cast<std::ptrdiff_t>(bits_->size());
        const auto first = std::clamp<std::ptrdiff_t>(here - reach, 0, count);
        const auto last = std::clamp<std::ptrdiff_t>(here + reach, 0, count);
        auto phase = static_cast<double>(before_[static_cast<std::size_t>(first)]);
        for (std::ptrdiff_t b = first; b < last; ++b) {
            const double sign = (*bits_)[static_cast<std::size_t>(b)] ? 1 : -1,
                         at = u - static_cast<double>(b);
            phase += sign * (ramped_step(at, sigma_) - ramped_step(at - 1, sigma_));
        }
        return phase;
    }

  private:
    const Bits* bits_;
    double sigma_;
    std::vector<long> before_;  // sum of all bits before one
};

MadeSignal make_packets(const Parameters& p, const SignalInputs&) {
    const double rate = p.required("sample_rate"), interval = p.required("interval");
    const double deviation = p.required("deviation"), bt = p.required("bandwidth_time");
    const double ramp = p.required("ramp"), drift = p.required("drift");
    if (!(rate >= 4e6 && rate <= 1e9)) fail_input("parameter sample_rate: 4 MHz to 1 GHz are possible");
    if (!(deviation > 0 && deviation <= 1e6))
        fail_input("parameter deviation: must be above 0 Hz, at most 1 MHz");
    if (!(bt >= 0.2 && bt <= 5)) fail_input("parameter bandwidth_time: 0.2 to 5 are possible");
    if (!(ramp >= 0 && ramp <= 50e-6)) fail_input("parameter ramp: 0 s to 50 us are possible");
    const Bits bits = packet_bits(p);
    const double length = static_cast<double>(bits.size()) / gfsk::bit_rate_hz;
    if (interval < length + 2 * ramp + 20e-6)
        fail_input("parameter interval: a packet takes " + format({length, Unit::second}, 4));
    const double samples = std::round(interval * rate);
    if (samples > 1 << 24) fail_input("parameter interval: makes more than 16777216 samples");
    const auto count = static_cast<std::size_t>(samples);
    std::vector<std::complex<float>> out(count);
    // The frequency response of the filter falls to 3 dB at bt bit rates: in time a bell of this width.
    const double sigma = std::sqrt(std::numbers::ln2) / (2 * std::numbers::pi * bt);
    const PhaseOf phase(bits, sigma);
    const double begin = ramp + 10e-6;
    for (std::size_t n = 0; n < count; ++n) {
        const double t = static_cast<double>(n) / rate - begin;
        if (t < -ramp || t > length + ramp) continue;
        const double outside = t < 0 ? -t : std::max(0.0, t - length);
        const double amplitude = ramp > 0 ? 0.5 * (1 + std::cos(std::numbers::pi * outside / ramp)) : 1;
        const double share = std::clamp(t, 0.0, length) / length;
        const double cycles = deviation / gfsk::bit_rate_hz * phase(t * gfsk::bit_rate_hz) +
                              drift * (0.5 * share * share * length + std::max(0.0, t - length));
        const double angle = 2 * std::numbers::pi * cycles;
        out[n] = {static_cast<float>(amplitude * std::cos(angle)),
                  static_cast<float>(amplitude * std::sin(angle))};
    }
    MadeSignal made;
    made.turn = iq_in_memory(std::move(out), rate);
    made.is.push_back({"packet", {length, Unit::second}, {}});
    made.is.push_back({"turn", {samples / rate, Unit::second}, {}});
    return made;
}

}  // namespace

SignalKind short_range_packets() {
    return {
        "short-range.packets",
        "Packets of Bluetooth LE",
        "One packet at 1 Mbit/s again and again: of the standard's tests, or an advertising packet of one "
        "channel. Gaussian frequency shift keying by its closed form. The level of a generator that plays it "
        "is that of the packet.",
        packets_parameters,
        true,
        false,
        make_packets};
}

}  // namespace rt
