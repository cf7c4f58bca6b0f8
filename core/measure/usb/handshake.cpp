#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/bus/usb_states.hpp"
#include "core/measure/procedure.hpp"
#include "core/measure/usb/moments.hpp"
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
    Product{"return_time", Unit::second,
            "D- leaves K until D+ stays within 50 mV, the device's pull-up being gone (EL_40)"},
    Product{"traffic_delay", Unit::second, "end of K until the first packet (EL_41)"},
    Product{"chirp_start", Unit::second, "begin of the reset until the device chirps (EL_27, EL_28)"},
    Product{"chirp_length", Unit::second, "length of the device's chirp K (EL_29)"},
    Product{"chirp_level", Unit::volt, "D- minus D+ during it"},
    Product{"host_delay", Unit::second, "end of the device's chirp until the host's first (EL_33)"},
    Product{"host_chirp_least", Unit::second, "shortest chirp of the host (EL_34)"},
    Product{"host_chirp_greatest", Unit::second, "longest chirp of the host (EL_34)"},
    Product{"host_chirps", Unit::count, "chirps of the host, J and K"},
    Product{
        "termination_time", Unit::second,
        "end of the host's third pair until its chirps, averaged over 0.2 us, last have three quarters of "
        "their first level: the device's terminations (EL_31)"},
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

void resume(const States& s, const UsbLines& lines, Outcome& outcome) {
    const std::size_t j = next_of(s, UsbState::j, 0), k = next_of(s, UsbState::k, j);
    const bool direct = k < s.size() && k == j + 1 && k + 1 < s.size() && s[k + 1].state == UsbState::idle;
    if (!direct) refuse("J, K, high-speed idle", s);
    outcome.add("resume_length", s[k].length_s(), Unit::second);
    // K ends where D- leaves its level. As long as the device keeps its pull-up against the host's 45 ohm, D+
    // stands near 0.1 V: both lines are low, but the device is late.
    constexpr double pulled_up_v = 0.05, mean_s = 0.1e-6;
    const auto plus = [](double p, double) { return p; };
    const double settled = median_between(lines, plus, (s[k + 1].from_s + s[k + 1].to_s) / 2, s[k + 1].to_s);
    const auto last = last_at_or_above(lines, plus, s[k].left_s, s[k + 1].to_s, mean_s, pulled_up_v);
    const double idle = s[k + 1].from_s - s[k].left_s;
    if (settled >= pulled_up_v) {
        outcome.add("return_time", s[k + 1].to_s - s[k].left_s, Unit::second, Known::at_least);
        outcome.notes.push_back("D+ stays at " + format({settled, Unit::volt}, 3) +
                                " in idle: the device has not given up its pull-up");
    } else {
        outcome.add("return_time", std::max(idle, last.value_or(0) - s[k].left_s), Unit::second);
    }
    const std::size_t traffic = next_of(s, UsbState::traffic, k);
    if (traffic < s.size()) outcome.add("traffic_delay", s[traffic].from_s - s[k].left_s, Unit::second);
}

// The host's chirps from `host` on.
struct HostChirps {
    Spread lengths;
    std::size_t count = 0;
    std::size_t last = 0;
    double third = -1;  // end of the third pair
    bool cut = false;   // the record ends within the last
    double cut_s = 0;   // what is seen of that
};

bool is_chirp(UsbState x) {
    return x == UsbState::chirp_j || x == UsbState::chirp_k;
}

HostChirps host_chirps(const States& s, std::size_t host) {
    constexpr std::size_t three_pairs = 6;
    HostChirps out;
    for (std::size_t i = host; i < s.size() && is_chirp(s[i].state); ++i) {
        out.last = i;
        if (i + 1 == s.size()) {
            out.cut = true;
            out.cut_s = s[i].length_s();
            break;
        }
        out.lengths.add(s[i].length_s(), s[i].from_s);
        ++out.count;
        if (out.count == three_pairs) out.third = s[i].to_s;
    }
    return out;
}

void add_host_chirps(const HostChirps& chirps, Outcome& outcome) {
    const Known known = chirps.cut ? Known::at_least : Known::exactly;
    if (chirps.count > 0) {
        outcome.add("host_chirp_least", chirps.lengths.least, Unit::second);
        outcome.add_greatest("host_chirp_greatest", chirps.lengths.greatest, chirps.cut_s, Unit::second);
    }
    outcome.add("host_chirps", static_cast<double>(chirps.count), Unit::count, known);
    if (chirps.cut) outcome.notes.push_back("the record ends within a chirp of the host, which is left out");
}

void add_termination(const States& s, const UsbLines& lines, std::size_t host, const HostChirps& chirps,
                     Outcome& outcome) {
    if (chirps.third < 0) return;
    const auto apart = [](double p, double m) { return std::abs(p - m); };
    constexpr double part = 0.75, mean_s = 0.2e-6;
    const double full = median_between(lines, apart, s[host].from_s, s[host].to_s);
    const double end = s[chirps.last].to_s;
    const double last = last_at_or_above(lines, apart, s[host].from_s, end, mean_s, part * full).value_or(0);
    // Still at the first level in the last chirp: it has not halved as long as it can be seen.
    if (last > end - 2e-6) {
        outcome.add("termination_time", std::max(0.0, end - chirps.third), Unit::second, Known::at_least);
        outcome.notes.push_back("the host's chirps keep their level: no high-speed terminations are seen");
        return;
    }
    outcome.add("termination_time", std::max(0.0, last - chirps.third), Unit::second);
}

void reset(const States& s, const UsbLines& lines, bool from_suspend, Outcome& outcome) {
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
    const bool cut = chirp + 1 == s.size();
    outcome.add("chirp_length", s[chirp].length_s(), Unit::second, cut ? Known::at_least : Known::exactly);
    if (cut) outcome.notes.push_back("the record ends within the device's chirp: it is longer than told");
    outcome.add("chirp_level", s[chirp].minus_v - s[chirp].plus_v, Unit::volt);
    if (cut) return;
    if (host >= s.size() || !is_chirp(s[host].state)) {
        outcome.notes.push_back("the host does not chirp: the device stays in full speed");
        return;
    }
    if (s[host].state != UsbState::chirp_k) refuse(expected, s);
    outcome.add("host_delay", s[host].from_s - s[chirp].to_s, Unit::second);
    const HostChirps chirps = host_chirps(s, host);
    add_host_chirps(chirps, outcome);
    add_termination(s, lines, host, chirps, outcome);
    const std::size_t traffic = next_of(s, UsbState::traffic, chirps.last);
    if (traffic < s.size()) outcome.add("end_time", s[traffic].from_s - s[chirps.last].to_s, Unit::second);
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
    const UsbLines lines{plus, minus};
    if (sequence == "resume") resume(states, lines, outcome);
    if (sequence.starts_with("reset")) reset(states, lines, sequence == "reset-from-suspend", outcome);
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
