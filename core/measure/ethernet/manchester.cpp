// ethernet.manchester: levels, harmonics, jitter and the end of packets of 10BASE-T.
#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/source.hpp"
#include "core/stats/spread.hpp"

namespace rt {
namespace {

constexpr auto manchester_parameters = joined(
    std::array{
        ParameterInfo{"bit_rate", ParameterKind::quantity, Unit::hertz, "10 MHz", "bits a second"},
        ParameterInfo{"end_level", ParameterKind::quantity, Unit::volt, "585 mV",
                      "below it the positive level behind the last bit is over"},
    },
    signal_rows);

constexpr std::array manchester_traces{
    Product{"deviation", Unit::second, "crossings 8 and 8.5 bits behind each other, from where they belong"}};
constexpr std::array manchester_products{
    Product{"peak_positive", Unit::volt, "highest voltage"},
    Product{"peak_negative", Unit::volt, "lowest voltage, as a positive number"},
    Product{"least_peak", Unit::volt, "the smaller of both"},
    Product{"greatest_peak", Unit::volt, "the greater of both"},
    Product{"harmonics", Unit::db,
            "strongest harmonic of a signal of all ones (or zeros), over its fundamental; only of such"},
    Product{"edge_jitter", Unit::second,
            "crossing 8 or 8.5 bits behind another from where it belongs, farthest either way"},
    Product{"measured_rate", Unit::hertz, "bit rate, best fit over each packet, mean"},
    Product{"rate_error", Unit::ppm, "its deviation from bit_rate"},
    Product{"end_length", Unit::second,
            "shortest positive level behind the last bit of a packet, from the last transition"},
    Product{"packets", Unit::count, "stretches of bits with nothing between them"},
    Product{"edges", Unit::count, "zero crossings"},
};

// A stretch of crossings with no more than a bit and a half between them.
struct Packet {
    std::size_t first, last;
};

std::vector<Packet> packets_of(const std::vector<double>& at, double bit_s) {
    std::vector<Packet> out;
    for (std::size_t k = 0; k < at.size(); ++k) {
        if (out.empty() || at[k] - at[k - 1] > 1.5 * bit_s)
            out.push_back({k, k});
        else
            out.back().last = k;
    }
    std::erase_if(out, [](const Packet& p) { return p.last - p.first < 15; });
    return out;
}

// Halves of bits between neighbours: one or two.
void require_manchester(const std::vector<double>& at, const std::vector<Packet>& packets, double bit_s) {
    std::size_t wrong = 0, all = 0;
    for (const auto& packet : packets) {
        for (std::size_t k = packet.first; k < packet.last; ++k, ++all) {
            const double halves = (at[k + 1] - at[k]) / (bit_s / 2);
            const double whole = std::round(halves);
            wrong += whole < 1 || whole > 2 || std::abs(halves - whole) > 0.35;
        }
    }
    if (static_cast<double>(wrong) > 0.02 * static_cast<double>(all))
        fail_signal(fmt::format(
            "this is no Manchester code of {}: {} of {} spacings are neither half a bit nor a whole one",
            format({1 / bit_s, Unit::hertz}), wrong, all));
}

// Amplitude of a frequency over part of the signal, by its sum; Hann's window.
double amplitude_at(const std::vector<double>& x, double cycles_per_sample) {
    std::complex<double> sum = 0;
    double weight = 0;
    for (std::size_t i = 0; i < x.size(); ++i) {
        const double w = 0.5 - 0.5 * std::cos(2 * std::numbers::pi * (static_cast<double>(i) + 0.5) /
                                              static_cast<double>(x.size()));
        const double phase = cycles_per_sample * static_cast<double>(i);
        sum += w * x[i] * std::polar(1.0, -2 * std::numbers::pi * (phase - std::floor(phase)));
        weight += w;
    }
    return 2 * std::abs(sum) / weight;
}

// Of a packet whose spacings are all half a bit.
void add_harmonics(const Signal& signal, const std::vector<double>& at, const std::vector<Packet>& packets,
                   double bit_s, double rate, Outcome& outcome) {
    constexpr std::size_t fewest = 100;
    const auto alike = [&](const Packet& p) {
        for (std::size_t k = p.first; k < p.last; ++k) {
            if (at[k + 1] - at[k] > 0.75 * bit_s) return false;
        }
        return p.last - p.first >= fewest;
    };
    const auto found = std::find_if(packets.begin(), packets.end(), alike);
    if (found == packets.end()) {
        outcome.lacking["harmonics"] = "no packet of at least 50 bits is all ones or all zeros";
        return;
    }
    const auto from = static_cast<std::uint64_t>(at[found->first + 2] / signal.step_s);
    const auto to = static_cast<std::uint64_t>(at[found->last - 2] / signal.step_s);
    constexpr std::uint64_t most = 1 << 20;
    std::vector<float> values(static_cast<std::size_t>(std::min(to - from, most)));
    signal.samples->read(from, values);
    const std::vector<double> x(values.begin(), values.end());
    const double cycles = rate * signal.step_s;
    if (cycles >= 0.25) {
        outcome.lacking["harmonics"] = "the sample rate shows no harmonic of the bit rate";
        return;
    }
    const double fundamental = amplitude_at(x, cycles);
    double strongest = 0;
    std::size_t seen = 1;
    for (; static_cast<double>(seen + 1) * cycles < 0.45 && seen < 20; ++seen)
        strongest = std::max(strongest, amplitude_at(x, static_cast<double>(seen + 1) * cycles));
    outcome.add("harmonics", 20 * std::log10(std::max(strongest, 1e-300) / fundamental), Unit::db);
    outcome.notes.push_back(
        fmt::format("harmonics: up to {}", format({static_cast<double>(seen) * rate, Unit::hertz}, 3)));
}

struct Deviations {
    Spread all;
    std::vector<double> times, values;
};

// Crossings 8 and 8.5 bits behind each one of the same packet.
Deviations deviations_of(const std::vector<double>& at, const std::vector<Packet>& packets, double bit_s) {
    Deviations out;
    constexpr std::size_t most_shown = 200000;
    for (const auto& packet : packets) {
        std::size_t next = packet.first;
        for (std::size_t k = packet.first; k <= packet.last; ++k) {
            for (const double bits : {8.0, 8.5}) {
                const double wanted = at[k] + bits * bit_s;
                for (next = std::max(next, k); next <= packet.last && at[next] < wanted - bit_s / 4;) ++next;
                if (next > packet.last || at[next] > wanted + bit_s / 4) continue;
                out.all.add(at[next] - wanted, at[next]);
                if (out.times.size() >= most_shown) continue;
                out.times.push_back(at[next]), out.values.push_back(at[next] - wanted);
            }
        }
    }
    return out;
}

// Behind the last crossing of a packet that rises: until the level falls below what counts as one.
void add_ends(const Signal& signal, const Edges& edges, const std::vector<double>& at,
              const std::vector<Packet>& packets, double bit_s, double level, Outcome& outcome) {
    double shortest = 1e300;
    for (const auto& packet : packets) {
        const bool more = packet.last + 1 < at.size();
        const double until = more ? at[packet.last + 1] : signal.seconds();
        if (!edges.rises(packet.last) || until - at[packet.last] < 1.5 * bit_s) continue;
        const auto from = static_cast<std::uint64_t>((at[packet.last] + 0.5 * bit_s) / signal.step_s);
        const auto to = std::min(
            signal.size(),
            static_cast<std::uint64_t>(std::min(until, at[packet.last] + 100 * bit_s) / signal.step_s) + 1);
        if (to <= from) continue;
        std::vector<float> values(static_cast<std::size_t>(to - from));
        signal.samples->read(from, values);
        const auto below = std::find_if(values.begin(), values.end(),
                                        [&](float v) { return static_cast<double>(v) < level; });
        if (below == values.end()) continue;  // the record ends before it does
        shortest =
            std::min(shortest, (static_cast<double>(from) + static_cast<double>(below - values.begin())) *
                                       signal.step_s -
                                   at[packet.last]);
    }
    if (shortest < 1e300)
        outcome.add("end_length", shortest, Unit::second);
    else
        outcome.lacking["end_length"] = "no packet ends in the record with a positive level";
}

Outcome measure_manchester(Capture any, const Parameters& p) {
    const Signal signal = signal_of(take_waveform(std::move(any), "ethernet.manchester"), p);
    const double wanted = p.required("bit_rate");
    if (!(wanted > 0)) fail_input("parameter bit_rate: must be above 0 Hz");
    const double bit_s = 1 / wanted;
    if (signal.step_s > bit_s / 8) fail_signal("the record has fewer than eight samples a bit");
    const Edges first = find_edges(*signal.samples, {0, 0});
    const double height =
        std::min(static_cast<double>(first.extent.high), -static_cast<double>(first.extent.low));
    if (!(height > 0)) fail_signal("the voltage stays on one side of zero");
    // Noise between packets is no crossing.
    const Edges edges = find_edges(*signal.samples, {0, 0.3 * height});
    std::vector<double> at;
    for (const double x : edges.at) at.push_back(x * signal.step_s);
    const auto packets = packets_of(at, bit_s);
    if (packets.empty()) fail_signal("no stretch of at least eight bits without a pause");
    require_manchester(at, packets, bit_s);
    Outcome out;
    Spread rates;
    std::size_t count = 0;
    for (const auto& packet : packets) {
        count += packet.last - packet.first + 1;
        const std::vector<double> own(at.begin() + static_cast<std::ptrdiff_t>(packet.first),
                                      at.begin() + static_cast<std::ptrdiff_t>(packet.last) + 1);
        ClockSettings settings;
        settings.rate_hz = 2 * wanted;
        rates.add(recover_clock(own, settings).rate_hz / 2, own.front());
    }
    const double rate = rates.mean();
    const double up = static_cast<double>(edges.extent.high), down = -static_cast<double>(edges.extent.low);
    out.add("peak_positive", up, Unit::volt), out.add("peak_negative", down, Unit::volt);
    out.add("least_peak", std::min(up, down), Unit::volt),
        out.add("greatest_peak", std::max(up, down), Unit::volt);
    add_harmonics(signal, at, packets, bit_s, rate, out);
    // From where they belong by the nominal clock: what the standard counts.
    Deviations deviations = deviations_of(at, packets, bit_s);
    constexpr std::size_t enough = 100;
    if (deviations.all.count >= enough)
        out.add("edge_jitter", std::max(std::abs(deviations.all.least), std::abs(deviations.all.greatest)),
                Unit::second);
    else
        out.lacking["edge_jitter"] =
            fmt::format("{} pairs of crossings, {} are needed", deviations.all.count, enough);
    out.add("measured_rate", rate, Unit::hertz);
    out.add("rate_error", (rate / wanted - 1) * 1e6, Unit::ppm);
    add_ends(signal, edges, at, packets, bit_s, p.required("end_level"), out);
    out.add("packets", static_cast<double>(packets.size()), Unit::count);
    out.add("edges", static_cast<double>(count), Unit::count);
    for (double& t : deviations.times) t += signal.from_s;
    out.traces.push_back(trace_over_time("deviation", "Crossings from where they belong", Unit::second,
                                         deviations.times, deviations.values));
    return out;
}

}  // namespace

Procedure ethernet_manchester() {
    return {"ethernet.manchester",
            "Levels, harmonics, jitter and ends of packets of 10BASE-T",
            "IEEE 802.3, 14.3.1.2: a Manchester-coded signal into 100 ohm. Jitter is that of zero crossings "
            "8 and 8.5 bits "
            "behind each other; harmonics need a packet of all ones. Refuses what is no Manchester code at "
            "the bit rate.",
            manchester_parameters,
            manchester_traces,
            manchester_products,
            waveform_setup,
            measure_manchester,
            preset_named};
}

}  // namespace rt
