#include "core/measure/serial/parts.hpp"
#include "core/measure/serial/procedures.hpp"

namespace rt {
namespace {

constexpr auto parameters =
    joined(eye_rows_own, jitter_rows_own, clock_rows_own, clock_rows, edge_rows, signal_rows);
constexpr auto traces = products(eye_traces, jitter_traces, clock_traces);
constexpr auto results = products(eye_results, jitter_results, clock_results);

Outcome run(Capture any, const Parameters& given) {
    const Parameters p = timed_by_levels(given);
    SerialSource source = serial_source(std::move(any), "serial.link", p, 16, levels_named(p));
    const Clock clock = clock_of_levels(source, levels_named(p), p);
    Outcome outcome;
    add_eye(source, clock, p, outcome);
    add_jitter(source, clock, p, outcome);
    add_clock(source, clock, p, outcome);
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
        parameters,
        traces,
        results,
        waveform_setup,
        run,
        preset_named};
}

}  // namespace rt
