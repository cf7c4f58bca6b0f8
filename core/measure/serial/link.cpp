#include <iterator>

#include "core/dsp/parallel.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/parts.hpp"

namespace rt {
namespace {

constexpr auto link_parameters =
    joined(eye_rows_own, jitter_rows_own, clock_rows_own, clock_rows, edge_rows, signal_rows);
constexpr auto link_traces = products(eye_traces, jitter_traces, clock_traces);
constexpr auto link_products = products(eye_results, jitter_results, clock_results);

template <typename List>
void move_behind(List& all, List& more) {
    all.insert(all.end(), std::make_move_iterator(more.begin()), std::make_move_iterator(more.end()));
}

void append(Outcome& all, Outcome part) {
    move_behind(all.results, part.results);
    move_behind(all.traces, part.traces);
    move_behind(all.tables, part.tables);
    move_behind(all.rasters, part.rasters);
    move_behind(all.notes, part.notes);
}

Outcome measure_link(Capture any, const Parameters& given) {
    const Parameters p = timed_by_levels(given);
    SerialSource source = serial_source(std::move(any), "serial.link", p, 16, levels_named(p));
    const Clock clock = clock_of_levels(source, levels_named(p), p);
    // The parts do not touch each other's results.
    std::array<Outcome, 3> parts;
    constexpr std::array add{add_eye, add_jitter, add_clock};
    in_parallel(parts.size(), [&](std::size_t k) { add[k](source, clock, p, parts[k]); });
    Outcome outcome;
    for (Outcome& part : parts) append(outcome, std::move(part));
    note_clock(source, clock, p, outcome);
    return outcome;
}

}  // namespace

Procedure serial_link() {
    return {
        "serial.link",
        "Eye, jitter and clock of a serial signal from one record",
        "What serial.eye, serial.jitter and serial.clock give, with the edges found and the clock recovered "
        "once.",
        link_parameters,
        link_traces,
        link_products,
        waveform_setup,
        measure_link,
        preset_named};
}

}  // namespace rt
