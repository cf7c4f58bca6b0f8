// Error terms as a table: frequency, real and imaginary part of each term, and where noise is known how each
// moves with it.
#include <fmt/core.h>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"
#include "lab/captures/made_kind.hpp"
#include "lab/captures/table_text.hpp"

namespace rt::lab {
namespace {

std::string heading_of(std::size_t moves) {
    std::string out = "terms at [Hz]";
    for (const char* term : term_names) out += fmt::format(",{0} real [],{0} imaginary []", term);
    for (std::size_t m = 1; m <= moves; ++m)
        for (const char* term : term_names)
            out += fmt::format(",{0} real by {1} [],{0} imaginary by {1} []", term, m);
    return out;
}

std::string text_of_terms(const ErrorTerms& t) {
    std::size_t moves = 0;
    for (const auto& here : t.moves) moves = std::max(moves, here.size());
    std::string out = distrust_line(t.distrust) + "# method: " + t.method +
                      "\n# ports: " + std::to_string(t.ports) + "\n# reference: " + exact(t.reference_ohm) +
                      " ohm\n";
    if (t.ports == 1) out += "# port: " + std::to_string(t.port) + "\n";
    if (t.source_dbm) out += "# source level: " + format_exact({*t.source_dbm, Unit::dbm}) + "\n";
    if (t.attenuator_db) out += "# source attenuator: " + format_exact({*t.attenuator_db, Unit::db}) + "\n";
    if (moves > 0)
        out += "# noise floor: " + exact(t.noise_floor) + "\n# noise share: " + exact(t.noise_share) + "\n";
    for (const auto& text : t.deviations) out += "# deviation: " + text + "\n";
    out += heading_of(moves) + "\n";
    const auto put = [&](const TermValues& values) {
        for (const auto& value : values) out += "," + exact(value.real()) + "," + exact(value.imag());
    };
    for (std::size_t i = 0; i < t.frequency_hz.size(); ++i) {
        out += exact(t.frequency_hz[i]);
        put(t.values[i]);
        for (std::size_t m = 0; m < moves; ++m) put(m < t.moves[i].size() ? t.moves[i][m] : TermValues{});
        out += "\n";
    }
    return out;
}

ErrorTerms read_terms(const CsvTable& csv, const std::string& file) {
    ErrorTerms out;
    out.distrust = distrust_of(csv);
    out.method = csv.remark("method");
    const auto number = [&](const char* name, double otherwise) {
        const std::string text = csv.remark(name);
        if (text.empty()) return otherwise;
        const auto value = to_double(text);
        if (!value) fail_input(file, std::string("the remark ") + name + " is no number: " + in_quotes(text));
        return *value;
    };
    const auto stated = [&](const char* name, Unit unit) -> std::optional<double> {
        const std::string text = csv.remark(name);
        if (text.empty()) return std::nullopt;
        try {
            return parse_quantity(text, unit).value;
        } catch (const Error& error) {
            fail_input(file, std::string("the remark ") + name + ": " + error.message());
        }
    };
    const double ports = number("ports", 2), port = number("port", 1);
    if ((ports != 1 && ports != 2) || (port != 1 && port != 2))
        fail_input(file, "error terms are of one or two ports: # ports: 2");
    out.ports = static_cast<std::size_t>(ports), out.port = static_cast<std::size_t>(port);
    out.reference_ohm = stated("reference", Unit::ohm).value_or(50);
    out.source_dbm = stated("source level", Unit::dbm);
    out.attenuator_db = stated("source attenuator", Unit::db);
    out.noise_floor = number("noise floor", 0), out.noise_share = number("noise share", 0);
    for (const auto& remark : csv.remarks()) {
        if (remark.name == "deviation") out.deviations.push_back(remark.value);
    }
    const auto& columns = csv.columns();
    constexpr std::size_t block = 2 * term_count;
    if (columns.size() < 1 + block || (columns.size() - 1) % block != 0)
        fail_input(file, "error terms have the columns " + heading_of(0));
    for (std::size_t row = 0; row < csv.rows(); ++row) {
        const double hz = csv.number(columns[0], row);
        if (!out.frequency_hz.empty() && !(hz > out.frequency_hz.back()))
            fail_input(csv.place(columns[0], row), "the frequencies must rise");
        out.frequency_hz.push_back(hz);
        const auto values = [&](std::size_t first) {
            TermValues v;
            for (std::size_t t = 0; t < term_count; ++t)
                v[t] = {csv.number(columns[first + 2 * t], row), csv.number(columns[first + 2 * t + 1], row)};
            return v;
        };
        out.values.push_back(values(1));
        if (columns.size() == 1 + block) continue;
        auto& moves = out.moves.emplace_back();
        for (std::size_t first = 1 + block; first < columns.size(); first += block)
            moves.push_back(values(first));
    }
    if (out.frequency_hz.empty()) fail_input(file, "there are no error terms");
    return out;
}

class ErrorTermsKind : public MadeKind<ErrorTerms> {
    Figures figures() const override { return Figures::few; }
    std::string text_of(const ErrorTermsSetup&) const override { return "error terms"; }
    WrittenCapture keep(const std::filesystem::path& stem, const ErrorTerms& data) const override {
        return keep_text(stem, ".csv", text_of_terms(data));
    }
    std::optional<ErrorTerms> from_table(std::string_view heading, std::string_view text,
                                         const std::string& file, const CaptureHints&) const override {
        if (!heading.starts_with("terms at [Hz],EDF real")) return std::nullopt;
        return read_terms(CsvTable(text, file), file);
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<ErrorTerms>() {
    static const ErrorTermsKind kind;
    return kind;
}

}  // namespace rt::lab
