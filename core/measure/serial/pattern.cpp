#include "core/serial/pattern.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/bits.hpp"
#include "core/measure/serial/source.hpp"
#include "core/stats/proportion.hpp"

namespace rt {
namespace {

constexpr auto pattern_parameters = joined(
    std::array{
        ParameterInfo{"sequence", ParameterKind::choice, Unit::none, "any",
                      "sequence that is expected; any: the shortest that fits",
                      "any prbs7 prbs9 prbs11 prbs13 prbs15 prbs23 prbs31"},
        ParameterInfo{
            "unlocked", ParameterKind::choice, Unit::none, "none",
            "a signal with a clock whose bits are nowhere the sequence that is named: no result, or "
            "errors (at least one in so many bits as a lock needs), for a receiver that is known to send "
            "back what it gets",
            "none errors"},
    },
    clock_rows, edge_rows, signal_rows);

constexpr std::array<Product, 0> pattern_traces{};
constexpr std::array pattern_products{
    Product{"bits", Unit::count, "bits compared with the sequence"},
    Product{"bits_not_compared", Unit::count, "bits around losses of the sequence: nothing is known of them"},
    Product{"bit_errors", Unit::count, "those that differ"},
    Product{"bit_error_ratio", Unit::none, "their share"},
    Product{"bit_error_ratio_at_most", Unit::none, "with 95 % confidence the ratio is not higher"},
    Product{"sequence_stages", Unit::count,
            "stages of the sequence's shift register: 7 for prbs7; absent when it is none of them"},
    Product{"sequence_inverted", Unit::none, "1 when its ones and zeros are exchanged, else 0"},
    Product{"slips", Unit::count, "how often the sequence was lost and found again"},
    Product{"repeats_after", Unit::count, "shortest repetition of the bits, up to 65536"},
    Product{"ones", Unit::percent, "share of ones"},
    Product{"transitions", Unit::percent, "share of bits that differ from the one before"},
};

Outcome measure_pattern(Capture any, const Parameters& p) {
    const SerialSource source = serial_source(std::move(any), "serial.pattern", p);
    const Clock clock = clock_of(source, p);
    const BitRow bits = bits_of(source.edges, clock, std::size_t{1} << 30);
    Outcome outcome;
    const std::string wanted = p.text("sequence");
    const auto lock = lock_pattern(bits, wanted == "any" ? "" : wanted);
    const auto n = static_cast<double>(bits.size());
    if (lock) {
        // A sequence that was lost and found again had an error there at least.
        const auto errors = static_cast<double>(lock->errors + lock->slips),
                   compared = static_cast<double>(lock->compared);
        // What was not compared can only hold more errors.
        const Known known = lock->skipped > 0 ? Known::at_least : Known::exactly;
        outcome.add("bits", compared, Unit::count);
        outcome.add("bits_not_compared", static_cast<double>(lock->skipped), Unit::count);
        outcome.add("bit_errors", errors, Unit::count, known);
        if (compared > 0) {
            outcome.add("bit_error_ratio", errors / compared, Unit::none, known);
            outcome.add(
                "bit_error_ratio_at_most",
                proportion_interval(std::min(lock->errors + lock->slips, lock->compared), lock->compared, 0.9)
                    .high,
                Unit::none, known);
        }
        outcome.add("sequence_stages", lock->stages, Unit::count);
        outcome.add("sequence_inverted", lock->inverted ? 1 : 0, Unit::none);
        outcome.add("slips", static_cast<double>(lock->slips), Unit::count);
        outcome.notes.push_back("sequence: " + lock->name + (lock->inverted ? ", inverted" : "") +
                                ", from bit " + std::to_string(lock->locked_at) + " on");
        Table table{"bit_errors", "Bit errors", {{"bit", Unit::count}, {"time", Unit::second}}, {}};
        for (const auto bit : lock->error_bits)
            table.rows.push_back(
                {static_cast<double>(bit), source.signal.from_s + clock.first_s +
                                               (static_cast<double>(bit) + 0.5) * clock.interval_s()});
        if (!table.rows.empty()) outcome.tables.push_back(std::move(table));
    } else if (wanted != "any" && p.text("unlocked") == "errors") {
        // No stretch as long as a lock needs was without an error.
        double stretch = 0;
        for (const auto& known : shift_sequences()) {
            if (wanted == known.name)
                stretch = static_cast<double>(stretch_for_lock(static_cast<std::size_t>(known.length)) +
                                              static_cast<std::size_t>(known.length));
        }
        outcome.add("bits", n, Unit::count);
        outcome.add("bit_errors", std::floor(n / stretch), Unit::count, Known::at_least);
        outcome.add("bit_error_ratio", 1 / stretch, Unit::none, Known::at_least);
        outcome.add("bit_error_ratio_at_most", 1 / stretch, Unit::none, Known::at_least);
        outcome.notes.push_back("the bits are nowhere the sequence " + wanted + ": counted as errors");
    } else if (wanted != "any") {
        outcome.invalid = "the bits are not the sequence " + wanted;
    } else {
        outcome.notes.push_back("the bits are none of the known sequences");
    }
    constexpr std::size_t longest = 65536, looked_at = std::size_t{1} << 20;
    if (const auto period = repetition(bits.first(looked_at), longest))
        outcome.add("repeats_after", static_cast<double>(*period), Unit::count);
    const std::size_t ones = bits.ones(), changes = bits.changes();
    outcome.add("ones", 100 * static_cast<double>(ones) / n, Unit::percent);
    outcome.add("transitions", 100 * static_cast<double>(changes) / n, Unit::percent);
    note_clock(source, clock, p, outcome);
    return outcome;
}

}  // namespace

Procedure serial_pattern() {
    return {"serial.pattern",
            "Test sequence in a serial signal and its bit errors",
            "Bits are sampled in the middle between edges of the recovered clock. A free-running shift "
            "register is "
            "loaded from them and compared (ITU-T O.150): a wrong bit counts once. A lock lost is told as a "
            "slip.",
            pattern_parameters,
            pattern_traces,
            pattern_products,
            waveform_setup,
            measure_pattern,
            preset_named};
}

}  // namespace rt
