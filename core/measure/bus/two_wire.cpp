#include "core/bus/two_wire.hpp"

#include "core/base/error.hpp"
#include "core/measure/bus/source.hpp"
#include "core/measure/bus/timings.hpp"
#include "core/measure/procedure.hpp"
#include "core/serial/edges.hpp"

namespace rt {
namespace {

constexpr auto two_wire_parameters = joined(
    std::array{
        ParameterInfo{"clock_channel", ParameterKind::whole_number, Unit::none, "1",
                      "channel of the clock line SCL"},
        ParameterInfo{"data_channel", ParameterKind::whole_number, Unit::none, "2",
                      "channel of the data line SDA"},
        ParameterInfo{"supply", ParameterKind::quantity, Unit::volt, "",
                      "bus voltage VDD that thresholds count from; without it the high level of the clock"},
        ParameterInfo{"spike_width", ParameterKind::quantity, Unit::second, "50 ns",
                      "a shorter time on the other side of half the supply is a spike (tSP)"},
        ParameterInfo{"suppress_spikes", ParameterKind::choice, Unit::none, "no",
                      "whether the inputs on the bus suppress spikes, as those of fast modes do: they are "
                      "listed, and count for nothing else",
                      "no yes"},
    },
    bus_rows);

constexpr std::array two_wire_traces{
    Product{"view_...", Unit::volt, "both lines around the extreme of each result"}};
constexpr std::array two_wire_products{
    Product{"clock_frequency", Unit::hertz, "highest clock frequency: reciprocal of the shortest period"},
    Product{"low_time_least", Unit::second, "tLOW: clock below the lower threshold"},
    Product{"high_time_least", Unit::second, "tHIGH: clock above the upper threshold"},
    Product{"start_hold_least", Unit::second,
            "tHD;STA: data low at a start until the clock leaves its high level"},
    Product{"start_setup_least", Unit::second,
            "tSU;STA: clock high until data leaves its high level for a repeated start"},
    Product{"stop_setup_least", Unit::second,
            "tSU;STO: clock high until data leaves its low level for a stop"},
    Product{"bus_free_least", Unit::second,
            "tBUF: data high at a stop until it leaves its high level for a start"},
    Product{"data_hold_least", Unit::second, "tHD;DAT: clock low until data begins to change"},
    Product{"data_setup_least", Unit::second, "tSU;DAT: data arrived until the clock leaves its low level"},
    Product{"data_valid_greatest", Unit::second, "tVD;DAT: clock low until data has arrived"},
    Product{"acknowledge_valid_greatest", Unit::second, "tVD;ACK: the same for the acknowledge bit"},
    Product{"clock_rise_least", Unit::second, "shortest tr of the clock, between the thresholds"},
    Product{"clock_rise_greatest", Unit::second, "longest tr of the clock"},
    Product{"clock_fall_least", Unit::second, "shortest tf of the clock"},
    Product{"clock_fall_greatest", Unit::second, "longest tf of the clock"},
    Product{"data_rise_least", Unit::second, "shortest tr of the data"},
    Product{"data_rise_greatest", Unit::second, "longest tr of the data"},
    Product{"data_fall_least", Unit::second, "shortest tf of the data"},
    Product{"data_fall_greatest", Unit::second, "longest tf of the data"},
    Product{"fall_share_least", Unit::none,
            "shortest tf of both lines over 20 ns x VDD / 5.5 V, the least that fast modes allow"},
    Product{"spikes", Unit::count, "times shorter than spike_width beyond half the supply, both lines"},
    Product{"duty_cycle", Unit::percent,
            "mean high share of the clock's periods, between the middles of its changes"},
    Product{"duty_cycle_least", Unit::percent, "the least of them"},
    Product{"duty_cycle_greatest", Unit::percent, "the greatest"},
    Product{"clock_stretches", Unit::count,
            "low times of the clock in transfers longer than one and a half times their median"},
    Product{"clock_stretch_greatest", Unit::second,
            "the longest of these, beyond the median; 0 s without any"},
    Product{"clock_low_level", Unit::volt, "VOL of the clock: highest of its low states, settled"},
    Product{"data_low_level", Unit::volt,
            "VOL of the data: highest of its low levels, settled, in each high time of the clock"},
    Product{"clock_high_level", Unit::volt, "lowest of the clock's high states, settled"},
    Product{"data_high_level", Unit::volt,
            "lowest of the data's high levels, settled, in each high time of the clock"},
    Product{"lowest", Unit::volt, "lowest sample of both lines"},
    Product{"highest", Unit::volt, "highest sample of both lines"},
    Product{"supply", Unit::volt, "bus voltage that thresholds counted from"},
    Product{"transfers", Unit::count, "starts and repeated starts"},
    Product{"bytes", Unit::count, "bytes with their acknowledge bit"},
    Product{"not_acknowledged", Unit::count, "addresses that nobody acknowledged"},
};

std::size_t bytes_in(const TwoWireSeen& seen) {
    std::size_t bytes = 0;
    for (const auto& transfer : seen.transfers) bytes += transfer.bytes.size();
    return bytes;
}

Table bytes_of(const TwoWireSeen& seen, double origin) {
    Table table{
        "bytes",
        "Bytes",
        {{"time", Unit::second}, {"kind", Unit::none}, {"value", Unit::none}, {"acknowledge", Unit::none}},
        {}};
    for (const auto& transfer : seen.transfers) {
        table.rows.push_back({transfer.start_s + origin,
                              std::string(transfer.repeated ? "repeated start" : "start"), std::string(),
                              std::string()});
        for (const auto& byte : transfer.bytes) {
            std::string value = hex_word(byte.value, 8);
            if (byte.address) value = hex_word(byte.value >> 1, 8) + (byte.value & 1 ? " read" : " write");
            table.rows.push_back({byte.time_s + origin, std::string(byte.address ? "address" : "data"), value,
                                  std::string(byte.acknowledged ? "yes" : "no")});
        }
        if (transfer.loose_bits > 0) {
            table.rows.push_back({transfer.start_s + origin, std::string("broken off"),
                                  std::to_string(transfer.loose_bits) + " bits without a whole byte",
                                  std::string()});
        }
        if (transfer.stop_s >= 0)
            table.rows.push_back(
                {transfer.stop_s + origin, std::string("stop"), std::string(), std::string()});
    }
    return table;
}

// The worst settled level of each state, and where it stands.
struct Worst {
    const Plateau *low = nullptr, *high = nullptr;
};

Worst worst_of(const std::vector<Plateau>& all) {
    Worst out;
    for (const Plateau& p : all) {
        const Plateau*& worst = p.high ? out.high : out.low;
        if (!worst || (p.high ? p.volts < worst->volts : p.volts > worst->volts)) worst = &p;
    }
    return out;
}

// High times of the clock: data is settled there, and the devices that drive it take turns between.
std::vector<TimeSpan> bit_times(const Line& clock) {
    std::vector<TimeSpan> out;
    for (std::size_t k = 0; k + 1 < clock.edges.size(); ++k) {
        if (clock.edges[k].rises) out.push_back({clock.edges[k].end_s, clock.edges[k + 1].begin_s});
    }
    return out;
}

void add_levels(const Signal& clock, const Signal& data, const Line& scl, const Line& sda, Outcome& outcome) {
    Table table{"levels",
                "Worst settled levels",
                {{"line", Unit::none}, {"state", Unit::none}, {"level", Unit::volt}, {"time", Unit::second}},
                {}};
    const auto add = [&](const char* title, const std::string& name, const std::vector<Plateau>& all) {
        const Worst worst = worst_of(all);
        for (const Plateau* p : {worst.low, worst.high}) {
            if (!p) continue;
            outcome.add((name + (p->high ? "_high_level" : "_low_level")).c_str(), p->volts, Unit::volt);
            table.rows.push_back({std::string(title), std::string(p->high ? "high" : "low"), p->volts,
                                  p->from_s + clock.from_s});
        }
    };
    add("SCL", "clock", plateaus(*clock.samples, clock.step_s, scl, states_of(scl)));
    add("SDA", "data", plateaus(*data.samples, data.step_s, sda, bit_times(scl)));
    outcome.tables.push_back(std::move(table));
}

// Short times on the other side of half the supply.
Table spikes_of(const std::vector<std::pair<const char*, const Signal*>>& lines, double supply,
                double width) {
    Table table{"spikes",
                "Spikes",
                {{"time", Unit::second}, {"line", Unit::none}, {"width", Unit::second}, {"kind", Unit::none}},
                {}};
    for (const auto& [name, line] : lines) {
        EdgeSettings settings;
        settings.threshold = supply / 2;
        settings.hysteresis = supply / 20;
        const Edges edges = find_edges(*line->samples, settings);
        for (std::size_t k = 0; k + 1 < edges.size(); ++k) {
            const double length = (edges.at[k + 1] - edges.at[k]) * line->step_s;
            if (length >= width) continue;
            table.rows.push_back({edges.at[k] * line->step_s + line->from_s, std::string(name), length,
                                  std::string(edges.rises(k) ? "high" : "low")});
            ++k;  // the next edge ends this spike
        }
    }
    return table;
}

void add_clock_shape(const TwoWireSeen& seen, double origin, const BusWords& words, Outcome& outcome) {
    const Spread& duty = seen.timings.duty_cycle;
    if (duty.count > 0) {
        outcome.add("duty_cycle", 100 * duty.mean(), Unit::percent);
        outcome.add("duty_cycle_least", 100 * duty.least, Unit::percent);
        outcome.add("duty_cycle_greatest", 100 * duty.greatest, Unit::percent);
    }
    Table table{
        "clock_stretches",
        "Times for which the clock was held low",
        {{"time", Unit::second}, {"place", Unit::none}, {"low", Unit::second}, {"beyond", Unit::second}},
        {}};
    double longest = 0;
    for (const ClockStretch& one : seen.stretches) {
        const double beyond = one.low_s - seen.usual_low_s;
        longest = std::max(longest, beyond);
        if (table.rows.size() < 1000)
            table.rows.push_back(
                {one.from_s + origin, place_text(seen.marks, one.from_s, words), one.low_s, beyond});
    }
    outcome.add("clock_stretches", static_cast<double>(seen.stretches.size()), Unit::count);
    outcome.add("clock_stretch_greatest", longest, Unit::second);
    if (!table.rows.empty()) outcome.tables.push_back(std::move(table));
}

// What both lines carry. Throws Error(signal) where that is no two-wire traffic.
TwoWireSeen traffic_of(const Signal& clock, const Signal& data, const Line& scl, const Line& sda) {
    if (scl.edges.size() < 4)
        fail_signal("the clock line changes only " + std::to_string(scl.edges.size()) +
                    " times: no bus traffic");
    require_levels(clock, scl, "the clock line");
    require_levels(data, sda, "the data line");
    TwoWireSeen seen = read_two_wire(scl, sda);
    if (seen.transfers.empty()) fail_signal("no start condition: data never falls while the clock is high");
    if (bytes_in(seen) == 0) {
        const bool swapped = bytes_in(read_two_wire(sda, scl)) > 0;
        fail_signal("no byte is clocked behind " + std::to_string(seen.transfers.size()) + " starts" +
                    (swapped ? ": with clock_channel and data_channel swapped there are bytes"
                             : ": check clock_channel, data_channel and supply"));
    }
    return seen;
}

std::vector<Timing> timings_of(const TwoWireTimings& t) {
    return {
        {"low_time", &t.low},
        {"high_time", &t.high},
        {"start_hold", &t.start_hold},
        {"start_setup", &t.start_setup},
        {"stop_setup", &t.stop_setup},
        {"bus_free", &t.bus_free},
        {"data_hold", &t.data_hold},
        {"data_setup", &t.data_setup},
        {"data_valid", &t.data_valid, false, true},
        {"acknowledge_valid", &t.acknowledge_valid, false, true},
        {"clock_rise", &t.clock_rise, true, true},
        {"clock_fall", &t.clock_fall, true, true},
        {"data_rise", &t.data_rise, true, true},
        {"data_fall", &t.data_fall, true, true},
    };
}

void add_bytes(const TwoWireSeen& seen, double from_s, Outcome& outcome) {
    std::size_t refused = 0;
    for (const auto& transfer : seen.transfers) {
        for (const auto& byte : transfer.bytes) refused += byte.address && !byte.acknowledged;
    }
    outcome.add("transfers", static_cast<double>(seen.transfers.size()), Unit::count);
    outcome.add("bytes", static_cast<double>(bytes_in(seen)), Unit::count);
    outcome.add("not_acknowledged", static_cast<double>(refused), Unit::count);
    outcome.tables.push_back(bytes_of(seen, from_s));
}

Outcome measure_two_wire(Capture any, const Parameters& p) {
    const Waveform wave = take_waveform(std::move(any), "bus.two-wire");
    const auto channel = [&](const char* name) { return static_cast<std::size_t>(p.required(name)); };
    if (channel("clock_channel") == channel("data_channel"))
        fail_input("parameters clock_channel and data_channel: they are the same");
    const Signal clock = signal_of(wave, p, channel("clock_channel"));
    const Signal data = signal_of(wave, p, channel("data_channel"));
    const auto [supply, thresholds] = bus_thresholds(clock, p);
    Line scl = read_line(*clock.samples, clock.step_s, thresholds);
    Line sda = read_line(*data.samples, data.step_s, thresholds);
    const double width = p.required("spike_width");
    if (!(width >= 0)) fail_input("parameter spike_width: must not be below 0 s");
    std::size_t suppressed = 0;
    if (p.text("suppress_spikes") == "yes")
        suppressed = suppress_spikes(scl, width) + suppress_spikes(sda, width);
    const TwoWireSeen seen = traffic_of(clock, data, scl, sda);
    const TwoWireTimings& t = seen.timings;
    const auto timings = timings_of(t);
    Outcome outcome;
    if (t.clock_period.count > 0) outcome.add("clock_frequency", 1 / t.clock_period.least, Unit::hertz);
    constexpr BusWords words{"transfer", "byte", 9};
    add_timings(timings, clock.from_s, outcome, seen.marks, words);
    Table spikes = spikes_of({{"SCL", &clock}, {"SDA", &data}}, supply, width);
    const double fall = std::min(t.clock_fall.count ? t.clock_fall.least : 1e300,
                                 t.data_fall.count ? t.data_fall.least : 1e300);
    if (fall < 1e300) outcome.add("fall_share_least", fall / (20e-9 * supply / 5.5), Unit::none);
    outcome.add("spikes", static_cast<double>(spikes.rows.size()), Unit::count);
    if (!spikes.rows.empty()) outcome.tables.push_back(std::move(spikes));
    if (suppressed > 0)
        outcome.notes.push_back(std::to_string(suppressed) + " spikes shorter than " +
                                format({width, Unit::second}) + " were suppressed before anything was timed");
    add_clock_shape(seen, clock.from_s, words, outcome);
    add_levels(clock, data, scl, sda, outcome);
    outcome.add("lowest", std::min(scl.lowest, sda.lowest), Unit::volt);
    outcome.add("highest", std::max(scl.highest, sda.highest), Unit::volt);
    outcome.add("supply", supply, Unit::volt);
    add_bytes(seen, clock.from_s, outcome);
    const double reach = t.clock_period.count > 0 ? t.clock_period.mean() : clock.seconds() / 20;
    add_views(timings, {{"SCL", clock}, {"SDA", data}}, reach, outcome);
    if (!p.has("supply")) {
        outcome.notes.push_back("thresholds count from the clock's own high level, " +
                                format({supply, Unit::volt}) +
                                ": give supply where the bus voltage is known");
    }
    return outcome;
}

}  // namespace

Procedure two_wire_bus() {
    return {"bus.two-wire",
            "Two-wire bus: timings, levels and bytes",
            "Timings of UM10204 (I2C) between 30 % and 70 % of the supply, with least, mean and greatest "
            "value and "
            "where these stand; decoded conditions and bytes. The limits of each speed class are rules.",
            two_wire_parameters,
            two_wire_traces,
            two_wire_products,
            waveform_setup,
            measure_two_wire,
            preset_named};
}

}  // namespace rt
