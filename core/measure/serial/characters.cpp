#include "core/base/error.hpp"
#include "core/measure/serial/bits.hpp"
#include "core/measure/serial/procedures.hpp"
#include "core/measure/serial/source.hpp"
#include "core/serial/code_8b10b.hpp"
#include "core/stats/proportion.hpp"

namespace rt {
namespace {

constexpr auto characters_parameters = joined(clock_rows, edge_rows, signal_rows);
constexpr std::array<Product, 0> characters_traces{};
constexpr std::array characters_products{
    Product{"characters", Unit::count, "ten-bit characters from the first comma on"},
    Product{"code_errors", Unit::count, "ten bits that are no character"},
    Product{"disparity_errors", Unit::count, "characters of the wrong running disparity"},
    Product{"character_error_ratio", Unit::none, "both kinds over all characters"},
    Product{"character_error_ratio_at_most", Unit::none, "with 95 % confidence the ratio is not higher"},
    Product{"commas", Unit::count, "commas, by which characters are aligned"},
    Product{"realigned", Unit::count, "how often the alignment moved"},
};

Outcome measure_characters(Capture any, const Parameters& p) {
    const SerialSource source = serial_source(std::move(any), "serial.characters", p);
    const Clock clock = clock_of(source, p);
    const auto bits = bits_of(source.edges, clock, std::size_t{1} << 30);
    const auto stream = read_characters(bits);
    if (!stream) fail_signal("no comma in " + std::to_string(bits.size()) + " bits: no 8b/10b stream");
    const auto errors = stream->code_errors + stream->disparity_errors;
    Outcome outcome;
    outcome.add("characters", static_cast<double>(stream->characters), Unit::count);
    outcome.add("code_errors", static_cast<double>(stream->code_errors), Unit::count);
    outcome.add("disparity_errors", static_cast<double>(stream->disparity_errors), Unit::count);
    if (stream->characters > 0) {
        const auto wrong = std::min(errors, stream->characters);
        outcome.add("character_error_ratio",
                    static_cast<double>(wrong) / static_cast<double>(stream->characters), Unit::none);
        outcome.add("character_error_ratio_at_most", proportion_interval(wrong, stream->characters, 0.9).high,
                    Unit::none);
    }
    outcome.add("commas", static_cast<double>(stream->commas), Unit::count);
    outcome.add("realigned", static_cast<double>(stream->realigned), Unit::count);
    const auto time_of = [&](std::size_t bit) {
        return source.signal.from_s + clock.first_s + static_cast<double>(bit) * clock.interval_s();
    };
    Table wrong{"character_errors", "Character errors", {{"bit", Unit::count}, {"time", Unit::second}}, {}};
    for (const auto bit : stream->error_bits) wrong.rows.push_back({static_cast<double>(bit), time_of(bit)});
    if (!wrong.rows.empty()) outcome.tables.push_back(std::move(wrong));
    Table first{"characters", "First characters", {{"character", Unit::none}}, {}};
    for (std::size_t i = 0; i < std::min<std::size_t>(stream->first.size(), 64); ++i) {
        const Symbol s = stream->first[i];
        first.rows.push_back({std::string(s.control ? "K" : "D") + std::to_string(s.value & 31) + "." +
                              std::to_string(s.value >> 5)});
    }
    outcome.tables.push_back(std::move(first));
    note_clock(source, clock, p, outcome);
    return outcome;
}

}  // namespace

Procedure serial_characters() {
    return {"serial.characters",
            "Characters of an 8b/10b stream and their errors",
            "Bits are aligned on commas and decoded; ten bits that are no character and characters of the "
            "wrong running "
            "disparity are counted (IEEE 802.3 clause 36, Serial ATA, Fibre Channel).",
            characters_parameters,
            characters_traces,
            characters_products,
            waveform_setup,
            measure_characters,
            preset_named};
}

}  // namespace rt
