#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/kind.hpp"
#include "lab/captures/table_text.hpp"

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
    back.number("frequency", "the frequency", setup.frequency_hz, 1e-4 * setup.frequency_hz, Unit::hertz);
    if (meter.instrument().dialect.levels == Unit::none) back.word("unit", "readings in", "DBM");
    std::optional<std::string> odd = back.distrust();
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
        return "power at " + format({s.frequency_hz, Unit::hertz}) + ", sensor " + std::to_string(s.sensor);
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
