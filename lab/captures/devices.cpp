#include <fmt/core.h>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/kind.hpp"
#include "lab/formats/devices_csv.hpp"

namespace rt::lab {

Devices find_devices(InstrumentRole& tester, const DeviceSetup& setup) {
    ScpiSession& session = tester.session();
    if (!session.knows("search") || !session.knows("read_devices"))
        session.fail("its dialect has no commands search and read_devices: it finds no devices");
    if (session.knows("set_search_time")) session.send("set_search_time", {{"s", exact(setup.seconds)}});
    require_done(session, "search", tester.instrument().timeout_s + 2 * setup.seconds, "search");
    Devices out;
    try {
        out = parse_devices_csv(session.ask_block("read_devices"), "the answer to read_devices");
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::input) throw;
        session.fail(error.what());
    }
    if (!out.observed_s) out.observed_s = setup.seconds;
    if (auto distrust = read_distrust(session, "move away")) out.distrust = distrust;
    return out;
}

namespace {

class DevicesKind : public KindOf<Devices> {
    const char* instrument() const override { return "counter"; }
    const char* needs_command() const override { return "search"; }
    Figures figures() const override { return Figures::few; }
    Devices ask(InstrumentRole& role, const DeviceSetup& s) const override { return find_devices(role, s); }
    double seconds_of(const Instrument&, const DeviceSetup& s) const override { return s.seconds; }
    std::string text_of(const DeviceSetup& s) const override {
        return "devices heard within " + format({s.seconds, Unit::second}, 3);
    }
    std::optional<Band> band_of(const DeviceSetup&) const override { return std::nullopt; }
    std::optional<Unit> unit_of(const DeviceSetup&) const override { return std::nullopt; }
    void complete(Devices&, std::optional<double>) const override {}
    WrittenCapture keep(const std::filesystem::path& stem, const Devices& data) const override {
        return keep_text(stem, ".csv", devices_csv(data));
    }
    std::optional<Devices> from_table(std::string_view heading, std::string_view text,
                                      const std::string& file, const CaptureHints&) const override {
        if (!heading.starts_with("address")) return std::nullopt;
        return parse_devices_csv(text, file);
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<Devices>() {
    static const DevicesKind kind;
    return kind;
}

}  // namespace rt::lab
