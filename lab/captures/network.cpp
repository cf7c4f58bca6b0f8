#include <fmt/core.h>

#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/signal/scrambled.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/captures/acquire.hpp"
#include "lab/captures/ask.hpp"
#include "lab/captures/kind.hpp"
#include "lab/formats/touchstone.hpp"

namespace rt::lab {

// What it says of its source; nothing where it is not asked.
static std::optional<double> number_if_known(ScpiSession& session, const char* question) {
    if (!session.knows(question)) return std::nullopt;
    const auto text = session.ask_if_known(question);
    return text ? parse_scpi_number(*text) : std::nullopt;
}

Network scan_network(InstrumentRole& analyser, const NetworkSetup& setup) {
    ScpiSession& session = analyser.session();
    session.send("set_start", {{"hz", exact(setup.start_hz)}});
    session.send("set_stop", {{"hz", exact(setup.stop_hz)}});
    session.send("set_points", {{"count", std::to_string(setup.points)}});
    session.send("set_bandwidth", {{"hz", exact(setup.bandwidth_hz)}});
    // Raw data is the receivers' own; what corrects it comes later.
    // Only what was switched off here is switched on again: an analyser that comes uncorrected stays so.
    const bool was_raw = analyser.was_raw(setup.raw);
    if (session.knows("set_correction") && (setup.raw || was_raw))
        session.send("set_correction", {{"state", setup.raw ? "OFF" : "ON"}});
    ReadBack back(session);
    back.format_of_numbers("read_trace");
    auto differs = back.distrust();
    forget_overload(session);
    Network network;
    network.ports = 2;
    network.source_dbm = number_if_known(session, "query_power");
    network.attenuator_db = number_if_known(session, "query_attenuation");
    network.s.resize(4 * setup.points);
    for (std::size_t i = 0; i < setup.points; ++i) {
        network.frequency_hz.push_back(setup.start_hz + (setup.stop_hz - setup.start_hz) *
                                                            static_cast<double>(i) /
                                                            static_cast<double>(setup.points - 1));
    }
    const double longest =
        analyser.instrument().timeout_s + 3 * static_cast<double>(setup.points) / setup.bandwidth_hz;
    const auto& words = session.instrument().dialect.parameters;
    for (std::size_t parameter = 0; parameter < 4; ++parameter) {
        const bool reflects = parameter == 0 || parameter == 3;
        if (setup.switch_terms && reflects) continue;
        const std::string word = setup.switch_terms
                                     ? parameter == 2 ? "A2B2" : "A1B1"
                                     : fmt::format("S{}{}", parameter / 2 + 1, parameter % 2 + 1);
        const auto said = words.find(word);
        const std::string its_word = said == words.end() ? word : said->second;
        session.send("set_parameter", {{"parameter", its_word}});
        // With the parameter in place: some keep their correction by parameter.
        if (!differs && !setup.raw && session.knows("query_corrected")) {
            const auto on = session.ask_if_known("query_corrected");
            const std::string who = analyser.instrument().role;
            if (!on)
                differs =
                    "the " + who +
                    " does not say whether its correction is on: leave query_corrected out of the dialect if "
                    "it cannot be asked";
            else if (parse_scpi_number(*on) != 1)
                differs = "the correction of the " + who + " is off for " + word +
                          ": calibrate it, or let the bench recall a calibrated state";
        }
        if (!differs && setup.raw && session.ask_if_known("query_corrected").value_or("0") != "0")
            differs = "the correction of the " + analyser.instrument().role +
                      " is on: raw data is wanted; let its dialect have set_correction, or switch it off";
        require_done(session, "sweep", longest, "sweep");
        const auto numbers = session.ask_numbers("read_trace", {}, 2 * setup.points, "trace");
        // It was this parameter if it still is.
        ReadBack which(session);
        which.word("parameter", "the parameter", its_word);
        if (!differs) differs = which.distrust();
        if (scrambled(numbers) && !differs) differs = scrambled_text;
        for (std::size_t i = 0; i < setup.points; ++i) {
            if (!std::isfinite(numbers[2 * i]) || !std::isfinite(numbers[2 * i + 1]))
                session.fail("the trace holds a parameter that is no number");
            network.s[4 * i + parameter] = {numbers[2 * i], numbers[2 * i + 1]};
        }
    }
    // It has had during the sweeps what it has now, whoever changed it before.
    ReadBack now(session);
    const double near_hz = 1e-4 * (setup.stop_hz - setup.start_hz);
    now.number("start", "the lowest frequency", setup.start_hz, near_hz, Unit::hertz);
    now.number("stop", "the highest frequency", setup.stop_hz, near_hz, Unit::hertz);
    now.number("points", "points:", static_cast<double>(setup.points), 0.5, Unit::count);
    now.number("bandwidth", "the bandwidth", setup.bandwidth_hz, 1e-3 * setup.bandwidth_hz, Unit::hertz);
    if (!differs) differs = now.distrust();
    if (const auto level = number_if_known(session, "query_power"); level != network.source_dbm)
        differs = differs.value_or("the source level changed during the sweeps");
    network.distrust = read_distrust(session, "lower the source power");
    if (!network.distrust) network.distrust = differs;
    return network;
}

namespace {

class NetworkKind : public KindOf<Network> {
    const char* instrument() const override { return "network-analyser"; }
    Figures figures() const override { return Figures::few; }
    const char* ends_setting() const override { return "frequency"; }
    Network ask(InstrumentRole& role, const NetworkSetup& s) const override { return scan_network(role, s); }
    double seconds_of(const Instrument&, const NetworkSetup& s) const override {
        return 4 * static_cast<double>(s.points) / s.bandwidth_hz;
    }
    std::string text_of(const NetworkSetup& s) const override {
        return format({s.start_hz, Unit::hertz}) + " to " + format({s.stop_hz, Unit::hertz}) + ", " +
               std::to_string(s.points) + " points, two ports" + (s.raw ? ", raw" : "") +
               (s.switch_terms ? ", switch terms" : "");
    }
    std::optional<Band> band_of(const NetworkSetup& s) const override { return Band{s.start_hz, s.stop_hz}; }
    std::optional<Unit> unit_of(const NetworkSetup&) const override { return std::nullopt; }
    void complete(Network&, std::optional<double>) const override {}
    WrittenCapture keep(const std::filesystem::path& stem, const Network& data) const override {
        const std::string ending = needs_version_two(data) ? ".ts" : ".s" + std::to_string(data.ports) + "p";
        return keep_text(stem, ending.c_str(), touchstone(data));
    }
    std::optional<Network> from_table(std::string_view, std::string_view, const std::string&,
                                      const CaptureHints&) const override {
        return std::nullopt;  // Touchstone has endings of its own
    }
};

}  // namespace

template <>
const CaptureKind& kind_of<Network>() {
    static const NetworkKind kind;
    return kind;
}

}  // namespace rt::lab
