#include "core/base/error.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/serial/bits.hpp"
#include "core/measure/serial/source.hpp"
#include "core/serial/storage_frames.hpp"
#include "core/stats/proportion.hpp"

namespace rt {
namespace {

constexpr auto frames_parameters = joined(clock_rows, edge_rows, signal_rows);
constexpr std::array<Product, 0> frames_traces{};
constexpr std::array frames_products{
    Product{"frames", Unit::count, "frames with start and end"},
    Product{"check_errors", Unit::count, "those whose check of 32 bits is wrong"},
    Product{"broken_frames", Unit::count, "frames without end, or with a wrong character inside"},
    Product{"frame_error_ratio", Unit::none, "frames with a wrong check or broken, over all"},
    Product{"frame_error_ratio_at_most", Unit::none, "with 95 % confidence the ratio is not higher"},
    Product{"characters", Unit::count, "ten-bit characters"},
    Product{"code_errors", Unit::count, "ten bits that are no character"},
    Product{"disparity_errors", Unit::count, "characters of the wrong running disparity"},
    Product{"stray_words", Unit::count,
            "double words that are neither data of a frame nor a known primitive"},
    Product{"final_disparity", Unit::none, "running disparity behind the last character: 1 or -1"},
};

const char* name_of(const FrameSeen& frame) {
    if (!frame.whole) return "no end";
    if (!frame.characters_right) return "wrong character";
    return frame.check_right ? "right" : "wrong check";
}

Outcome measure_frames(Capture any, const Parameters& p) {
    const SerialSource source = serial_source(std::move(any), "storage.frames", p);
    const Clock clock = clock_of(source, p);
    const auto bits = bits_of(source.edges, clock, std::size_t{1} << 30);
    StorageFrames frames;
    const auto stream =
        read_characters(bits, [&](const Decoded& character, std::size_t bit) { frames.add(character, bit); });
    if (!stream) fail_signal("no comma in the bits: this is no 8b/10b stream");
    const StorageStream& seen = frames.seen();
    if (seen.primitives.empty())
        fail_signal("the 8b/10b stream holds none of the primitives of a storage link");
    Outcome outcome;
    std::uint64_t wrong = 0, all = 0;
    Table table{"frames",
                "Frames that are not right, the first of them",
                {{"time", Unit::second}, {"kind", Unit::none}, {"words", Unit::count}, {"state", Unit::none}},
                {}};
    for (const FrameSeen& frame : seen.frames) {
        const bool right = frame.whole && frame.check_right && frame.characters_right;
        ++all;
        wrong += !right;
        if (right || table.rows.size() == 1000) continue;
        char kind[8];
        std::snprintf(kind, sizeof kind, "0x%02X", frame.type);
        const double at = clock.first_s + static_cast<double>(frame.first_bit) * clock.interval_s();
        table.rows.push_back({at + source.signal.from_s, std::string(kind), static_cast<double>(frame.words),
                              std::string(name_of(frame))});
    }
    outcome.add("frames", static_cast<double>(seen.count), Unit::count);
    outcome.add("check_errors", static_cast<double>(seen.wrong_checks), Unit::count);
    outcome.add("broken_frames", static_cast<double>(seen.broken), Unit::count);
    if (all > 0) {
        outcome.add("frame_error_ratio", static_cast<double>(wrong) / static_cast<double>(all), Unit::none);
        outcome.add("frame_error_ratio_at_most", proportion_interval(wrong, all, 0.9).high, Unit::none);
    } else {
        outcome.notes.push_back("the record holds no frame, only primitives");
    }
    outcome.add("characters", static_cast<double>(stream->characters), Unit::count);
    outcome.add("code_errors", static_cast<double>(stream->code_errors), Unit::count);
    outcome.add("disparity_errors", static_cast<double>(stream->disparity_errors), Unit::count);
    outcome.add("stray_words", static_cast<double>(seen.stray_words), Unit::count);
    outcome.add("final_disparity", stream->positive ? 1 : -1, Unit::none);
    if (!table.rows.empty()) outcome.tables.push_back(std::move(table));
    Table primitives{"primitives", "Primitives", {{"primitive", Unit::none}, {"count", Unit::count}}, {}};
    for (const auto& [name, count] : seen.primitives)
        primitives.rows.push_back({name, static_cast<double>(count)});
    outcome.tables.push_back(std::move(primitives));
    note_clock(source, clock, p, outcome);
    return outcome;
}

}  // namespace

Procedure storage_frames() {
    return {
        "storage.frames",
        "Frames of a storage link and their errors",
        "Characters of the 8b/10b stream become primitives and frames (Serial ATA, link layer): data is "
        "descrambled and held against its check of 32 bits. Repeats behind CONT and ALIGN within frames are "
        "known.",
        frames_parameters,
        frames_traces,
        frames_products,
        waveform_setup,
        measure_frames,
        preset_named};
}

}  // namespace rt
