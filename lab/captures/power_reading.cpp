#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/quantity/light.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/kind.hpp"
#include "lab/captures/table_text.hpp"
#include "lab/model/placeholder.hpp"

namespace rt::lab {
namespace {

std::string table_of(const PowerReading& p) {
    const auto& c = p.correction_db;
    return distrust_line(p.distrust) + "sensor,frequency [Hz],level [dBm]" +
           (c ? ",correction [dB]\n" : "\n") + std::to_string(p.sensor) + "," + exact(p.frequency_hz) + "," +
           exact(p.level_dbm) + (c ? "," + exact(*c) : "") + "\n";
}

PowerReading power_of(const CsvTable& csv, const std::string& file) {
    if (csv.rows() != 1) fail_input(file, "a power reading has one row, not " + std::to_string(csv.rows()));
    PowerReading reading;
    reading.distrust = distrust_of(csv);
    const CsvColumn& level = csv.required("level");
    if (!level.unit || level.unit->unit != Unit::dbm) fail_input(file, "write the level as level [dBm]");
    reading.level_dbm = csv.number(level, 0);
    if (const auto* frequency = csv.find("frequency")) reading.frequency_hz = csv.number(*frequency, 0);
    if (const auto* correction = csv.find("correction")) reading.correction_db = csv.number(*correction, 0);
    reading.sensor = static_cast<int>(whole(csv, csv.required("sensor"), 0));
    return reading;
}

// Whether the meter is told a wavelength: one of light.
bool told_wavelength(const InstrumentRole& meter) {
    const auto& commands = meter.instrument().dialect.commands;
    const auto command = commands.find("set_frequency");
    if (command == commands.end()) return false;
    const auto holes = parse_command(command->second, Unit::hertz).holes;
    return std::any_of(holes.begin(), holes.end(), [](const Placeholder& hole) { return hole.wavelength; });
}

// Why it has not the wavelength that it was told, where it says which it has: in metres, or in nanometres.
std::optional<std::string> other_wavelength(ScpiSession& session, double wavelength_m) {
    const auto said = session.ask_if_known("query_frequency");
    if (!said) return std::nullopt;
    const auto number = parse_scpi_number(*said);
    constexpr double tolerance = 1e-4;
    const auto is = [&](double value) { return number && std::abs(*number - value) <= tolerance * value; };
    if (is(wavelength_m) || is(wavelength_m * 1e9)) return std::nullopt;
    return session.instrument().role + " has the wavelength " + *said + ", " +
           format({wavelength_m, Unit::metre}) + " was asked for";
}

}  // namespace

PowerReading read_power(InstrumentRole& meter, const PowerSetup& setup) {
    ScpiSession& session = meter.session();
    session.send("set_frequency", {{"value", exact(setup.frequency_hz)}});
    session.send("set_averages", {{"count", std::to_string(setup.averages)}});
    forget_overload(session);
    PowerReading reading;
    reading.frequency_hz = setup.frequency_hz;
    reading.sensor = setup.sensor;
    const std::string text = session.ask_alone("read_power", {{"sensor", std::to_string(setup.sensor)}});
    const auto level = to_reading(text);
    if (!level || std::abs(*level) > 1e6) {
        const auto errors = session.drain_errors();
        if (!errors.empty()) session.fail("no power was read: " + errors.front());
        session.fail("a power was expected, the answer is " + in_quotes(text));
    }
    // It has had during the reading what it has now, whoever changed it before.
    ReadBack back(session);
    std::optional<std::string> odd;
    if (told_wavelength(meter)) {
        odd = other_wavelength(session, wavelength_of(setup.frequency_hz));
    } else {
        back.number("frequency", "the frequency", setup.frequency_hz, 1e-4 * setup.frequency_hz, Unit::hertz);
    }
    if (meter.instrument().dialect.levels == Unit::none) back.word("unit", "readings in", "DBM");
    if (!odd) odd = back.distrust();
    const double dbm = level_in(meter.instrument(), *level, Unit::dbm, odd);
    reading.level_dbm = std::round(dbm * 1e4) / 1e4;  // as the kept capture states it
    reading.distrust = read_distrust(session, "lower the power or put an attenuator before the sensor");
    if (!reading.distrust) reading.distrust = odd;
    return reading;
}

namespace {

class PowerKind : public KindOf<PowerReading> {
    const char* instrument() const override { return "power-meter"; }
    Figures figures() const override { return Figures::none; }
    PowerReading ask(InstrumentRole& role, const PowerSetup& s) const override { return read_power(role, s); }
    double seconds_of(const Instrument&, const PowerSetup& s) const override { return s.averages * 0.01; }
    std::string text_of(const PowerSetup& s) const override {
        constexpr double light_hz = 1e12;
        const std::string at = s.frequency_hz < light_hz
                                   ? format({s.frequency_hz, Unit::hertz})
                                   : format({wavelength_of(s.frequency_hz) * 1e9, Unit::none}) + " nm";
        return "power at " + at + ", sensor " + std::to_string(s.sensor);
    }
    std::optional<Band> band_of(const PowerSetup& s) const override {
        return Band{s.frequency_hz, s.frequency_hz};
    }
    std::optional<Unit> unit_of(const PowerSetup&) const override { return std::nullopt; }
    void complete(PowerReading&, std::optional<double>) const override {}
    WrittenCapture keep(const std::filesystem::path& stem, const PowerReading& data) const override {
        return keep_text(stem, ".csv", table_of(data));
    }
    std::optional<PowerReading> from_table(std::string_view heading, std::string_view text,
                                           const std::string& file, const CaptureHints&) const override {
        if (!heading.starts_with("sensor")) return std::nullopt;
        return power_of(CsvTable(text, file), file);
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<PowerReading>() {
    static const PowerKind kind;
    return kind;
}

}  // namespace rt::lab
