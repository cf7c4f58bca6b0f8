#include "lab/simulate/scalar_bench.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <complex>
#include <numbers>

namespace rt::lab {
namespace {

constexpr std::array scalar_keys{
    KeyInfo{"source", Key::text, true, "role of the generator"},
    KeyInfo{"port", Key::text, true,
            "what the power meter is connected to: sensor 1 at the output, 2 before the input, 3 for what "
            "comes back"},
    KeyInfo{"setting", Key::text, true,
            "setting of the unit that says what is in place: device, thru, open or short"},
    KeyInfo{"coupling", Key::quantity, false, "of both couplers; 10 dB without it", Unit::db},
    KeyInfo{"directivity", Key::quantity, false, "of the coupler for what comes back; 30 dB without it",
            Unit::db},
    KeyInfo{"source_match", Key::quantity, false, "return loss of the source behind it; 20 dB without it",
            Unit::db},
    KeyInfo{"centre", Key::quantity, true, "of the filter", Unit::hertz},
    KeyInfo{"width", Key::quantity, true, "of the filter, between -3 dB points", Unit::hertz},
    KeyInfo{"order", Key::whole, false, "of the filter; 3 without it"},
    KeyInfo{"loss", Key::quantity, false, "of the filter at its centre; 0.5 dB without it", Unit::db},
};

}  // namespace

const SectionInfo scalar_section{"[scalar]", "A source, couplers, power sensors and a filter.", scalar_keys};

ScalarBench read_scalar_bench(const ConfigSection& s) {
    ScalarBench out;
    out.source = s.text("source"), out.port = s.text("port"), out.setting = s.text("setting");
    out.coupling_db = s.quantity_or("coupling", 10), out.directivity_db = s.quantity_or("directivity", 30);
    out.source_match_db = s.quantity_or("source_match", 20);
    out.centre_hz = s.quantity("centre")->value, out.width_hz = s.quantity("width")->value;
    out.order = static_cast<int>(s.whole("order").value_or(3)), out.loss_db = s.quantity_or("loss", 0.5);
    if (!(out.centre_hz > 0)) s.fail("centre", "must be above 0 Hz");
    if (!(out.width_hz > 0)) s.fail("width", "must be above 0 Hz");
    if (out.order < 1 || out.order > 12) s.fail("order", "must be 1 to 12");
    return out;
}

// A filter after Butterworth: what does not pass comes back. The coupler's own leak and what goes round
// between device and source add to what comes back, with phases of lengths of their own.
double ScalarBench::level_dbm(int sensor, const std::string& in_place, double hz, double source_dbm) const {
    const double coupled = source_dbm - coupling_db;
    if (sensor == 2) return coupled;
    const double away = centre_hz / width_hz * (hz / centre_hz - centre_hz / hz);
    const double passed = 1 / (1 + std::pow(away * away, order));
    const bool device = in_place == "device";
    if (sensor == 1) {
        if (in_place == "thru") return source_dbm;
        return device ? source_dbm - loss_db + 10 * std::log10(passed) : -200;
    }
    const auto turn = [&](double ns) { return std::polar(1.0, -2 * std::numbers::pi * hz * ns * 1e-9); };
    std::complex<double> g = in_place == "open" ? 1.0 : in_place == "short" ? -1.0 : 0.0;
    if (device) g = std::sqrt(std::max(1 - passed, 1e-6)) * turn(0.9);
    const auto leak = std::pow(10, -directivity_db / 20) * turn(1.7);
    const auto match = std::pow(10, -source_match_db / 20) * turn(2.3);
    return coupled + 20 * std::log10(std::abs(leak + g / (1.0 - match * g)));
}

}  // namespace rt::lab
