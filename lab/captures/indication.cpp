#include <fmt/core.h>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/kind.hpp"
#include "lab/captures/table_text.hpp"
#include "lab/clock.hpp"

namespace rt::lab {
namespace {

std::string table_of(const Indication& seen) {
    std::string out = distrust_line(seen.distrust);
    if (seen.by_person) out += "# read: by a person\n";
    out += "reading,at [s],deviation [],flag [],level []\n";
    std::size_t number = 0;
    for (const auto& r : seen.readings)
        out += fmt::format("{},{},{},{},{}\n", ++number, exact(r.at_s), exact(r.deviation),
                           r.flag ? (*r.flag ? "1" : "0") : "", r.level ? exact(*r.level) : "");
    return out;
}

Indication indication_of(const CsvTable& csv, const std::string& file) {
    Indication out;
    out.distrust = distrust_of(csv);
    out.by_person = csv.remark("read") == "by a person";
    const CsvColumn& deviation = csv.required("deviation");
    const auto *at = csv.find("at"), *flag = csv.find("flag"), *level = csv.find("level");
    if (csv.rows() == 0) fail_input(file, "has a heading but no readings");
    for (std::size_t row = 0; row < csv.rows(); ++row) {
        Indication::Reading reading;
        reading.deviation = csv.number(deviation, row);
        if (at) reading.at_s = csv.number(*at, row);
        if (flag && !flag->cells[row].empty()) {
            const std::string word = flag->cells[row];
            if (word != "0" && word != "1")
                fail_input(file, fmt::format("row {}: the flag is {}: write 1 while it is shown, else 0",
                                             row + 1, in_quotes(word)));
            reading.flag = word == "1";
        }
        if (level && !level->cells[row].empty()) reading.level = csv.number(*level, row);
        out.readings.push_back(reading);
    }
    return out;
}

}  // namespace

Indication read_indication(InstrumentRole& indicator, const IndicationSetup& setup) {
    ScpiSession& session = indicator.session();
    Indication out;
    const Stopwatch watch;
    const auto number = [&](const char* command) {
        const std::string text = session.ask_alone(command);
        const auto value = parse_scpi_number(text);
        if (!value)
            session.fail(std::string("a number was expected for ") + command + ", the answer is " +
                         in_quotes(text));
        return *value;
    };
    for (std::size_t i = 0; i < setup.readings; ++i) {
        if (i > 0) clock().sleep(setup.every_s);
        Indication::Reading reading;
        reading.at_s = i == 0 ? 0 : watch.seconds();
        reading.deviation = number("read_deviation");
        if (session.knows("read_flag")) {
            const double flag = number("read_flag");
            if (flag != 0 && flag != 1) session.fail("1 or 0 was expected for read_flag");
            reading.flag = flag == 1;
        }
        if (session.knows("read_level")) reading.level = number("read_level");
        out.readings.push_back(reading);
    }
    out.distrust = read_distrust(session, "see the receiver");
    return out;
}

Indication typed_indication(const std::string& text) {
    Indication out;
    out.by_person = true;
    Indication::Reading reading;
    std::optional<double> deviation;
    reading.flag = false;
    for (const auto word : split(text, ' ')) {
        const std::string low = lower(trim(word));
        if (low.empty()) continue;
        if (low == "flag") {
            reading.flag = true;
        } else if (const auto value = to_double(low); value && !deviation) {
            deviation = value;
        } else {
            fail_input(in_quotes(word) +
                       " is no reading: type what it indicates, such as -75, with the word flag "
                       "behind it while the flag is shown, or flag alone");
        }
    }
    if (!deviation && !reading.flag.value_or(false))
        fail_input("type what it indicates, such as -75, or flag");
    reading.deviation = deviation.value_or(0);
    out.readings.push_back(reading);
    return out;
}

namespace {

class IndicationKind : public KindOf<Indication> {
    const char* instrument() const override { return "indicator"; }
    Figures figures() const override { return Figures::none; }
    Indication ask(InstrumentRole& role, const IndicationSetup& s) const override {
        return read_indication(role, s);
    }
    double seconds_of(const Instrument&, const IndicationSetup& s) const override {
        return static_cast<double>(s.readings - 1) * s.every_s;
    }
    std::string text_of(const IndicationSetup& s) const override {
        return fmt::format("{} reading{} of the indicator", s.readings, s.readings == 1 ? "" : "s");
    }
    std::optional<Band> band_of(const IndicationSetup&) const override { return std::nullopt; }
    std::optional<Unit> unit_of(const IndicationSetup&) const override { return std::nullopt; }
    void complete(Indication&, std::optional<double>) const override {}
    WrittenCapture keep(const std::filesystem::path& stem, const Indication& data) const override {
        return keep_text(stem, ".csv", table_of(data));
    }
    std::optional<Indication> from_table(std::string_view heading, std::string_view text,
                                         const std::string& file, const CaptureHints&) const override {
        if (!heading.starts_with("reading,")) return std::nullopt;
        return indication_of(CsvTable(text, file), file);
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<Indication>() {
    static const IndicationKind kind;
    return kind;
}

}  // namespace rt::lab
