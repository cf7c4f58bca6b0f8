#include "core/measure/receiver/error_rate.hpp"

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
    Product{"bit_error_ratio", Unit::none, "wrong bits, of those compared; only when bits were compared"},
    Product{"packets_sent", Unit::count, "packets sent"},
    Product{"packets_received", Unit::count, "packets received intact"},
};

CaptureSetup error_rate_setup(const Parameters& p) {
    const double packets = p.required("packets"), time = p.required("packet_time");
    const double confidence = p.required("confidence");
    if (packets < 1 || packets > 1e9) fail_input("parameter packets: must be 1 to 1000000000");
    if (!(time >= 0)) fail_input("parameter packet_time: cannot be negative");
    if (!(confidence > 0 && confidence < 100)) {
        fail_input("parameter confidence: must be above 0 % and below 100 %");
    }
    return CountSetup{static_cast<std::uint64_t>(packets), time};
}

Outcome measure_error_rate(Capture capture, const Parameters& p) {
    const auto* counts = std::get_if<Counts>(&capture);
    if (!counts) {
        fail_input(std::string("receiver.error-rate needs counts, the capture holds ") + kind_name(capture));
    }
    require_valid(*counts, "");
    Outcome outcome;
    if (counts->packets_sent == 0) {
        outcome.invalid = "no packets were sent";
        return outcome;
    }
    const std::uint64_t lost = counts->packets_sent - counts->packets_received;
    const auto percent = [](double ratio) { return Quantity{100 * ratio, Unit::percent}; };
    const auto counted = [](std::uint64_t n) { return Quantity{static_cast<double>(n), Unit::count}; };
    const Interval interval = proportion_interval(lost, counts->packets_sent, p.required("confidence") / 100);
    outcome.results.push_back({"packet_error_ratio",
                               percent(static_cast<double>(lost) / static_cast<double>(counts->packets_sent)),
                               {}});
    outcome.results.push_back({"packet_error_low", percent(interval.low), {}});
    outcome.results.push_back({"packet_error_high", percent(interval.high), {}});
    if (counts->bits > 0) {
        outcome.results.push_back(
            {"bit_error_ratio",
             {static_cast<double>(counts->bit_errors) / static_cast<double>(counts->bits), Unit::none},
             {}});
    }
    outcome.results.push_back({"packets_sent", counted(counts->packets_sent), {}});
    outcome.results.push_back({"packets_received", counted(counts->packets_received), {}});
    return outcome;
}

}  // namespace

Procedure error_rate() {
    return {"receiver.error-rate",
            "Packet and bit errors",
            "Counts packets that were sent and did not arrive intact. The interval of the ratio is that of "
            "Clopper and Pearson. Judged is the ratio itself, as standards state their limits.",
            error_rate_parameters,
            {},
            error_rate_products,
            error_rate_setup,
            measure_error_rate,
            preset_named};
}

}  // namespace rt
