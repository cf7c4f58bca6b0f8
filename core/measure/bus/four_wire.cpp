#include "core/bus/four_wire.hpp"

#include <fmt/core.h>

#include <optional>

#include "core/base/error.hpp"
#include "core/measure/bus/source.hpp"
#include "core/measure/bus/timings.hpp"
#include "core/measure/procedure.hpp"

namespace rt {
namespace {

constexpr ParameterInfo channel_of(const char* name, const char* otherwise, const char* help) {
    return {name, ParameterKind::whole_number, Unit::none, otherwise, help};
}

constexpr auto four_wire_parameters = joined(
    std::array{
        channel_of("clock_channel", "1", "channel of the clock"),
        channel_of("select_channel", "2",
                   "channel of the select line, low while the peripheral is addressed"),
        channel_of("out_channel", "", "channel of the controller's data"),
        channel_of("in_channel", "", "channel of the peripheral's data"),
        ParameterInfo{
            "mode", ParameterKind::choice, Unit::none, "found",
            "2 CPOL + CPHA: 2 and 3 rest high, 1 and 3 sample on the edge back to rest; found: by the "
            "clock's rest level and the edges at which data changes",
            "found 0 1 2 3"},
        channel_of("word_bits", "8", "bits of a word, at most 64"),
        ParameterInfo{"bit_order", ParameterKind::choice, Unit::none, "highest-first",
                      "order of bits in a word", "highest-first lowest-first"},
        ParameterInfo{"supply", ParameterKind::quantity, Unit::volt, "",
                      "voltage that thresholds count from; without it the high level of the clock"},
    },
    bus_rows);

constexpr std::array four_wire_traces{
    Product{"view_...", Unit::volt, "all lines around the extreme of each result"}};
constexpr std::array four_wire_products{
    Product{"clock_frequency", Unit::hertz, "highest clock frequency: reciprocal of the shortest period"},
    Product{"high_time_least", Unit::second, "clock above the upper threshold"},
    Product{"low_time_least", Unit::second, "clock below the lower threshold"},
    Product{"select_setup_least", Unit::second, "select low until the first clock edge begins"},
    Product{"select_hold_least", Unit::second, "last clock edge until select begins to rise"},
    Product{"deselected_least", Unit::second, "select high between two frames"},
    Product{"out_setup_least", Unit::second, "controller's data arrived before the sampling edge begins"},
    Product{"out_hold_least", Unit::second, "controller's data stays after the sampling edge"},
    Product{"in_setup_least", Unit::second, "peripheral's data arrived before the sampling edge begins"},
    Product{"in_hold_least", Unit::second, "peripheral's data stays after the sampling edge"},
    Product{"in_valid_greatest", Unit::second, "shifting edge until the peripheral's data has arrived"},
    Product{"clock_rise_greatest", Unit::second, "longest rise of the clock between the thresholds"},
    Product{"clock_fall_greatest", Unit::second, "longest fall of the clock"},
    Product{"mode", Unit::none, "2 CPOL + CPHA, as given or as found"},
    Product{"frames", Unit::count, "times that select was low"},
    Product{"words", Unit::count, "whole words"},
    Product{"loose_bits", Unit::count, "bits at the ends of frames that fill no word"},
};

constexpr std::array mode_names{"0", "1", "2", "3"};

// Data that changes at the sampling edges of a mode is that of the other one with the same rest level. One
// change of ten may be a violation.
bool nearly_all(std::size_t these, std::size_t others) {
    constexpr std::size_t fewest = 8;
    return these + others >= fewest && these > 9 * others;
}

// The mode that was given, refused where the record contradicts it; or the one the record shows. Data is that
// of the controller where there is any.
int mode_of(const Parameters& p, const Line& clock, const Line& select, const Line* data) {
    const auto high = rests_high(clock, select);
    const std::string given = p.text("mode");
    const int rest = high.value_or(false) ? 2 : 0;
    EdgesUsed used;
    if (data && high) used = edges_of_data(clock, select, *data, *high);
    if (given == "found") {
        if (!high) fail_signal("no frame begins in the record: give mode");
        if (!data) return rest;  // what is timed without data is the same in both
        if (used.leading + used.trailing > 0) {
            if (used.leading > 9 * used.trailing) return rest + 1;
            if (used.trailing > 9 * used.leading) return rest;
        }
        fail_signal(
            fmt::format("data changes {} times at edges from the clock's rest and {} times at edges back to "
                        "it: that shows no mode; give mode",
                        used.leading, used.trailing));
    }
    const int mode = given[0] - '0';
    if (high && (mode >= 2) != *high) {
        fail_signal(std::string("the clock rests ") + (*high ? "high" : "low") +
                    " where frames begin: mode " + given + " has it " + (*high ? "low" : "high") +
                    "; set mode " + (*high ? "2 or 3" : "0 or 1"));
    }
    const bool leading = nearly_all(used.leading, used.trailing);
    const bool trailing = nearly_all(used.trailing, used.leading);
    if (mode % 2 == 0 ? leading : trailing) {
        fail_signal("data changes at the edges at which mode " + given + " samples it: set mode " +
                    mode_names[static_cast<std::size_t>(mode ^ 1)]);
    }
    return mode;
}

std::vector<Timing> timings_of(const FourWireTimings& t) {
    return {{"high_time", &t.high},
            {"low_time", &t.low},
            {"select_setup", &t.select_setup},
            {"select_hold", &t.select_hold},
            {"deselected", &t.deselected},
            {"out_setup", &t.out_setup},
            {"out_hold", &t.out_hold},
            {"in_setup", &t.in_setup},
            {"in_hold", &t.in_hold},
            {"in_valid", &t.in_valid, false, true},
            {"clock_rise", &t.clock_rise, false, true},
            {"clock_fall", &t.clock_fall, false, true}};
}

// Every word of either line; `loose` counts bits that make no whole word.
Table words_of(const FourWireSeen& seen, double from_s, bool out, bool in, int word_bits, double& loose) {
    Table table{"words",
                "Words",
                {{"time", Unit::second}, {"frame", Unit::count}, {"out", Unit::none}, {"in", Unit::none}},
                {}};
    for (std::size_t k = 0; k < seen.frames.size(); ++k) {
        loose += seen.frames[k].loose_bits;
        for (const auto& word : seen.frames[k].words) {
            table.rows.push_back({word.time_s + from_s, static_cast<double>(k + 1),
                                  out ? hex_word(word.out, word_bits) : std::string(),
                                  in ? hex_word(word.in, word_bits) : std::string()});
        }
    }
    return table;
}

Outcome measure_four_wire(Capture any, const Parameters& p) {
    const Waveform wave = take_waveform(std::move(any), "bus.four-wire");
    const auto signal = [&](const char* name) {
        return signal_of(wave, p, static_cast<std::size_t>(p.required(name)));
    };
    const Signal clock = signal("clock_channel"), select = signal("select_channel");
    const LineThresholds thresholds = bus_thresholds(clock, p).line;
    FourWireSettings settings;
    settings.word_bits = static_cast<int>(p.required("word_bits"));
    if (settings.word_bits > 64) fail_input("parameter word_bits: at most 64");
    settings.lowest_first = p.text("bit_order") == "lowest-first";
    const auto line = [&](const Signal& s) { return read_line(*s.samples, s.step_s, thresholds); };
    const Line clock_line = line(clock), select_line = line(select);
    std::vector<NamedSignal> lines{{"clock", clock}, {"select", select}};
    std::optional<Line> out, in;
    if (p.has("out_channel")) {
        lines.push_back({"out", signal("out_channel")});
        out = line(lines.back().signal);
    }
    if (p.has("in_channel")) {
        lines.push_back({"in", signal("in_channel")});
        in = line(lines.back().signal);
    }
    if (clock_line.edges.size() < 2) fail_signal("the clock line does not change: no bus traffic");
    if (select_line.edges.empty()) fail_signal("the select line does not change: no frame begins");
    require_levels(clock, clock_line, "the clock line");
    require_levels(select, select_line, "the select line");
    settings.mode = mode_of(p, clock_line, select_line, out ? &*out : in ? &*in : nullptr);
    const FourWireSeen seen =
        read_four_wire(clock_line, select_line, out ? &*out : nullptr, in ? &*in : nullptr, settings);
    const FourWireTimings& t = seen.timings;
    if (t.clock_period.count == 0) fail_signal("no clock while select is low");
    const auto timings = timings_of(t);
    Outcome outcome;
    outcome.add("clock_frequency", 1 / t.clock_period.least, Unit::hertz);
    add_timings(timings, clock.from_s, outcome, seen.marks, {"frame", "word"});
    double loose = 0;
    Table table = words_of(seen, clock.from_s, out.has_value(), in.has_value(), settings.word_bits, loose);
    if (out || in || p.text("mode") != "found") outcome.add("mode", settings.mode, Unit::none);
    outcome.add("frames", static_cast<double>(seen.frames.size()), Unit::count);
    outcome.add("words", static_cast<double>(table.rows.size()), Unit::count);
    outcome.add("loose_bits", loose, Unit::count);
    outcome.tables.push_back(std::move(table));
    add_views(timings, lines, 1.5 * t.clock_period.mean(), outcome);
    return outcome;
}

}  // namespace

Procedure four_wire_bus() {
    return {"bus.four-wire",
            "Four-wire bus: timings and words",
            "Timings of a clocked bus with select line (SPI) in the four modes, with least, mean and "
            "greatest value "
            "and where these stand; decoded words. There is no standard: limits are written in the lab's own "
            "rulebook.",
            four_wire_parameters,
            four_wire_traces,
            four_wire_products,
            waveform_setup,
            measure_four_wire,
            preset_named};
}

}  // namespace rt
