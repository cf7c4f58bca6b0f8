#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/source.hpp"
#include "core/stats/spread.hpp"

namespace rt {
namespace {

constexpr auto droop_parameters = joined(
    std::array{
        ParameterInfo{
            "first", ParameterKind::quantity, Unit::second, "",
            "time after the zero crossing of the first value; without it the peak behind the crossing"},
        ParameterInfo{
            "second", ParameterKind::quantity, Unit::second, "500 ns",
            "time of the second value: after the zero crossing, or after the peak where first is not given"},
    },
    std::array{ParameterInfo{"expected", ParameterKind::choice, Unit::none, "any",
                             "what the line must send: anything with long runs, or even runs of both "
                             "polarities (a test mode for droop)",
                             "any even-runs"}},
    edge_rows, signal_rows);

constexpr std::array droop_traces{
    Product{"run", Unit::volt, "voltage around the run with the largest droop"}};
constexpr std::array droop_products{
    Product{"droop_positive", Unit::percent,
            "largest loss from the first to the second value, positive runs"},
    Product{"droop_negative", Unit::percent, "the same of negative runs"},
    Product{"runs", Unit::count, "runs that were long enough"},
};

struct Seen {
    double droop = 0;
    bool usable = false;
};

Seen droop_of(const SerialSource& source, std::size_t k, const std::optional<double>& first, double second) {
    const double step = source.signal.step_s, begin = source.edges_s[k];
    const double end = k + 1 < source.edges_s.size() ? source.edges_s[k + 1] : source.signal.seconds();
    const auto from = static_cast<std::uint64_t>(std::ceil(begin / step));
    const auto to = std::min(source.signal.size(), static_cast<std::uint64_t>(end / step) + 1);
    constexpr std::uint64_t most = 1 << 22;
    if (to <= from + 4 || to - from > most) return {};
    std::vector<float> values(static_cast<std::size_t>(to - from));
    source.signal.samples->read(from, values);
    const bool positive = source.edges.rises(k);
    // A mean over a fiftieth of the time between keeps noise out. Around the peak it begins with the peak,
    // and as far behind the second moment: before the peak stands the edge, and both means fall off alike.
    const double half = std::max(second / 100, step);
    const auto value_at = [&](double t) -> std::optional<double> {
        const double lead = first ? half : 0, tail = first ? half : 2 * half;
        const auto a = static_cast<std::ptrdiff_t>(std::ceil((t - lead) / step - 1e-6)) -
                       static_cast<std::ptrdiff_t>(from);
        const auto b = static_cast<std::ptrdiff_t>(std::floor((t + tail) / step + 1e-6)) -
                       static_cast<std::ptrdiff_t>(from);
        const auto inside = std::max<std::ptrdiff_t>(a, 0);
        if (b >= static_cast<std::ptrdiff_t>(values.size()) || b < inside) return std::nullopt;
        double sum = 0;
        for (std::ptrdiff_t i = inside; i <= b; ++i)
            sum += static_cast<double>(values[static_cast<std::size_t>(i)]);
        return sum / static_cast<double>(b - inside + 1);
    };
    double start = begin + first.value_or(0);
    if (!first) {
        const auto peak = positive ? std::max_element(values.begin(), values.end())
                                   : std::min_element(values.begin(), values.end());
        start = static_cast<double>(from + static_cast<std::uint64_t>(peak - values.begin())) * step;
    }
    const auto high = value_at(start);
    const auto low = value_at((first ? begin : start) + second);
    if (!high || !low || *high == 0) return {};
    return {100 * (1 - *low / *high), true};
}

void require_even_runs(const SerialSource& source, double second) {
    const Spread runs = spacings_of(source);
    if (runs.count > 0 && runs.greatest - runs.least < 0.1 * runs.mean() && runs.least >= second) return;
    fail_signal("expected: even runs of at least " + format({second, Unit::second}) + "; seen: runs from " +
                format({runs.least, Unit::second}) + " to " + format({runs.greatest, Unit::second}));
}

Outcome measure_droop(Capture any, const Parameters& given) {
    Parameters p = given;
    if (!p.has("threshold")) p.set_quantity("threshold", {0, Unit::volt});
    const SerialSource source = serial_source(std::move(any), "ethernet.droop", p, 2);
    const auto first = p.number("first");
    const double second = p.required("second");
    if (!(second > first.value_or(0)))
        fail_input("parameters first and second: second must be later than first");
    if (p.text("expected") == "even-runs") require_even_runs(source, second);
    Spread positive, negative;
    for (std::size_t k = 0; k < source.edges.size(); ++k) {
        const Seen seen = droop_of(source, k, first, second);
        if (seen.usable) (source.edges.rises(k) ? positive : negative).add(seen.droop, source.edges_s[k]);
    }
    if (positive.count == 0 && negative.count == 0) {
        fail_signal("no run between zero crossings lasts until the second value at " +
                    format({second, Unit::second}) + ": the unit must send its test mode for droop");
    }
    Outcome outcome;
    if (positive.count > 0) outcome.add("droop_positive", positive.greatest, Unit::percent);
    if (negative.count > 0) outcome.add("droop_negative", negative.greatest, Unit::percent);
    outcome.add("runs", static_cast<double>(positive.count + negative.count), Unit::count);
    const double worst =
        positive.count > 0 && positive.greatest >= (negative.count > 0 ? negative.greatest : -1e9)
            ? positive.at_greatest
            : negative.at_greatest;
    const double step = source.signal.step_s;
    const auto from = static_cast<std::uint64_t>(std::max(0.0, (worst - second / 4) / step));
    const auto to = std::min(source.signal.size(), static_cast<std::uint64_t>((worst + 1.5 * second) / step));
    std::vector<float> values(static_cast<std::size_t>(std::min<std::uint64_t>(to - from, 200000)));
    source.signal.samples->read(from, values);
    std::vector<double> x, y(values.begin(), values.end());
    for (std::size_t i = 0; i < values.size(); ++i)
        x.push_back(static_cast<double>(from + i) * step + source.signal.from_s);
    outcome.traces.push_back(trace_over_time("run", "Voltage around the largest droop", Unit::volt, x, y));
    return outcome;
}

}  // namespace

Procedure ethernet_droop() {
    return {"ethernet.droop",
            "Droop of a transmitter on long runs",
            "Loss of voltage between two moments of a run without transition, in percent of the first (IEEE "
            "802.3, test "
            "modes for droop). Both polarities; the largest of all runs counts.",
            droop_parameters,
            droop_traces,
            droop_products,
            waveform_setup,
            measure_droop,
            preset_named};
}

}  // namespace rt
