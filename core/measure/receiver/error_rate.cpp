// receiver.error-rate: packets lost and bits wrong, counted over a link.
#include "core/measure/procedure.hpp"

#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/stats/proportion.hpp"

namespace rt {
namespace {

constexpr std::array error_rate_parameters{
    ParameterInfo{"packets", ParameterKind::whole_number, Unit::none, "1000", "packets sent for one point"},
    ParameterInfo{"packet_time", ParameterKind::quantity, Unit::second, "1 ms",
                  "time a packet needs; only for estimates of time"},
    ParameterInfo{"confidence", ParameterKind::quantity, Unit::percent, "95 %",
                  "of the stated interval of the error ratio"},
};
constexpr std::array error_rate_products{
    Product{"packet_error_ratio", Unit::percent, "packets lost or damaged, of those sent", Trend::falling},
    Product{"packet_error_low", Unit::percent, "lower end of its interval"},
    Product{"packet_error_high", Unit::percent, "upper end of its interval"},
    Product{"packet_error_at_most", Unit::percent, "one-sided upper bound at the same confidence"},
    Product{"bit_error_ratio", Unit::none, "wrong bits, of those compared; only when bits were compared"},
    Product{"bit_error_low", Unit::none, "lower end of its interval"},
    Product{"bit_error_high", Unit::none, "upper end of its interval"},
    Product{"bit_error_at_most", Unit::none, "one-sided upper bound at the same confidence"},
    Product{"packets_sent", Unit::count, "packets sent"},
    Product{"packets_received", Unit::count, "packets received intact"},
    Product{"bits", Unit::count, "bits compared"},
    Product{"bit_errors", Unit::count, "bits that were wrong"},
};

void require_confidence(double percent) {
    if (!(percent > 0 && percent < 100))
        fail_input("parameter confidence: must be above 0 % and below 100 %");
}

// The ratio with its interval and the one-sided bound.
void add_ratio(Outcome& outcome, const std::string& name, std::uint64_t events, std::uint64_t trials,
               double confidence, double scale, Unit unit) {
    const auto add = [&](const char* ending, double value) {
        outcome.results.push_back({name + ending, {scale * value, unit}, {}});
    };
    const Interval both = proportion_interval(events, trials, confidence);
    add("_ratio", static_cast<double>(events) / static_cast<double>(trials));
    add("_low", both.low);
    add("_high", both.high);
    add("_at_most", proportion_upper_bound(events, trials, confidence));
}

CaptureSetup error_rate_setup(const Parameters& p) {
    const double packets = p.required("packets"), time = p.required("packet_time");
    const double confidence = p.required("confidence");
    if (packets < 1 || packets > 1e9) fail_input("parameter packets: must be 1 to 1000000000");
    if (!(time >= 0)) fail_input("parameter packet_time: cannot be negative");
    require_confidence(confidence);
    return CountSetup{static_cast<std::uint64_t>(packets), time};
}

Outcome measure_error_rate(Capture capture, const Parameters& p) {
    const Counts counts = take<Counts>(std::move(capture), "receiver.error-rate");
    require_valid(counts, "");
    Outcome outcome;
    if (counts.packets_sent == 0 && counts.bits == 0) {
        outcome.invalid = "nothing was counted: no packets were sent and no bits compared";
        return outcome;
    }
    const double confidence = p.required("confidence");
    require_confidence(confidence);
    if (counts.packets_sent > 0) {
        const std::uint64_t lost = counts.packets_sent - counts.packets_received;
        add_ratio(outcome, "packet_error", lost, counts.packets_sent, confidence / 100, 100, Unit::percent);
    }
    if (counts.bits > 0)
        add_ratio(outcome, "bit_error", counts.bit_errors, counts.bits, confidence / 100, 1, Unit::none);
    const auto counted = [&](const char* name, std::uint64_t n) {
        outcome.add(name, static_cast<double>(n), Unit::count);
    };
    if (counts.packets_sent > 0) {
        counted("packets_sent", counts.packets_sent);
        counted("packets_received", counts.packets_received);
    }
    if (counts.bits > 0) {
        counted("bits", counts.bits);
        counted("bit_errors", counts.bit_errors);
    }
    return outcome;
}

}  // namespace

Procedure error_rate() {
    return {"receiver.error-rate",
            "Packet and bit errors",
            "Counts packets that were sent and did not arrive intact. The interval of the ratio is that of "
            "Clopper and Pearson. Judged is the ratio itself, as standards state their limits; a rule may "
            "judge the "
            "one-sided bound instead.",
            error_rate_parameters,
            {},
            error_rate_products,
            error_rate_setup,
            measure_error_rate,
            preset_named};
}

}  // namespace rt
