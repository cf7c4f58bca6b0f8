// cellular.lte-uplink: modulation quality of an LTE uplink.
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/cellular/uplink_outcome.hpp"

namespace rt {
namespace {

using cellular::UplinkFormat;

constexpr auto lte_parameters = joined(
    std::array{
        ParameterInfo{"channel_bandwidth", ParameterKind::quantity, Unit::hertz, "20 MHz",
                      "of the channel: 1.4, 3, 5, 10, 15 or 20 MHz"},
        ParameterInfo{"cell", ParameterKind::number_from_0, Unit::none, "0",
                      "physical cell identity that the unit was told, 0 to 503"},
        ParameterInfo{"modulation", ParameterKind::choice, Unit::none, "qpsk", "of the data",
                      "qpsk 16qam 64qam"},
        ParameterInfo{"cyclic_shift", ParameterKind::number_from_0, Unit::none, "0",
                      "of the reference signals: n_DMRS(1) + n_DMRS(2)"},
        ParameterInfo{"delta_ss", ParameterKind::number_from_0, Unit::none, "0",
                      "offset of the sequence group, 0 to 29"},
    },
    cellular::uplink_rows,
    std::array{ParameterInfo{"sample_rate", ParameterKind::quantity, Unit::hertz, "30.72 MHz",
                             "complex samples per second that the analyser records"},
               ParameterInfo{"duration", ParameterKind::quantity, Unit::second, "11 ms",
                             "how long the analyser records; a frame takes 10 ms"},
               iq_reference_parameter},
    part_rows);

struct Width {
    double mhz, window;  // share of the prefix (TS 36.101 annex F.5)
};
constexpr std::array widths{Width{1.4, 5.0 / 9},  Width{3, 12.0 / 18},    Width{5, 32.0 / 36},
                            Width{10, 66.0 / 72}, Width{15, 102.0 / 108}, Width{20, 136.0 / 144}};

const Width& width_of(const Parameters& p) {
    for (const auto& width : widths)
        if (std::abs(width.mhz * 1e6 - p.required("channel_bandwidth")) < 1) return width;
    fail_input("parameter channel_bandwidth: write 1.4, 3, 5, 10, 15 or 20 MHz");
}

UplinkFormat lte_stated(const Parameters& p) {
    UplinkFormat out;
    out.carrier_blocks = *blocks_of(out.technology, width_of(p).mhz * 1e6, out.spacing_hz);
    out.modulation = cellular::modulation_named(p.text("modulation"));
    out.identity = static_cast<unsigned>(p.required("cell"));
    out.cyclic_shift = static_cast<unsigned>(p.required("cyclic_shift")) % 12;
    out.shift_of_groups = static_cast<unsigned>(p.required("delta_ss")) % 30;
    cellular::set_blocks(out, p);
    cellular::require_channel(out.technology, out.spacing_hz, width_of(p).mhz * 1e6, p);
    return out;
}

CaptureSetup lte_setup(const Parameters& p) {
    lte_stated(p);
    return iq_setup(p);
}

Outcome measure_lte(Capture any, const Parameters& p) {
    const UplinkFormat format = lte_stated(p);
    IqRecord record = take_iq(std::move(any), "cellular.lte-uplink", p);
    return cellular::uplink_outcome(std::move(record), format, width_of(p).window, p, 0.0);
}

}  // namespace

// Error vector magnitude, frequency error, leakage, in-band emissions and flatness of a physical uplink
// shared channel (TS 36.521-1 clause 6.5, TS 36.101 annex F; signal of TS 36.211 clause 5). Normal prefix, no
// hopping of groups or sequences. Complex samples.
Procedure lte_uplink() {
    return {
        "cellular.lte-uplink",
        "Modulation of an LTE uplink",
        "Finds slots by cyclic prefixes and reference signals, removes carrier and clock offset, fits one "
        "complex gain for each subcarrier and slot to reference signals and data by least squares, takes "
        "what stands at the carrier away, and compares data with the nearest points. A signal of another "
        "cell, allocation or modulation than stated gives no result.",
        lte_parameters,
        cellular::uplink_traces,
        cellular::uplink_products,
        lte_setup,
        measure_lte,
        preset_named};
}

}  // namespace rt
