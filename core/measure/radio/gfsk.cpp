// radio.gfsk: modulation of Bluetooth LE transmitters, 1 Msymbol/s.
#include "core/measure/procedure.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <array>
#include <charconv>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/hex.hpp"
#include "core/base/text.hpp"
#include "core/dsp/channel.hpp"
#include "core/dsp/parallel.hpp"
#include "core/measure/burst_samples.hpp"
#include "core/measure/radio/gfsk/alternation.hpp"
#include "core/measure/radio/gfsk/demodulate.hpp"
#include "core/short_range/packet.hpp"

namespace rt {
namespace {

constexpr auto gfsk_parameters = joined(
    std::array{
        iq_centre_parameter,
        ParameterInfo{"measurement_bandwidth", ParameterKind::quantity, Unit::hertz, "4 MHz",
                      "width of the filter before the frequency is measured"},
        ParameterInfo{"access_address", ParameterKind::text, Unit::none, "71764129",
                      "access address, eight hexadecimal digits; that of test packets by default"},
        ParameterInfo{"crc_initial", ParameterKind::text, Unit::none, "555555",
                      "initial value of the CRC, six hexadecimal digits"},
    },
    trigger_rows,
    std::array{
        ParameterInfo{"sample_rate", ParameterKind::quantity, Unit::hertz, "16 MHz",
                      "complex samples per second that the analyser records"},
    },
    iq_part_rows);

constexpr std::array gfsk_traces{
    Product{"frequency", Unit::hertz, "frequency against time of the first packet"},
    Product{"power", Unit::dbm, "highest power of each piece of time"},
};
constexpr std::array gfsk_products{
    Product{"delta_f1_avg", Unit::hertz, "mean deviation of payloads 11110000"},
    Product{"delta_f2_avg", Unit::hertz, "mean of the largest deviations of payloads 10101010"},
    Product{"delta_f2_most", Unit::hertz, "deviation that 99.9 % of the bits of payloads 10101010 reach"},
    Product{"delta_f2_min", Unit::hertz, "smallest of these deviations"},
    Product{"delta_f2_share", Unit::percent,
            "share of these deviations that reach 185 kHz; 99.9 % are asked for"},
    Product{"delta_f2_noise", Unit::hertz, "standard deviation that noise gives to each of these deviations"},
    Product{"deviation_ratio", Unit::none, "delta_f2_avg over delta_f1_avg"},
    Product{"frequency_offset", Unit::hertz,
            "carrier offset farthest from 0 over preamble and groups of ten bits"},
    Product{"preamble_offset", Unit::hertz, "carrier offset in the preamble, f0, farthest from 0"},
    Product{"drift", Unit::hertz, "largest difference between f0 and a group of the payload"},
    Product{"initial_drift", Unit::hertz, "largest difference between f0 and the first group"},
    Product{"drift_rate", Unit::hertz, "largest difference between groups five apart (50 us)"},
    Product{"average_power", Unit::dbm, "mean power from 20 % to 80 % of the packet, highest of all packets"},
    Product{"lowest_average_power", Unit::dbm, "the same, lowest of all packets"},
    Product{"peak_power", Unit::dbm, "highest power"},
    Product{"peak_to_average", Unit::db, "peak power over average power, largest of all packets"},
    Product{"packets", Unit::count, "packets found"},
    Product{"packets_bad_crc", Unit::count, "of these with a wrong CRC: nothing is measured on them"},
};

std::uint32_t hex_parameter(const Parameters& p, const char* name, std::size_t digits) {
    std::string text = p.text(name);
    if (text.starts_with("0x") || text.starts_with("0X")) text.erase(0, 2);
    std::uint32_t value = 0;
    const auto [end, error] = std::from_chars(text.data(), text.data() + text.size(), value, 16);
    if (error != std::errc{} || end != text.data() + text.size() || text.size() != digits) {
        fail_input("parameter " + std::string(name) + ": write " + std::to_string(digits) +
                   " hexadecimal digits");
    }
    return value;
}

struct Seen {
    Burst burst;
    double first_s = 0;
    double average = 0, peak = 0;
    gfsk::Attempt attempt;
};

void measure_power(const BurstSamples& piece, double rate, Seen& seen) {
    const double length = seen.burst.length_s();
    const auto at = [&](double share) {
        return static_cast<std::size_t>(
            std::max(0.0, (seen.burst.start_s + share * length - piece.first_s) * rate));
    };
    const std::size_t from = at(0.2), to = std::min(at(0.8), piece.samples.size());
    double sum = 0;
    for (std::size_t i = from; i < to; ++i) sum += std::norm(std::complex<double>(piece.samples[i]));
    seen.average = sum / static_cast<double>(std::max<std::size_t>(to - std::min(from, to), 1));
    for (const auto& x : piece.samples) seen.peak = std::max(seen.peak, std::norm(std::complex<double>(x)));
}

// What all packets together come to.
struct Sum {
    std::vector<double> f1;
    gfsk::Alternation f2;
    double offset = 0, preamble = 0, drift = 0, initial = 0, rate = 0;
    bool groups = false;

    void add(const gfsk::Packet& packet) {
        preamble = farther(preamble, packet.preamble_offset_hz);
        offset = farther(offset, packet.preamble_offset_hz);
        // Payloads: 1 is 11110000, 6 is 00001111, 2 is 10101010, 7 is 01010101 in sending order.
        if (packet.type == 1 || packet.type == 6) {
            const auto seen = gfsk::deviations_of_runs(packet);
            f1.insert(f1.end(), seen.begin(), seen.end());
        }
        if (packet.type != 2 && packet.type != 7) return;
        f2.add(packet);
        const auto group = gfsk::group_frequencies(packet);
        for (std::size_t i = 0; i < group.size(); ++i) {
            groups = true;
            offset = farther(offset, group[i]);
            drift = farther(drift, group[i] - packet.preamble_offset_hz);
            if (i >= 5) rate = farther(rate, group[i] - group[i - 5]);
        }
        if (!group.empty()) initial = farther(initial, group.front() - packet.preamble_offset_hz);
    }

    // The least of many deviations lies low by noise alone: of thousand by 3.1 of its standard deviations in
    // the mean, of all some more. Where that can be what keeps them below the limit, they are least values.
    void report_spread(std::vector<double> sorted, Outcome& outcome) const {
        constexpr double least_hz = 185e3;  // RF-PHY test suite, 1 Msymbol/s
        constexpr double asked_percent = 99.9, deviations = 4;
        std::sort(sorted.begin(), sorted.end());
        const auto count = static_cast<double>(sorted.size());
        const double noise = f2.noise();
        const auto known = [&](double value, double shift) {
            return value < least_hz && value + shift >= least_hz ? Known::at_least : Known::exactly;
        };
        const double most = sorted[sorted.size() / 1000];
        const auto below =
            static_cast<double>(std::lower_bound(sorted.begin(), sorted.end(), least_hz) - sorted.begin());
        const double share = 100 - 100 * below / count;
        const Known most_known = known(most, deviations * noise);
        outcome.add("delta_f2_most", most, Unit::hertz, most_known);
        outcome.add("delta_f2_min", sorted.front(), Unit::hertz,
                    known(sorted.front(), (deviations + 1) * noise));
        outcome.add("delta_f2_share", share, Unit::percent,
                    share < asked_percent ? most_known : Known::exactly);
        outcome.add("delta_f2_noise", noise, Unit::hertz);
        if (most_known == Known::at_least) {
            outcome.notes.push_back(
                "noise gives each delta f2 a standard deviation of " + format({noise, Unit::hertz}, 3) +
                ": that alone can be why some stay below 185 kHz; measure with less noise");
        }
    }

    void report(Outcome& outcome) const {
        const auto mean = [](const std::vector<double>& values) {
            double sum = 0;
            for (const double v : values) sum += v;
            return sum / static_cast<double>(values.size());
        };
        const auto alternating_deviations = f2.deviations();
        if (!f1.empty()) outcome.add("delta_f1_avg", mean(f1), Unit::hertz);
        if (!f2.empty()) {
            outcome.add("delta_f2_avg", mean(alternating_deviations), Unit::hertz);
            report_spread(alternating_deviations, outcome);
        }
        if (!f1.empty() && !f2.empty())
            outcome.add("deviation_ratio", mean(alternating_deviations) / mean(f1), Unit::none);
        outcome.add("frequency_offset", offset, Unit::hertz);
        outcome.add("preamble_offset", preamble, Unit::hertz);
        if (groups) {
            outcome.add("drift", drift, Unit::hertz);
            outcome.add("initial_drift", initial, Unit::hertz);
            outcome.add("drift_rate", rate, Unit::hertz);
        } else {
            outcome.notes.push_back("drift is measured on payloads 10101010 only: none was in the record");
        }
    }
};

Trace frequency_trace(const gfsk::Packet& packet) {
    Trace trace;
    trace.name = "frequency";
    trace.title = "Frequency";
    trace.x_unit = Unit::second;
    trace.x_title = "Time in the packet";
    trace.y_unit = Unit::hertz;
    for (std::size_t i = 0; i < packet.frequency_hz.size(); i += 4) {
        trace.x.push_back(static_cast<double>(i) / gfsk::per_bit / gfsk::bit_rate_hz);
        trace.y.push_back(packet.frequency_hz[i]);
    }
    return trace;
}

// What the packets of a record come to together.
class PacketSums {
  public:
    explicit PacketSums(const IqRecord& record) : record_(record) {
        table_.name = "packets", table_.title = "Packets";
        table_.columns = {{"start", Unit::second},
                          {"payload_type"},
                          {"octets", Unit::count},
                          {"preamble_offset", Unit::hertz},
                          {"power", level_of(record, 1).unit},
                          {"crc"},
                          {"octets_hex"}};
    }

    void add(const Seen& seen) {
        if (!seen.attempt.packet) return;
        const auto& packet = *seen.attempt.packet;
        bad_ += !packet.crc_ok;
        // What does not check may be another's packet, or one that was disturbed.
        if (packet.crc_ok) {
            if (!first_) first_ = &packet;
            sum_.add(packet);
            highest_ = std::max(highest_, seen.average);
            lowest_ = std::min(lowest_, seen.average);
            peak_ = std::max(peak_, seen.peak);
            crest_ = std::max(crest_, seen.peak / seen.average);
        }
        table_.rows.push_back({record_.from_s + seen.first_s + packet.start_s, std::to_string(packet.type),
                               static_cast<double>(packet.payload.size()), packet.preamble_offset_hz,
                               level_of(record_, seen.average).value,
                               std::string(packet.crc_ok ? "good" : "bad"), hexadecimal(packet.payload)});
    }

    const gfsk::Packet* first() const { return first_; }

    // Why nothing was measured.
    std::string why_none_of(const std::vector<Seen>& all) const {
        if (bad_ == 0) return why_none(all);
        return "all " + std::to_string(bad_) +
               " packets have a wrong CRC: disturbed, another's, or crc_initial is not theirs";
    }

    void report(std::size_t bursts, Outcome& outcome) const {
        sum_.report(outcome);
        outcome.results.push_back({"average_power", level_of(record_, highest_), {}});
        outcome.results.push_back({"lowest_average_power", level_of(record_, lowest_), {}});
        outcome.results.push_back({"peak_power", level_of(record_, peak_), {}});
        outcome.add("peak_to_average", 10 * std::log10(crest_), Unit::db);
        const std::size_t packets = table_.rows.size();
        outcome.add("packets", static_cast<double>(packets), Unit::count);
        outcome.add("packets_bad_crc", static_cast<double>(bad_), Unit::count);
        note_left_out(bursts - packets, bursts, "packets", outcome);
        if (bad_ > 0) {
            outcome.notes.push_back(
                fmt::format("{} of {} packets have a wrong CRC and were left out", bad_, packets));
        }
        if (const auto measured = packets - bad_; measured < 10) {
            outcome.notes.push_back(std::to_string(measured) +
                                    " packets were measured, the test suite asks for 10 of each payload");
        }
    }

    Table take_table() { return std::move(table_); }

  private:
    const IqRecord& record_;
    const gfsk::Packet* first_ = nullptr;
    Sum sum_;
    double highest_ = 0, lowest_ = 1e300, peak_ = 0, crest_ = 0;
    std::size_t bad_ = 0;
    Table table_;
};

Outcome measure_gfsk(Capture any, const Parameters& p) {
    const IqRecord record = take_iq(std::move(any), "radio.gfsk", p);
    if (record.sample_rate_hz < 4e6) {
        fail_input("GFSK at 1 Mbit/s needs at least 4 million samples a second, the record has " +
                   format({record.sample_rate_hz, Unit::hertz}));
    }
    const double shift = p.number("centre").value_or(record.centre_hz) - record.centre_hz;
    require_inside(record, shift);
    const auto address = hex_parameter(p, "access_address", 8), initial = hex_parameter(p, "crc_initial", 6);
    // Neighbours 2 MHz beside and noise beyond the channel do not reach the trigger.
    const BurstList list = bursts_of(channel_of(record, shift, {0.9e6, 0.7e6}), p);
    std::vector<Seen> all;
    for (const auto& burst : list.bursts) all.push_back({burst, 0, 0, 0, {}});
    in_parallel(all.size(), [&](std::size_t i) {
        const auto piece = burst_samples(record, all[i].burst, 6e-6, shift);
        all[i].first_s = piece.first_s;
        measure_power(piece, record.sample_rate_hz, all[i]);
        all[i].attempt = gfsk::demodulate(piece.samples, record.sample_rate_hz,
                                          p.required("measurement_bandwidth"), address, initial);
    });
    PacketSums sums(record);
    for (const auto& seen : all) sums.add(seen);
    Outcome outcome;
    if (!sums.first()) {
        outcome.traces.push_back(power_trace(record));
        outcome.invalid = sums.why_none_of(all);
        return outcome;
    }
    sums.report(all.size(), outcome);
    outcome.traces.push_back(frequency_trace(*sums.first()));
    outcome.traces.push_back(power_trace(record));
    outcome.tables.push_back(sums.take_table());
    note_reference(record, outcome);
    return outcome;
}

constexpr std::array gfsk_inputs{InputInfo{"delta_f1", "packets with the payload 11110000, or with any"},
                                 InputInfo{"delta_f2", "packets with the payload 10101010", false}};

// Packets of both records count together: the ratio of the two deviations needs both payloads.
Outcome measure_both(Inputs inputs, const Parameters& p) {
    if (inputs.all().size() == 1) return measure_gfsk(inputs.take_first(), p);
    if (p.stated("from") || p.stated("to"))
        fail_input("parameters from and to name a part of one record, not of several");
    std::vector<IqRecord> records;
    for (const auto& input : inputs.all()) records.push_back(take<IqRecord>(input.capture, "radio.gfsk"));
    return measure_gfsk(joined(records), p);
}

}  // namespace

// Frequency deviation, carrier offset and drift of test packets, and their power, after the RF-PHY test suite
// (modulation characteristics, carrier frequency offset and drift, output power). Tables `packets`; traces
// `frequency`, `power`.
Procedure gfsk_modulation() {
    return {"radio.gfsk",
            "Modulation of a Bluetooth LE transmitter, 1 Msymbol/s",
            "Deviation (delta f1 of payloads 11110000, delta f2 of 10101010), carrier offset, drift and "
            "power of test "
            "packets, after the RF-PHY test suite. Refuses when no burst holds the access address.",
            gfsk_parameters,
            gfsk_traces,
            gfsk_products,
            iq_setup,
            nullptr,
            preset_named,
            nullptr,
            true,
            gfsk_inputs,
            measure_both};
}

}  // namespace rt
