// cellular.nr-uplink: modulation quality of an NR uplink.
#include <fmt/core.h>

#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/cellular/uplink_outcome.hpp"

namespace rt {
namespace {

using cellular::UplinkFormat;

constexpr auto nr_parameters = joined(
    std::array{
        ParameterInfo{"channel_bandwidth", ParameterKind::quantity, Unit::hertz, "20 MHz",
                      "of the channel: 5 to 100 MHz"},
        ParameterInfo{"subcarrier_spacing", ParameterKind::quantity, Unit::hertz, "30 kHz",
                      "15, 30 or 60 kHz"},
        ParameterInfo{"identity", ParameterKind::number_from_0, Unit::none, "0",
                      "scrambling identity of the reference signals, 0 to 65535: the physical cell's without "
                      "another one"},
        ParameterInfo{"modulation", ParameterKind::choice, Unit::none, "qpsk", "of the data",
                      "pi/2-bpsk qpsk 16qam 64qam 256qam"},
        ParameterInfo{"precoding", ParameterKind::choice, Unit::none, "off",
                      "transform precoding: off is CP-OFDM, on DFT-s-OFDM", "off on"},
        ParameterInfo{"reference_symbols", ParameterKind::text, Unit::none, "2",
                      "symbols with reference signals: 2 or 3, and further ones, as in \"2 7 11\""},
        ParameterInfo{"port", ParameterKind::number_from_0, Unit::none, "0", "antenna port of them, 0 to 3"},
        ParameterInfo{"scrambling", ParameterKind::number_from_0, Unit::none, "0", "n_SCID: 0 or 1"},
        ParameterInfo{"groups_without_data", ParameterKind::whole_number, Unit::none, "2",
                      "groups of subcarriers that carry no data in these symbols: with 2 of them reference "
                      "signals are 3 dB stronger"},
        ParameterInfo{"grid_start", ParameterKind::number_from_0, Unit::none, "0",
                      "first block of the carrier, from common resource block 0"},
        ParameterInfo{
            "up_conversion", ParameterKind::text, Unit::none, "found",
            "the carrier that symbols are turned for: carrier is the one meant, as at a transmitter; none is "
            "what samples before that have; found takes which of both fits; or a frequency, \"3.6 GHz\""},
    },
    cellular::uplink_rows,
    std::array{ParameterInfo{"sample_rate", ParameterKind::quantity, Unit::hertz, "122.88 MHz",
                             "complex samples per second that the analyser records"},
               ParameterInfo{"duration", ParameterKind::quantity, Unit::second, "11 ms",
                             "how long the analyser records; a frame takes 10 ms"},
               iq_reference_parameter},
    part_rows);

std::vector<std::size_t> symbols_in(const std::string& text) {
    std::vector<std::size_t> out;
    const auto refuse = [&] {
        fail_input("parameter reference_symbols: write 2 or 3, and further ones above it up to 13, not \"" +
                   text + "\"");
    };
    std::size_t at = 0;
    while (at < text.size()) {
        if (text[at] == ' ' || text[at] == ',') {
            ++at;
            continue;
        }
        std::size_t end = at;
        while (end < text.size() && text[end] >= '0' && text[end] <= '9') ++end;
        if (end == at || end - at > 2) refuse();
        out.push_back(static_cast<std::size_t>(std::stoul(text.substr(at, end - at))));
        if (out.back() > 13 || (out.size() > 1 && out.back() <= out[out.size() - 2])) refuse();
        at = end;
    }
    if (out.empty() || out[0] < 2 || out[0] > 3) refuse();
    return out;
}

UplinkFormat nr_stated(const Parameters& p) {
    UplinkFormat out;
    out.technology = cellular::Technology::nr;
    out.spacing_hz = p.required("subcarrier_spacing");
    const double width = p.required("channel_bandwidth");
    const auto blocks = blocks_of(out.technology, width, out.spacing_hz);
    if (!blocks)
        fail_input(
            fmt::format("parameters channel_bandwidth and subcarrier_spacing: there are no channels of {:g} "
                        "MHz with {:g} kHz",
                        width / 1e6, out.spacing_hz / 1e3));
    out.carrier_blocks = *blocks;
    out.modulation = cellular::modulation_named(p.text("modulation"));
    out.precoded = p.text("precoding") == "on";
    out.identity = static_cast<unsigned>(p.required("identity"));
    out.reference_symbols = symbols_in(p.text("reference_symbols"));
    out.port = static_cast<unsigned>(p.required("port"));
    out.scrambling = static_cast<unsigned>(p.required("scrambling"));
    out.groups_without_data = static_cast<unsigned>(p.required("groups_without_data"));
    out.grid_start = static_cast<std::size_t>(p.required("grid_start"));
    if (out.scrambling > 1) fail_input("parameter scrambling: write 0 or 1");
    if (out.groups_without_data > 2) fail_input("parameter groups_without_data: write 1 or 2");
    if (out.grid_start > 2200) fail_input("parameter grid_start: write 0 to 2199");
    cellular::set_blocks(out, p);
    cellular::require_channel(out.technology, out.spacing_hz, width, p);
    return out;
}

CaptureSetup nr_setup(const Parameters& p) {
    nr_stated(p);
    return iq_setup(p);
}

Outcome measure_nr(Capture any, const Parameters& p) {
    const UplinkFormat format = nr_stated(p);
    IqRecord record = take_iq(std::move(any), "cellular.nr-uplink", p);
    const std::string turned = p.text("up_conversion");
    std::optional<double> hz;
    if (turned == "none") {
        hz = 0;
    } else if (turned == "carrier") {
        hz = p.number("centre").value_or(record.centre_hz);
    } else if (turned != "found") {
        try {
            hz = parse_quantity(turned, Unit::hertz).value;
        } catch (const Error&) {
            fail_input("parameter up_conversion: write found, carrier, none or a frequency, not \"" + turned +
                       "\"");
        }
    }
    constexpr double window = 0.5;  // of the prefix (TS 38.101-1 annex F.5)
    return cellular::uplink_outcome(std::move(record), format, window, p, hz);
}

}  // namespace

// The same as cellular.lte-uplink for a physical uplink shared channel of NR (TS 38.521-1 clause 6.4, TS
// 38.101-1 annex F; signal of TS 38.211 clauses 5 and 6): mapping type A over whole slots, reference signals
// of type 1 in single symbols. Complex samples.
Procedure nr_uplink() {
    return {
        "cellular.nr-uplink",
        "Modulation of an NR uplink",
        "As cellular.lte-uplink, for CP-OFDM and DFT-s-OFDM at 15, 30 and 60 kHz. What stands at the carrier "
        "may lie on a subcarrier with data: both are fitted to it. A signal of another identity, numerology, "
        "allocation or modulation than stated gives no result.",
        nr_parameters,
        cellular::uplink_traces,
        cellular::uplink_products,
        nr_setup,
        measure_nr,
        preset_named};
}

}  // namespace rt
