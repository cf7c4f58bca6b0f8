// Bias curves from a source-measure unit: at each value of its input a sweep of its output.
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/kind.hpp"
#include "lab/captures/table_text.hpp"

namespace rt::lab {
namespace {

double value_at(const ForcedSteps& steps, std::size_t index) {
    if (steps.points < 2) return steps.from;
    return steps.from +
           (steps.to - steps.from) * static_cast<double>(index) / static_cast<double>(steps.points - 1);
}

BiasPoint measured(ScpiSession& session) {
    const std::string text = session.ask_alone("measure");
    std::array<double, 6> values{};
    const auto parts = split(text, ',');
    if (parts.size() != values.size())
        session.fail(
            "six numbers were expected (voltage, current and compliance of both channels), the answer is " +
            in_quotes(text));
    for (std::size_t i = 0; i < values.size(); ++i) {
        const auto value = to_reading(std::string(trim(parts[i])));
        if (!value) session.fail("a voltage or a current was expected, the answer is " + in_quotes(text));
        values[i] = *value;
    }
    return {values[0], values[1], values[3], values[4], values[2] != 0, values[5] != 0};
}

}  // namespace

BiasCurves sweep_bias(InstrumentRole& role, const BiasSetup& setup) {
    ScpiSession& session = role.session();
    const auto set = [&](const char* setting, double value, Unit unit) {
        role.set(setting, format_exact({value, unit}));
    };
    BiasCurves out;
    out.input_current = setup.input_current;
    const char* const force = setup.input_current ? "input_current" : "input_voltage";
    const Unit forced = setup.input_current ? Unit::ampere : Unit::volt;
    set(force, 0, forced);
    set("output_voltage", 0, Unit::volt);
    set(setup.input_current ? "input_voltage_limit" : "input_limit", setup.input_compliance,
        setup.input_current ? Unit::volt : Unit::ampere);
    set("output_limit", setup.output_compliance, Unit::ampere);
    role.set("output", "ON");
    forget_overload(session);
    for (std::size_t i = 0; i < setup.input.points; ++i) {
        set(force, value_at(setup.input, i), forced);
        for (std::size_t k = 0; k < setup.output.points; ++k) {
            set("output_voltage", value_at(setup.output, k), Unit::volt);
            out.points.push_back(measured(session));
        }
    }
    // Nothing stays on at a device that nobody looks at.
    set("output_voltage", 0, Unit::volt);
    set(force, 0, forced);
    role.set("output", "OFF");
    out.distrust = read_distrust(session, "lower the bias");
    return out;
}

namespace {

class BiasCurvesKind : public KindOf<BiasCurves> {
    const char* instrument() const override { return "source-measure"; }
    Figures figures() const override { return Figures::few; }
    bool moves_settings() const override { return true; }
    BiasCurves ask(InstrumentRole& role, const BiasSetup& s) const override { return sweep_bias(role, s); }
    double seconds_of(const Instrument&, const BiasSetup& s) const override {
        return static_cast<double>(s.input.points * s.output.points) * (s.settling_s + 0.01);
    }
    std::string text_of(const BiasSetup& s) const override {
        const Unit forced = s.input_current ? Unit::ampere : Unit::volt;
        return "input " + format({s.input.from, forced}) + " to " + format({s.input.to, forced}) + ", " +
               std::to_string(s.input.points) + " curves; output " + format({s.output.from, Unit::volt}) +
               " to " + format({s.output.to, Unit::volt}) + ", " + std::to_string(s.output.points) +
               " points";
    }
    std::optional<Band> band_of(const BiasSetup&) const override { return std::nullopt; }
    std::optional<Unit> unit_of(const BiasSetup&) const override { return std::nullopt; }
    void complete(BiasCurves&, std::optional<double>) const override {}
    WrittenCapture keep(const std::filesystem::path& stem, const BiasCurves& data) const override {
        std::string out =
            distrust_line(data.distrust) +
            "# forced at the input: " + (data.input_current ? "current" : "voltage") +
            "\ninput voltage [V],input current [A],output voltage [V],output current [A],limited\n";
        for (const auto& p : data.points)
            out += exact(p.input_v) + "," + exact(p.input_a) + "," + exact(p.output_v) + "," +
                   exact(p.output_a) + "," +
                   (p.input_limited && p.output_limited ? "both"
                    : p.input_limited                   ? "input"
                    : p.output_limited                  ? "output"
                                                        : "") +
                   "\n";
        return keep_text(stem, ".csv", std::move(out));
    }
    std::optional<BiasCurves> from_table(std::string_view heading, std::string_view text,
                                         const std::string& file, const CaptureHints&) const override {
        if (!heading.starts_with("input voltage")) return std::nullopt;
        const CsvTable csv(text, file);
        BiasCurves out;
        out.distrust = distrust_of(csv);
        const std::string forced = csv.remark("forced at the input");
        if (!forced.empty() && forced != "voltage" && forced != "current")
            fail_input(
                file, "the remark \"forced at the input\" says voltage or current, not " + in_quotes(forced));
        out.input_current = forced == "current";
        const CsvColumn* const columns[]{&csv.required("input voltage"), &csv.required("input current"),
                                         &csv.required("output voltage"), &csv.required("output current")};
        for (int i = 0; i < 4; ++i) {
            const Unit unit = i % 2 == 0 ? Unit::volt : Unit::ampere;
            if (!columns[i]->unit || columns[i]->unit->unit != unit)
                fail_input(csv.place(*columns[i]),
                           "write the unit: " + columns[i]->name + " [" + symbol(unit) + "]");
        }
        const CsvColumn* limited = csv.find("limited");
        for (std::size_t row = 0; row < csv.rows(); ++row) {
            BiasPoint p{csv.number(*columns[0], row), csv.number(*columns[1], row),
                        csv.number(*columns[2], row), csv.number(*columns[3], row)};
            if (limited) {
                const std::string& word = limited->cells[row];
                if (!word.empty() && word != "input" && word != "output" && word != "both")
                    fail_input(csv.place(*limited, row),
                               in_quotes(word) + ": write input, output, both or nothing");
                p.input_limited = word == "input" || word == "both";
                p.output_limited = word == "output" || word == "both";
            }
            out.points.push_back(p);
        }
        if (out.points.empty()) fail_input(file, "there are no bias points");
        return out;
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<BiasCurves>() {
    static const BiasCurvesKind kind;
    return kind;
}

}  // namespace rt::lab
