#include <fmt/core.h>

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/count_columns.hpp"
#include "lab/captures/kind.hpp"
#include "lab/clock.hpp"
#include "lab/now.hpp"

namespace rt::lab {
namespace {

// How far it was counted stands above the table, where it matters.
std::string course_lines(const Counts& c) {
    std::string out;
    const auto line = [&](const char* key, const std::string& value) {
        out += std::string("# ") + key + ": " + value + "\n";
    };
    if (c.planned > 0) line("planned", std::to_string(c.planned));
    if (c.seconds) line("seconds", exact(*c.seconds));
    if (!c.method.empty()) line("method", c.method);
    if (c.stopping.kind == Stopping::Kind::count) return out;
    line("stop", name(c.stopping.kind));
    if (c.stopping.kind == Stopping::Kind::time) return out;
    line("limit", exact(c.stopping.limit));
    line("good", exact(c.stopping.good));
    line("risk_pass", exact(c.stopping.risk_pass));
    line("risk_fail", exact(c.stopping.risk_fail));
    line("looks", std::to_string(c.stopping.looks));
    line("decides", c.stopping.by_bits ? "bits" : "packets");
    return out;
}

void read_course(const CsvTable& csv, const std::string& file, Counts& c) {
    const auto number = [&](const char* key) -> std::optional<double> {
        const std::string text = csv.remark(key);
        if (text.empty()) return std::nullopt;
        const auto value = to_double(text);
        if (!value || *value < 0 || *value > 9e15)
            fail_input(file, "the remark " + std::string(key) + ": " + in_quotes(text) + " is no number");
        return value;
    };
    c.planned = static_cast<std::uint64_t>(number("planned").value_or(0));
    c.seconds = number("seconds");
    c.method = csv.remark("method");
    const std::string stop = csv.remark("stop");
    for (const auto kind : {Stopping::Kind::sequential, Stopping::Kind::bounds, Stopping::Kind::time}) {
        if (stop == name(kind)) c.stopping.kind = kind;
    }
    if (!stop.empty() && stop != name(c.stopping.kind))
        fail_input(file, "the remark stop: " + in_quotes(stop) +
                             " is not known; write count, sequential, bounds or time");
    c.stopping.limit = number("limit").value_or(0), c.stopping.good = number("good").value_or(0);
    c.stopping.risk_pass = number("risk_pass").value_or(c.stopping.risk_pass);
    c.stopping.risk_fail = number("risk_fail").value_or(c.stopping.risk_fail);
    c.stopping.looks = static_cast<std::uint64_t>(number("looks").value_or(1));
    c.stopping.by_bits = csv.remark("decides") == "bits";
    try {
        require_valid(c.stopping);
    } catch (const Error& error) {
        fail_input(file, error.message());
    }
}

std::string table_of(const Counts& c) {
    return fmt::format("{}{}packets_sent,packets_received,bits,bit_errors\n{},{},{},{}\n",
                       distrust_line(c.distrust), course_lines(c), c.packets_sent, c.packets_received, c.bits,
                       c.bit_errors);
}

// Counts of different settings are never added up: a column that is not understood may tell them apart.
void require_count_columns(const CsvTable& csv, const std::string& file) {
    for (const auto& column : csv.columns()) {
        if (is_twice(csv, column)) fail_input(file, "two columns are called " + in_quotes(column.name));
        if (is_count(column)) continue;
        fail_input(file,
                   "the column " + in_quotes(column.name) +
                       " is not understood, and counts of different settings cannot be added up: one file "
                       "holds packets_sent and packets_received, or bits and bit_errors; a table with a "
                       "column of settings is taken by measure as so many points");
    }
    if (csv.rows() == 0) fail_input(file, "has a heading but no rows");
    if (!csv.find("bits") && !csv.find("bit_errors")) csv.required("packets_sent");
    require_count_pairs(csv);
}

Counts counts_of(const CsvTable& csv, const std::string& file) {
    require_count_columns(csv, file);
    Counts counts;
    counts.distrust = distrust_of(csv);
    read_course(csv, file, counts);
    for (std::size_t row = 0; row < csv.rows(); ++row) add_counts(csv, row, counts);
    require_valid(counts, file);
    return counts;
}

}  // namespace

namespace {

// So many packets in one go.
Counts counted_once(InstrumentRole& counter, std::uint64_t packets, double seconds_per_packet) {
    ScpiSession& session = counter.session();
    session.send("set_packets", {{"count", std::to_string(packets)}});
    const Instrument& instrument = counter.instrument();
    require_done(session, "count",
                 instrument.timeout_s + 3 * static_cast<double>(packets) * seconds_per_packet, "count");
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
    Counts counts;
    counts.packets_sent = numbers[0], counts.packets_received = numbers[1];
    counts.bits = numbers[2], counts.bit_errors = numbers[3];
    if (counts.packets_received > counts.packets_sent || counts.bit_errors > counts.bits)
        session.fail("the counts contradict each other: " + in_quotes(text));
    counts.distrust = read_distrust(session, "lower the level");
    // One that counts no packets counts bits in their place.
    const bool only_bits = counts.packets_sent == 0 && counts.bits > 0;
    const bool others = only_bits                    ? counts.bits < packets
                        : instrument.program.empty() ? counts.packets_sent != packets
                                                     : counts.packets_sent < packets;
    if (!counts.distrust && others) {
        counts.distrust =
            fmt::format("{} {} {} {}, {} were asked for", instrument.role, only_bits ? "compared" : "sent",
                        counts.counted(), only_bits ? "bits" : "packets", packets);
    }
    return counts;
}

}  // namespace

namespace {

// How it counts, where it can count in several ways. One that has no way to count gives counts that mean
// nothing.
void name_method(InstrumentRole& counter, Counts& counts) {
    const std::string word = lower(trim(counter.session().ask("query_method")));
    counts.method = word.starts_with("scan") ? "scan requests" : word.starts_with("conn") ? "connection" : "";
    if (counts.method.empty() && !counts.distrust)
        counts.distrust =
            "the device takes neither scan requests nor connections: " + counter.instrument().role +
            " has no way to count its packet errors";
}

}  // namespace

Counts count(InstrumentRole& counter, const CountSetup& setup) {
    using Kind = Stopping::Kind;
    const std::uint64_t at_once = setup.at_once > 0 ? setup.at_once : setup.packets;
    const bool by_time = setup.stopping.kind == Kind::time;
    const Stopwatch watch;
    Counts all;
    for (bool on = true; on;) {
        const std::uint64_t left =
            by_time ? at_once
                    : std::max<std::uint64_t>(1, setup.packets - std::min(setup.packets, all.counted()));
        const Counts more = counted_once(counter, std::min(at_once, left), setup.seconds_per_packet);
        all.packets_sent += more.packets_sent, all.packets_received += more.packets_received;
        all.bits += more.bits, all.bit_errors += more.bit_errors;
        all.distrust = more.distrust;
        const std::uint64_t wrong =
            setup.stopping.by_bits ? all.bit_errors : all.packets_sent - all.packets_received;
        tell_now(by_time ? fmt::format("{} counted, {} wrong", all.counted(), wrong)
                         : fmt::format("{} of {} counted, {} wrong", all.counted(), setup.packets, wrong));
        const auto course =
            setup.stopping.by_bits
                ? course_of(setup.stopping, all.bit_errors, all.bits)
                : course_of(setup.stopping, all.packets_sent - all.packets_received, all.packets_sent);
        on = !all.distrust && course == Course::undecided &&
             (by_time ? watch.seconds() < setup.seconds : all.counted() < setup.packets);
    }
    all.seconds = watch.seconds();
    if (counter.session().knows("query_method")) name_method(counter, all);
    all.stopping = setup.stopping;
    if (setup.stopping.by_bits && all.bits == 0 && !all.distrust && setup.stopping.kind != Kind::count)
        all.distrust = counter.instrument().role + " compares no bits: let packets decide";
    if (!by_time) all.planned = setup.packets;
    return all;
}

namespace {

class CountsKind : public KindOf<Counts> {
    const char* instrument() const override { return "counter"; }
    Figures figures() const override { return Figures::none; }
    Counts ask(InstrumentRole& role, const CountSetup& s) const override { return count(role, s); }
    double seconds_of(const Instrument&, const CountSetup& s) const override {
        return s.stopping.kind == Stopping::Kind::time
                   ? s.seconds
                   : static_cast<double>(s.packets) * s.seconds_per_packet;
    }
    std::string text_of(const CountSetup& s) const override {
        if (s.stopping.kind == Stopping::Kind::time)
            return "packets for " + format({s.seconds, Unit::second});
        if (s.stopping.kind == Stopping::Kind::count) return std::to_string(s.packets) + " packets";
        return fmt::format("at most {} packets, {}", s.packets, rt::text_of(s.stopping));
    }
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
