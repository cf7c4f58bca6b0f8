#include <algorithm>
#include <map>

#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/bits.hpp"
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
    Product{"final_disparity", Unit::none, "running disparity behind the last character: 1 or -1"},
};

// Control characters, each with the data characters up to the next of them, at most three: the ordered sets
// and primitives of the links that use this code.
class OrderedSets {
  public:
    void add(const Decoded& character) {
        const bool right = character.symbol && !character.wrong_disparity;
        if (!right || character.symbol->control) close();
        if (right && (character.symbol->control || !open_.empty())) open_.push_back(*character.symbol);
        if (open_.size() == 4) close();
    }
    // The most frequent first.
    Table table() const {
        std::vector<std::pair<std::string, std::uint64_t>> sorted(count_.begin(), count_.end());
        std::stable_sort(sorted.begin(), sorted.end(),
                         [](const auto& a, const auto& b) { return a.second > b.second; });
        Table out{"ordered_sets",
                  "Control characters and what follows them, the most frequent",
                  {{"characters", Unit::none}, {"count", Unit::count}},
                  {}};
        for (const auto& [set, count] : sorted) {
            if (out.rows.size() == most_shown) break;
            out.rows.push_back({set, static_cast<double>(count)});
        }
        return out;
    }

  private:
    static constexpr std::size_t most_kinds = 4096, most_shown = 64;

    void close() {
        std::string set;
        for (const Symbol s : open_) set += (set.empty() ? "" : " ") + name(s);
        open_.clear();
        if (set.empty()) return;
        const auto known = count_.find(set);
        if (known != count_.end()) {
            ++known->second;
        } else if (count_.size() < most_kinds) {
            count_.emplace(std::move(set), 1);
        }
    }

    std::vector<Symbol> open_;
    std::map<std::string, std::uint64_t> count_;
};

std::string kind_of(const CharacterError& error) {
    if (!error.decoded.symbol) return "no character";
    return name(*error.decoded.symbol) + " of " + (error.positive ? "negative" : "positive") +
           " running disparity";
}

std::string ten_bits(std::uint16_t bits) {
    std::string out;
    for (int k = 9; k >= 0; --k) out += bits >> k & 1 ? '1' : '0';
    return out;
}

Outcome measure_characters(Capture any, const Parameters& p) {
    const SerialSource source = serial_source(std::move(any), "serial.characters", p);
    const Clock clock = clock_of(source, p);
    const auto bits = bits_of(source.edges, clock, std::size_t{1} << 30);
    OrderedSets sets;
    const auto stream =
        read_characters(bits, [&](const Decoded& character, std::size_t) { sets.add(character); });
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
    outcome.add("final_disparity", stream->positive ? 1 : -1, Unit::none);
    const auto time_of = [&](std::size_t bit) {
        return source.signal.from_s + clock.first_s + static_cast<double>(bit) * clock.interval_s();
    };
    Table wrong{"character_errors",
                "Character errors, the first of them",
                {{"bit", Unit::count}, {"time", Unit::second}, {"bits", Unit::none}, {"kind", Unit::none}},
                {}};
    for (const CharacterError& error : stream->errors) {
        wrong.rows.push_back(
            {static_cast<double>(error.bit), time_of(error.bit), ten_bits(error.bits), kind_of(error)});
    }
    if (!wrong.rows.empty()) outcome.tables.push_back(std::move(wrong));
    Table first{"characters", "First characters", {{"character", Unit::none}}, {}};
    for (std::size_t i = 0; i < std::min<std::size_t>(stream->first.size(), 64); ++i)
        first.rows.push_back({name(stream->first[i])});
    outcome.tables.push_back(std::move(first));
    outcome.tables.push_back(sets.table());
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
