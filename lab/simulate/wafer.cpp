#include "lab/simulate/wafer.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/network/standard.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/kit_file.hpp"
#include "lab/formats/wafer_map_file.hpp"

namespace rt::lab {
namespace {

constexpr double two_pi = 2 * std::numbers::pi;

constexpr std::array wafer_keys{
    KeyInfo{"map", Key::text, true, "its wafer map, beside this file"},
    KeyInfo{"kit", Key::text, true,
            "calibration kit that lies beside it: at the die \"kit\", devices by their names"},
    KeyInfo{"gradient", Key::quantity, false, "how much less transconductance there is at the edge",
            Unit::percent},
    KeyInfo{"outliers", Key::texts, false, "dies with 7 % less transconductance"},
    KeyInfo{"dead", Key::texts, false, "dies whose transistors do not conduct"},
    KeyInfo{"first_touch", Key::texts, false, "dies where the first touch-down makes no contact"},
    KeyInfo{"lost", Key::texts, false, "dies where none does"},
    KeyInfo{"disturbed_device", Key::text, false,
            "device whose bias the signal disturbs; every one without it"},
    KeyInfo{"disturbed_above", Key::quantity, false, "level of the signal from which it does", Unit::dbm},
    KeyInfo{"noise", Key::quantity, false, "of a raw reading at 1 kHz and -10 dBm; -80 dB without it",
            Unit::db},
    KeyInfo{"drift", Key::quantity, false, "of the analyser's tracking in an hour", Unit::db},
    KeyInfo{"crosstalk", Key::quantity, false, "past the device; none without it", Unit::db},
    KeyInfo{"led_to", Key::texts, false,
            "where somebody moves the stage by hand, \"1.2 mm, 0.3 mm\", one place each time it is asked "
            "where it is"},
};

bool among(const std::vector<std::string>& list, const std::string& die) {
    return std::find(list.begin(), list.end(), die) != list.end();
}

// Pads beside the device, then leads in series.
Two pads(double hz) {
    const Complex s(0, two_pi * hz);
    return {s * 42e-15 + 1e-4, -s * 3e-15, -s * 3e-15, s * 46e-15 + 1.5e-4};
}
Two leads(double hz) {
    const Complex s(0, two_pi * hz);
    return {s * 34e-12 + 2.0, s * 4e-12 + 0.5, s * 4e-12 + 0.5, s * 31e-12 + 1.8};
}

}  // namespace

const SectionInfo wafer_section{
    "[wafer]", "A wafer under probes, for network analyser, source-measure unit and stage.", wafer_keys};

Wafer read_wafer(const ConfigSection& section) {
    Wafer out;
    const auto beside = std::filesystem::path(section.file()).parent_path();
    section.at("map", [&] {
        out.map = parse_wafer_map(read_file(beside / section.text("map")), beside / section.text("map"));
    });
    section.at("kit", [&] {
        out.kit = parse_kit(read_file(beside / section.text("kit")), beside / section.text("kit"));
    });
    for (const auto& die : out.map.dies) out.edge_m_ = std::max(out.edge_m_, out.map.radius_m(die));
    out.gradient = section.quantity_or("gradient", 0) / 100;
    out.outliers = section.texts("outliers"), out.dead = section.texts("dead");
    out.first_touch = section.texts("first_touch"), out.lost = section.texts("lost");
    for (const char* key : {"outliers", "dead", "first_touch", "lost"}) {
        for (const auto& die : section.texts(key)) {
            if (!out.map.find(die)) section.fail(key, "the map has no die " + die);
        }
    }
    out.disturbed_device = section.text("disturbed_device");
    out.disturbed_above_dbm = section.quantity_or("disturbed_above", 100);
    out.noise = std::pow(10, section.quantity_or("noise", -80) / 20);
    out.drift_per_hour = std::pow(10, section.quantity_or("drift", 0) / 20) - 1;
    for (const auto& text : section.texts("led_to")) {
        const auto parts = split(text, ',');
        if (parts.size() != 2)
            section.fail("led_to", in_quotes(text) + " is no place: write \"1.2 mm, 0.3 mm\"");
        section.at("led_to", [&] {
            out.led.emplace_back(parse_quantity(trim(parts[0]), Unit::metre).value,
                                 parse_quantity(trim(parts[1]), Unit::metre).value);
        });
    }
    if (section.has("crosstalk")) out.crosstalk = std::pow(10, section.quantity_or("crosstalk", -200) / 20);
    return out;
}

bool Wafer::touches(const ProbePlace& place) const {
    if (!place.down || among(lost, place.die)) return false;
    const bool dummy = place.device == "open" || place.device == "short";
    return place.touches > 1 || dummy || !among(first_touch, place.die);
}

Wafer::Transistor Wafer::transistor_at(const ProbePlace& place) const {
    Transistor out{0.12, 0.35};
    if (const auto* die = map.find(place.die)) {
        const double share = edge_m_ > 0 ? map.radius_m(*die) / edge_m_ : 0;
        // A little of its own for each die, the same on each day.
        const double own = std::sin(12.9898 * die->column + 78.233 * die->row) * 0.01;
        out.beta *= 1 - gradient * share * share + own;
    }
    if (among(outliers, place.die)) out.beta *= outlier_share;
    out.dead = among(dead, place.die);
    // Devices of other widths, by their order in the map.
    for (std::size_t i = 0; i < map.devices.size(); ++i) {
        if (map.devices[i].name == place.device) out.width = 1 + 0.25 * static_cast<double>(i % 4);
    }
    out.beta *= out.width;
    out.threshold_v -= 0.0006 * (place.chuck_c - 25), out.beta *= 1 - 0.0012 * (place.chuck_c - 25);
    return out;
}

Wafer::Currents Wafer::currents(const ProbePlace& place, const ProbeBias& bias,
                                std::optional<double> rf_dbm) const {
    Currents out;
    if (!bias.on) return out;
    out.output_v = bias.output_v;
    if (!touches(place) || place.die == "kit") {
        out.input_a = 2e-12, out.output_a = 5e-12;
        return out;
    }
    const Transistor t = transistor_at(place);
    const double over = std::max(0.0, bias.input_v - t.threshold_v);
    if (!t.dead) {
        out.output_a =
            t.beta * over * over / (1 + over) * (1 + 0.06 * bias.output_v) * std::tanh(3.5 * bias.output_v);
        out.input_a = 2e-9 * std::exp(std::min(bias.input_v, 1.5) / 0.12);
    }
    const bool disturbed = disturbed_device.empty() || disturbed_device == place.device;
    if (rf_dbm && disturbed && *rf_dbm > disturbed_above_dbm)
        out.output_a *= 1 + 0.01 * std::pow(10, (*rf_dbm - disturbed_above_dbm) / 10);
    out.output_a += 3e-10;
    if (out.output_a > bias.output_limit_a) {
        // The voltage gives way until the current is what it may be.
        double low = 0, high = bias.output_v;
        for (int i = 0; i < 40; ++i) {
            out.output_v = (low + high) / 2;
            const double a =
                t.beta * over * over / (1 + over) * (1 + 0.06 * out.output_v) * std::tanh(3.5 * out.output_v);
            (a > bias.output_limit_a ? high : low) = out.output_v;
        }
        out.output_a = bias.output_limit_a, out.output_limited = true;
    }
    if (out.input_a > bias.input_limit_a) out.input_a = bias.input_limit_a, out.input_limited = true;
    return out;
}

std::function<Two(double)> Wafer::scattering(const ProbePlace& place, const ProbeBias& bias,
                                             std::optional<double> rf_dbm) const {
    const auto air = [](double hz) {
        const Complex g = std::polar(0.999, -two_pi * hz * 0.3e-12);
        return Two{g, 1e-4, 1e-4, g};
    };
    if (!touches(place)) return air;
    if (place.die == "kit") {
        const Standard* one = kit.find(place.device, 1);
        if (!one) one = kit.find(place.device, 0);
        if (!one) return air;
        Standard as = *one;
        if (as.kind == StandardKind::reflect) as.kind = StandardKind::short_circuit;
        const double ohm = kit.reference_ohm;
        if (as.kind == StandardKind::thru || as.kind == StandardKind::line)
            return [as, ohm](double hz) { return transmission_of(as, hz, ohm); };
        return [as, ohm](double hz) {
            const Complex g = reflection_of(as, hz, ohm);
            return Two{g, 0, 0, g};
        };
    }
    if (place.device == "open") return [](double hz) { return scattering_of_admittance(pads(hz), 50); };
    if (place.device == "short")
        return [](double hz) { return scattering_of_admittance(pads(hz) + inverse(leads(hz)), 50); };
    const Transistor t = transistor_at(place);
    // Small signal by differences of the currents.
    const auto current = [&](double input, double output) {
        ProbeBias at = bias;
        at.input_v = input, at.output_v = output, at.output_limit_a = 1e9;
        return bias.on ? currents(place, at, rf_dbm).output_a : 0.0;
    };
    constexpr double step = 1e-3;
    const double gm =
        (current(bias.input_v + step, bias.output_v) - current(bias.input_v - step, bias.output_v)) /
        (2 * step);
    const double gds = std::max(
        1e-5, (current(bias.input_v, bias.output_v + step) - current(bias.input_v, bias.output_v - step)) /
                  (2 * step));
    const double width = t.width;
    return [gm, gds, width](double hz) {
        const Complex s(0, two_pi * hz);
        const double input_f = 70e-15 * width, feedback_f = 9e-15 * width, output_f = 25e-15 * width;
        const Two inner{s * (input_f + feedback_f) + 1e-6, -s * feedback_f,
                        gm * std::exp(-s * 0.4e-12) - s * feedback_f, gds + s * (output_f + feedback_f)};
        Two z = inverse(inner);
        z.a += 5.0 / width;
        return scattering_of_admittance(pads(hz) + inverse(leads(hz) + z), 50);
    };
}

ProbeBoxes probe_boxes(double hz, double attenuator_db, double drift) {
    const double ghz = hz / 1e9;
    const auto cable = [&](double ns, double loss) {
        return std::polar(std::exp(-loss * std::sqrt(ghz)), -two_pi * ghz * ns);
    };
    ProbeBoxes out;
    // The attenuator stands between the source and its reference: it changes what the port ends in.
    const double pad = std::pow(10, -attenuator_db / 10);
    out.e00 = 0.03 * cable(0.31, 0.01) + 0.015 * cable(0.05, 0);
    out.e11 = 0.06 * cable(0.13, 0.01) + 0.09 * pad * cable(0.57, 0.02);
    out.e10 = 0.9 * (1 + drift) * cable(0.52, 0.025), out.e01 = cable(0.52, 0.025);
    out.e33 = 0.035 * cable(0.27, 0.01) - 0.012 * cable(0.04, 0);
    out.e22 = 0.05 * cable(0.15, 0.01) + 0.07 * pad * cable(0.63, 0.02) * std::polar(1.0, 0.6);
    out.e23 = 0.85 * cable(0.58, 0.028), out.e32 = (1 + drift) * cable(0.58, 0.028);
    out.forward = 0.07 * cable(0.21, 0.01), out.backward = -0.06 * cable(0.19, 0.01);
    return out;
}

Two ProbeBoxes::read(const Two& d, Complex crosstalk) const {
    struct Side {
        Complex reflects, back, in, match;  // of the driving box
    };
    const auto direction = [](const Side& drives, const Side& rests, const Two& s, Complex end) {
        // What the resting box ends the device in, and what its receiver gets of a wave out of the device.
        const Complex through = rests.back / (1.0 - rests.reflects * end);
        const Complex load = rests.match + rests.in * end * through;
        const Complex out = s.c / (1.0 - s.d * load), seen = s.a + s.b * load * out;
        const Complex wave = drives.in / (1.0 - drives.match * seen);
        return std::pair{drives.reflects + drives.back * seen * wave, through * out * wave};
    };
    const Side one{e00, e01, e10, e11}, two{e33, e32, e23, e22};
    const auto [m11, m21] = direction(one, two, d, forward);
    const auto [m22, m12] = direction(two, one, {d.d, d.c, d.b, d.a}, backward);
    return {m11, m12 + crosstalk, m21 + crosstalk, m22};
}

}  // namespace rt::lab
