#include <fmt/core.h>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/kind.hpp"
#include "lab/formats/traffic_csv.hpp"

namespace rt::lab {

Traffic pass_traffic(InstrumentRole& role, const TrafficSetup& setup) {
    ScpiSession& session = role.session();
    session.send("set_rate", {{"bps", exact(setup.rate_bps)}});
    session.send("set_length", {{"octets", std::to_string(setup.octets)}});
    session.send("set_time", {{"s", exact(setup.seconds)}});
    session.send("set_way", {{"way", name(setup.way)}});
    require_done(session, "run", role.instrument().timeout_s + 2 * setup.seconds + 5, "traffic");
    Traffic out;
    try {
        const std::string text = session.ask_block("read_traffic");
        if (text.starts_with(traffic_failed))
            session.fail(std::string(trim(text.substr(traffic_failed.size()))));
        out = parse_traffic_csv(text, "the answer to read_traffic");
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::input) throw;
        session.fail(error.what());
    }
    if (auto distrust = read_distrust(session, "offer less")) out.distrust = distrust;
    const std::size_t ways = setup.way == TrafficWay::both ? 2 : 1;
    const bool asked = out.flows.size() == ways && (ways == 2 || out.flows[0].way == name(setup.way)) &&
                       out.flows[0].octets == setup.octets;
    if (!asked && !out.distrust)
        out.distrust = role.instrument().role + " counted another traffic than it was asked for";
    return out;
}

namespace {

class TrafficKind : public KindOf<Traffic> {
    const char* instrument() const override { return "traffic"; }
    Figures figures() const override { return Figures::few; }
    Traffic ask(InstrumentRole& role, const TrafficSetup& s) const override { return pass_traffic(role, s); }
    double seconds_of(const Instrument&, const TrafficSetup& s) const override { return s.seconds; }
    std::string text_of(const TrafficSetup& s) const override {
        return fmt::format("{} in frames of {} octets for {}, {}",
                           format({s.rate_bps, Unit::bit_per_second}, 4), s.octets,
                           format({s.seconds, Unit::second}, 4), rt::name(s.way));
    }
    std::optional<Band> band_of(const TrafficSetup&) const override { return std::nullopt; }
    std::optional<Unit> unit_of(const TrafficSetup&) const override { return std::nullopt; }
    void complete(Traffic&, std::optional<double>) const override {}
    WrittenCapture keep(const std::filesystem::path& stem, const Traffic& data) const override {
        return keep_text(stem, ".csv", traffic_csv(data));
    }
    std::optional<Traffic> from_table(std::string_view heading, std::string_view text,
                                      const std::string& file, const CaptureHints&) const override {
        if (!heading.starts_with("way,time")) return std::nullopt;
        return parse_traffic_csv(text, file);
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<Traffic>() {
    static const TrafficKind kind;
    return kind;
}

}  // namespace rt::lab
