#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/bus/usb_states.hpp"
#include "core/measure/usb/procedures.hpp"
#include "core/measure/wave_source.hpp"
#include "core/stats/spread.hpp"

namespace rt {
namespace {

constexpr auto handshake_parameters = joined(
    std::array{
        ParameterInfo{"sequence", ParameterKind::choice, Unit::none, "",
                      "which handshake the record holds, begun in high speed",
                      "suspend resume reset-from-high-speed reset-from-suspend"},
        ParameterInfo{"plus_channel", ParameterKind::whole_number, Unit::none, "1", "channel of D+"},
        ParameterInfo{"minus_channel", ParameterKind::whole_number, Unit::none, "2", "channel of D-"},
        probe_ratio_parameter,
        from_parameter,
        to_parameter,
    },
    record_rows);

constexpr std::array handshake_traces{Product{"line", Unit::volt, "both lines against time"}};
constexpr std::array handshake_products{
    Product{"suspend_time", Unit::second, "end of traffic until the device shows full-speed J (EL_38)"},
    Product{"j_plus_level", Unit::volt, "D+ in suspend (EL_39)"},
    Product{"j_minus_level", Unit::volt, "D- in suspend (EL_39)"},
    Product{"resume_length", Unit::second, "K that the host drives (or the device, waking up)"},
    Product{"return_time", Unit::second, "end of K until high-speed idle (EL_40)"},
    Product{"traffic_delay", Unit::second, "end of K until the first packet (EL_41)"},
    Product{"chirp_start", Unit::second, "begin of the reset until the device chirps (EL_27, EL_28)"},
    Product{"chirp_length", Unit::second, "length of the device's chirp K (EL_29)"},
    Product{"chirp_level", Unit::volt, "D- minus D+ during it"},
    Product{"host_delay", Unit::second, "end of the device's chirp until the host's first (EL_33)"},
    Product{"host_chirp_least", Unit::second, "shortest chirp of the host (EL_34)"},
    Product{"host_chirp_greatest", Unit::second, "longest chirp of the host (EL_34)"},
    Product{"host_chirps", Unit::count, "chirps of the host, J and K"},
    Product{"termination_time", Unit::second,
            "end of the host's third pair until its chirps have half the level: the device's terminations "
            "(EL_31)"},
    Product{"end_time", Unit::second,
            "end of the host's last chirp until the end of the reset, its first packet"},
};

using States = std::vector<UsbStretch>;

std::string seen_text(const States& states) {
    std::string out;
    std::size_t shown = 0;
    for (const auto& s : states) {
        if (shown == 8) return out + " ...";
        out += (out.empty() ? "" : ", ") + std::string(name(s.state)) + " " +
               format({s.length_s(), Unit::second}, 3);
        ++shown;
    }
    return out;
}

[[noreturn]] void refuse(const char* expected, const States& states) {
    fail_signal(std::string("expected: ") + expected + "; seen: " + seen_text(states));
}

// The first stretch of a state from `from` on; the number of stretches when there is none.
std::size_t next_of(const States& states, UsbState state, std::size_t from) {
    while (from < states.size() && states[from].state != state) ++from;
    return from;
}

void suspend(const States& s, Outcome& outcome) {
    const std::size_t traffic = next_of(s, UsbState::traffic, 0), j = next_of(s, UsbState::j, traffic);
    const bool direct = j < s.size() && j == traffic + 2 && s[traffic + 1].state == UsbState::idle;
    if (!direct) refuse("high-speed traffic, idle, J", s);
    outcome.add("suspend_time", s[j].from_s - s[traffic].to_s, Unit::second);
    outcome.add("j_plus_level", s[j].plus_v, Unit::volt);
    outcome.add("j_minus_level", s[j].minus_v, Unit::volt);
}

void resume(const States& s, Outcome& outcome) {
    const std::size_t j = next_of(s, UsbState::j, 0), k = next_of(s, UsbState::k, j);
    const bool direct = k < s.size() && k == j + 1 && k + 1 < s.size() && s[k + 1].state == UsbState::idle;
    if (!direct) refuse("J, K, high-speed idle", s);
    outcome.add("resume_length", s[k].length_s(), Unit::second);
    // K ends where D- leaves its level; idle is reached where both are low.
    outcome.add("return_time", s[k + 1].from_s - s[k].left_s, Unit::second);
    const std::size_t traffic = next_of(s, UsbState::traffic, k);
    if (traffic < s.size()) outcome.add("traffic_delay", s[traffic].from_s - s[k].left_s, Unit::second);
}

void reset(const States& s, bool from_suspend, Outcome& outcome) {
    const char* expected = from_suspend
                               ? "J, idle (reset), chirp K, chirps of the host K and J"
                               : "high-speed traffic, idle (reset), chirp K, chirps of the host K and J";
    const std::size_t before = next_of(s, from_suspend ? UsbState::j : UsbState::traffic, 0);
    const std::size_t chirp = next_of(s, UsbState::chirp_k, before);
    // On the way to full speed the device may pull D+ up for a moment.
    const bool order = chirp < s.size() && chirp > before + 1 && s[before + 1].state == UsbState::idle;
    if (!order) refuse(expected, s);
    outcome.add("chirp_start", s[chirp].from_s - s[before].to_s, Unit::second);
    std::size_t host = chirp + 1;
    while (host < s.size() && s[host].state == UsbState::idle) ++host;
    const auto chirps = [](UsbState x) { return x == UsbState::chirp_j || x == UsbState::chirp_k; };
    outcome.add("chirp_length", s[chirp].length_s(), Unit::second);
    outcome.add("chirp_level", s[chirp].minus_v - s[chirp].plus_v, Unit::volt);
    if (host >= s.size() || !chirps(s[host].state)) {
        outcome.notes.push_back("the host does not chirp: the device stays in full speed");
        return;
    }
    if (s[host].state != UsbState::chirp_k) refuse(expected, s);
    outcome.add("host_delay", s[host].from_s - s[chirp].to_s, Unit::second);
    Spread lengths;
    std::size_t count = 0;
    const double full = std::abs(s[host].plus_v - s[host].minus_v);
    double third = -1, halved = -1;
    std::size_t last = host;
    for (std::size_t i = host; i < s.size() && chirps(s[i].state); ++i, ++count) {
        lengths.add(s[i].length_s(), s[i].from_s);
        if (count == 5) third = s[i].to_s;
        const bool half = std::abs(s[i].plus_v - s[i].minus_v) < 0.75 * full;
        if (half && halved < 0) halved = s[i].from_s;
        last = i;
    }
    outcome.add("host_chirp_least", lengths.least, Unit::second);
    outcome.add("host_chirp_greatest", lengths.greatest, Unit::second);
    outcome.add("host_chirps", static_cast<double>(count), Unit::count);
    if (third >= 0 && halved >= 0) {
        outcome.add("termination_time", std::max(0.0, halved - third), Unit::second);
    } else if (third >= 0) {
        outcome.notes.push_back("the host's chirps keep their level: no high-speed terminations are seen");
    }
    const std::size_t traffic = next_of(s, UsbState::traffic, last);
    if (traffic < s.size()) outcome.add("end_time", s[traffic].from_s - s[last].to_s, Unit::second);
}

Trace lines_of(const Signal& plus, const Signal& minus) {
    Trace trace;
    trace.name = "line";
    trace.title = "D+";
    trace.x_unit = Unit::second;
    trace.x_title = "Time";
    trace.y_unit = Unit::volt;
    trace.companions.push_back({"D-", {}});
    constexpr std::uint64_t most = 4000;
    const std::uint64_t pieces = std::min(most, plus.size());
    float a = 0, b = 0;
    for (std::uint64_t k = 0; k < pieces; ++k) {
        const std::uint64_t at = plus.size() * k / pieces;
        plus.samples->read(at, {&a, 1});
        minus.samples->read(at, {&b, 1});
        trace.x.push_back(static_cast<double>(at) * plus.step_s + plus.from_s);
        trace.y.push_back(static_cast<double>(a));
        trace.companions.front().y.push_back(static_cast<double>(b));
    }
    return trace;
}

Outcome measure_handshake(Capture any, const Parameters& p) {
    const Waveform wave = take_waveform(std::move(any), "usb.handshake");
    const Signal plus = signal_of(wave, p, static_cast<std::size_t>(p.required("plus_channel")));
    const Signal minus = signal_of(wave, p, static_cast<std::size_t>(p.required("minus_channel")));
    const std::string sequence = p.text("sequence");
    if (sequence.empty()) fail_input("parameter sequence is missing: name the handshake that was recorded");
    const States states = usb_states(*plus.samples, *minus.samples, plus.step_s);
    Outcome outcome;
    if (sequence == "suspend") suspend(states, outcome);
    if (sequence == "resume") resume(states, outcome);
    if (sequence.starts_with("reset")) reset(states, sequence == "reset-from-suspend", outcome);
    Table table{"states",
                "States of the bus",
                {{"from", Unit::second},
                 {"state", Unit::none},
                 {"length", Unit::second},
                 {"plus", Unit::volt},
                 {"minus", Unit::volt}},
                {}};
    for (const auto& s : states) {
        if (table.rows.size() == 200) break;
        table.rows.push_back(
            {s.from_s + plus.from_s, std::string(name(s.state)), s.length_s(), s.plus_v, s.minus_v});
    }
    outcome.tables.push_back(std::move(table));
    outcome.traces.push_back(lines_of(plus, minus));
    return outcome;
}

}  // namespace

Procedure usb_handshake() {
    return {"usb.handshake",
            "Suspend, resume and reset of a USB 2.0 high-speed device",
            "D+ and D- become a row of bus states; the steps of the handshake named must come in their "
            "order, anything "
            "else has no verdict and says what was seen. Times are those of the high-speed electrical test "
            "assertions.",
            handshake_parameters,
            handshake_traces,
            handshake_products,
            waveform_setup,
            measure_handshake,
            preset_named};
}

}  // namespace rt
