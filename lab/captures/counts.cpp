#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/kind.hpp"
#include "lab/captures/table_text.hpp"

namespace rt::lab {
namespace {

std::string table_of(const Counts& c) {
    return fmt::format("{}packets_sent,packets_received,bits,bit_errors\n{},{},{},{}\n",
                       distrust_line(c.distrust), c.packets_sent, c.packets_received, c.bits, c.bit_errors);
}

// Counts of different settings are never added up: a column that is not understood may tell them apart.
void require_count_columns(const CsvTable& csv, const std::string& file) {
    const std::vector<std::string> known{"packets_sent", "packets_received", "bits", "bit_errors"};
    for (const auto& column : csv.columns()) {
        const auto same = [&](const CsvColumn& other) { return other.name == column.name; };
        if (std::count_if(csv.columns().begin(), csv.columns().end(), same) > 1)
            fail_input(file, "two columns are called " + in_quotes(column.name));
        if (std::find(known.begin(), known.end(), column.name) != known.end()) continue;
        fail_input(file,
                   "the column " + in_quotes(column.name) +
                       " is not understood, and counts of different settings cannot be added up: write "
                       "each setting to a file of its own, with packets_sent and packets_received, or bits "
                       "and bit_errors");
    }
    if (csv.rows() == 0) fail_input(file, "has a heading but no rows");
    if (!csv.find("bits") && !csv.find("bit_errors")) csv.required("packets_sent");
    for (const auto& [one, other] : {std::pair{"packets_sent", "packets_received"}, {"bits", "bit_errors"}}) {
        if (csv.find(one)) csv.required(other);
        if (csv.find(other)) csv.required(one);
    }
}

Counts counts_of(const CsvTable& csv, const std::string& file) {
    require_count_columns(csv, file);
    Counts counts;
    counts.distrust = distrust_of(csv);
    const auto add = [&](const char* name, std::uint64_t& sum) {
        const CsvColumn* column = csv.find(name);
        for (std::size_t row = 0; column && row < csv.rows(); ++row) sum += whole(csv, *column, row);
    };
    add("packets_sent", counts.packets_sent);
    add("packets_received", counts.packets_received);
    add("bits", counts.bits);
    add("bit_errors", counts.bit_errors);
    require_valid(counts, file);
    return counts;
}

}  // namespace

Counts count(InstrumentRole& counter, const CountSetup& setup) {
    ScpiSession& session = counter.session();
    session.send("set_packets", {{"count", std::to_string(setup.packets)}});
    const Instrument& instrument = counter.instrument();
    require_done(session, "count",
                 instrument.timeout_s + 3 * static_cast<double>(setup.packets) * setup.seconds_per_packet,
                 "count");
    const std::string text = session.ask_alone("read_counts");
    const auto parts = split(text, ',');
    std::vector<std::uint64_t> numbers;
    for (const auto part : parts) {
        const auto number = to_double(trim(part));
        if (!number || *number < 0 || *number != std::floor(*number) || *number > 9e15) break;
        numbers.push_back(static_cast<std::uint64_t>(*number));
    }
    if (numbers.size() != 4 || parts.size() != 4)
        session.fail("four whole numbers were expected for read_counts, the answer is " + in_quotes(text));
    Counts counts{numbers[0], numbers[1], numbers[2], numbers[3], {}};
    if (counts.packets_received > counts.packets_sent || counts.bit_errors > counts.bits)
        session.fail("the counts contradict each other: " + in_quotes(text));
    counts.distrust = read_distrust(session, "lower the level");
    if (!counts.distrust && counts.packets_sent != setup.packets) {
        counts.distrust = fmt::format("{} sent {} packets, {} were asked for", instrument.role,
                                      counts.packets_sent, setup.packets);
    }
    return counts;
}

namespace {

class CountsKind : public KindOf<Counts> {
    const char* instrument() const override { return "counter"; }
    Figures figures() const override { return Figures::none; }
    Counts ask(InstrumentRole& role, const CountSetup& s) const override { return count(role, s); }
    double seconds_of(const Instrument&, const CountSetup& s) const override {
        return static_cast<double>(s.packets) * s.seconds_per_packet;
    }
    std::string text_of(const CountSetup& s) const override { return std::to_string(s.packets) + " packets"; }
    std::optional<Band> band_of(const CountSetup&) const override { return std::nullopt; }
    std::optional<Unit> unit_of(const CountSetup&) const override { return std::nullopt; }
    void complete(Counts&, std::optional<double>) const override {}
    WrittenCapture keep(const std::filesystem::path& stem, const Counts& data) const override {
        return keep_text(stem, ".csv", table_of(data));
    }
    std::optional<Counts> from_table(std::string_view heading, std::string_view text, const std::string& file,
                                     const CaptureHints&) const override {
        if (heading.starts_with("point,verdict,")) return std::nullopt;  // results, maybe of such counts
        for (const char* word : {"packets_sent", "packets_received", "bit_errors"}) {
            if (heading.find(word) != std::string_view::npos) return counts_of(CsvTable(text, file), file);
        }
        return std::nullopt;
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<Counts>() {
    static const CountsKind kind;
    return kind;
}

}  // namespace rt::lab
