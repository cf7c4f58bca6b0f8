#include "lab/simulate/world.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

constexpr double dbuv_to_dbm_50 = -106.98970004336019;  // 10 log10(1e-12 V^2 / 50 ohm / 1 mW)

constexpr std::array simulated_unit_keys{
    KeyInfo{"name", Key::text, true, "what it is"},
    KeyInfo{"supply", Key::quantity, false, "voltage it needs; 5 V without it", Unit::volt},
    KeyInfo{"temperature", Key::quantity, false, "when cold; 23 degC without it", Unit::celsius},
    KeyInfo{"warming", Key::quantity, false, "how much it warms up", Unit::celsius},
    KeyInfo{"warming_time", Key::quantity, false, "time constant of that; 10 min without it", Unit::second},
};
constexpr std::array line_keys{
    KeyInfo{"port", Key::text, true, "where it leaves the unit"},
    KeyInfo{"when", Key::pairs, false, "settings under which it is there; always without it"},
    KeyInfo{"frequency", Key::quantity, true, "of the fundamental", Unit::hertz},
    KeyInfo{"level", Key::quantity, true, "of the fundamental, into 50 ohm", Unit::dbuv},
    KeyInfo{"harmonics", Key::whole, false,
            "how many multiples there are, the fundamental included; 1 without it"},
    KeyInfo{"slope", Key::quantity, false, "change of level per decade of frequency", Unit::db},
    KeyInfo{"even", Key::quantity, false, "even multiples relative to odd ones", Unit::db},
    KeyInfo{"share_on", Key::quantity, false, "share of time in which it is there; 100 % without it",
            Unit::percent},
    KeyInfo{"drift", Key::quantity, false, "change of level after warming up", Unit::db},
    KeyInfo{"drift_time", Key::quantity, false, "time constant of the drift; 10 min without it",
            Unit::second},
};
constexpr std::array noise_keys{
    KeyInfo{"port", Key::text, true, "where it leaves the unit"},
    KeyInfo{"when", Key::pairs, false, "settings under which it is there"},
    KeyInfo{"from", Key::quantity, true, "lower end", Unit::hertz},
    KeyInfo{"to", Key::quantity, true, "upper end", Unit::hertz},
    KeyInfo{"density", Key::quantity, true, "at the lower end", Unit::dbm_per_hz},
    KeyInfo{"density_to", Key::quantity, false, "at the upper end, along log f", Unit::dbm_per_hz},
};
constexpr std::array radio_keys{
    KeyInfo{"port", Key::text, true, "where it leaves the unit"},
    KeyInfo{"when", Key::pairs, false, "settings under which it is there"},
    KeyInfo{"base", Key::quantity, true, "frequency of the first channel", Unit::hertz},
    KeyInfo{"spacing", Key::quantity, true, "between channels", Unit::hertz},
    KeyInfo{"first_channel", Key::whole, true,
            "number of the first channel; the setting \"channel\" counts from it"},
    KeyInfo{"intercept", Key::quantity, true,
            "third-order intercept point of the output: regrowth = 3 P - 2 IP3", Unit::dbm},
    KeyInfo{"chip_rate", Key::quantity, true, "chips per second of half-sine O-QPSK", Unit::hertz},
    KeyInfo{"frequency_error", Key::quantity, false, "of the carrier, in complex samples", Unit::ppm},
    KeyInfo{"clock_error", Key::quantity, false, "of the chip clock, in complex samples", Unit::ppm},
    KeyInfo{"iq_offset", Key::quantity, false, "of the origin, relative to the signal, in complex samples",
            Unit::db},
    KeyInfo{"imbalance", Key::quantity, false, "level of I over that of Q, in complex samples", Unit::db},
    KeyInfo{"frame_octets", Key::whole, false, "octets of a frame's payload, 100 without it"},
    KeyInfo{"frame_gap", Key::quantity, false, "time between two frames, 0.4 ms without it", Unit::second},
};
constexpr std::array simulated_fault_keys{
    KeyInfo{"port", Key::text, true, "where it shows"},
    KeyInfo{"when", Key::pairs, true, "settings under which it shows"},
    KeyInfo{"gain", Key::quantity, true, "added to every level of the port", Unit::db},
};
constexpr std::array simulated_root_keys{
    KeyInfo{"unit", Key::table, true, "the unit"},
    KeyInfo{"settings", Key::pairs, false, "its settings and their values at power-on"},
    KeyInfo{"lists", Key::pairs, false, "what it lists when it is asked: lanes = \"0, 1\""},
    KeyInfo{"line", Key::tables, false, "spectral lines"},
    KeyInfo{"noise", Key::tables, false, "broadband noise"},
    KeyInfo{"radio", Key::tables, false, "modulated carriers; power is the setting \"level\""},
    KeyInfo{"fault", Key::tables, false, "what is wrong with it"},
    KeyInfo{"wire", Key::tables, false, "cables of the bench"},
    KeyInfo{"receiver", Key::tables, false, "its receiver"},
    KeyInfo{"draw", Key::tables, false, "current drawn"},
    KeyInfo{"through", Key::tables, false, "signal paths through it"},
    KeyInfo{"pattern", Key::tables, false, "how its ports radiate"},
    KeyInfo{"waveform", Key::tables, false, "digital signals"},
    KeyInfo{"bus", Key::tables, false, "traffic on two-wire buses"},
    KeyInfo{"pair", Key::tables, false, "lines that hold voltages one after the other"},
    KeyInfo{"load", Key::tables, false, "what ends its connectors"},
    KeyInfo{"wafer", Key::table, false, "a wafer under probes"},
    KeyInfo{"scalar", Key::table, false, "a scalar network bench"},
    KeyInfo{"sharing", Key::tables, false, "transmitters that listen before they talk"},
    KeyInfo{"beacon", Key::tables, false, "distress beacons"},
    KeyInfo{"homing", Key::tables, false, "signals to home on"},
    KeyInfo{"module", Key::tables, false, "pluggable modules"},
    KeyInfo{"landing", Key::tables, false, "landing-system receivers, fed by a vector generator"},
    KeyInfo{"modem", Key::tables, false, "transmitters of signals made as samples"},
    KeyInfo{"device", Key::tables, false, "devices of short-range radio that a link tester hears"},
    KeyInfo{"looped", Key::tables, false, "receivers in loop-back, fed by a waveform generator"},
};
constexpr SectionInfo simulated_root_section{"the file", "", simulated_root_keys};
constexpr SectionInfo simulated_unit_section{"[unit]", "The simulated unit.", simulated_unit_keys};
constexpr SectionInfo line_section{"[[line]]", "A spectral line and its multiples.", line_keys};
constexpr SectionInfo noise_section{"[[noise]]", "Broadband noise.", noise_keys};
constexpr SectionInfo radio_section{"[[radio]]", "A modulated carrier.", radio_keys};
constexpr SectionInfo simulated_fault_section{"[[fault]]", "A fault.", simulated_fault_keys};
constexpr std::array<const SectionInfo*, 25> simulated_sections{
    &simulated_root_section,  &simulated_unit_section, &line_section,     &noise_section,  &radio_section,
    &simulated_fault_section, &wire_section,           &receiver_section, &draw_section,   &through_section,
    &pattern_section,         &waveform_section,       &bus_section,      &pair_section,   &load_section,
    &wafer_section,           &scalar_section,         &sharing_section,  &beacon_section, &homing_section,
    &module_section,          &looped_section,         &landing_section,  &modem_section,  &device_section};

}  // namespace

const FileInfo simulated_unit_file{"simulated unit", "What simulated instruments see at the ports of a unit.",
                                   simulated_sections};

double oqpsk_density(double offset_hz, double chip_rate_hz) {
    const double chip = 1 / chip_rate_hz, x = 4 * offset_hz * chip;
    const double pole = 1 - x * x;
    // At the pole numerator and denominator vanish together: the limit is pi / 4.
    const double ratio = std::abs(pole) < 1e-9 ? std::numbers::pi / 4
                                               : std::cos(2 * std::numbers::pi * offset_hz * chip) / pole;
    return 16 * chip / (std::numbers::pi * std::numbers::pi) * ratio * ratio;
}

namespace {

// The twice self-convolved density on a grid of chip rate / 40, for a chip rate of 1.
std::vector<double> regrowth_table() {
    constexpr int half = 400;  // ten chip rates to each side
    constexpr double step = 1.0 / 40;
    std::vector<double> once(2 * half + 1), twice(2 * half + 1), thrice(2 * half + 1);
    for (int i = -half; i <= half; ++i) once[static_cast<std::size_t>(i + half)] = oqpsk_density(i * step, 1);
    const auto convolve = [&](const std::vector<double>& a, const std::vector<double>& b,
                              std::vector<double>& out) {
        for (int i = -half; i <= half; ++i) {
            double sum = 0;
            for (int j = std::max(-half, i - half); j <= std::min(half, i + half); ++j) {
                sum += a[static_cast<std::size_t>(j + half)] * b[static_cast<std::size_t>(i - j + half)];
            }
            out[static_cast<std::size_t>(i + half)] = sum * step;
        }
    };
    convolve(once, once, twice);
    convolve(once, twice, thrice);
    return thrice;
}

}  // namespace

double oqpsk_regrowth_density(double offset_hz, double chip_rate_hz) {
    static const std::vector<double> table = regrowth_table();
    const double at = std::abs(offset_hz) / chip_rate_hz * 40;
    const auto index = static_cast<std::size_t>(std::min(at, 1e6));
    constexpr std::size_t half = 400;
    if (index + 1 > half) return 0;
    const double part = at - static_cast<double>(index);
    return (table[half + index] * (1 - part) + table[half + index + 1] * part) / chip_rate_hz;
}

SimulatedUnit::SimulatedUnit(const std::filesystem::path& file) {
    const ConfigNode node = parse_config(read_file(file), file.string());
    const ConfigSection root(node, file.string(), simulated_root_section);
    const ConfigSection unit = *root.table("unit", simulated_unit_section);
    name_ = unit.text("name");
    supply_volts_ = unit.quantity_or("supply", supply_volts_);
    temperature_c_ = unit.quantity_or("temperature", temperature_c_);
    warming_c_ = unit.quantity_or("warming", warming_c_);
    warming_s_ = unit.quantity_or("warming_time", warming_s_);
    for (const auto& [name, value] : root.pairs("settings")) settings_[name] = value;
    for (const auto& s : root.tables("line", line_section)) {
        const double share = s.quantity("share_on").value_or(Quantity{100, Unit::percent}).value / 100;
        if (!(share > 0 && share <= 1)) s.fail("share_on", "must be above 0 % and at most 100 %");
        lines_.push_back(
            {s.text("port"),
             when_of(s, settings_),
             {s.quantity("frequency")->value, s.quantity("level")->value + dbuv_to_dbm_50, share},
             static_cast<int>(s.whole("harmonics").value_or(1)),
             s.quantity_or("slope", 0),
             s.quantity_or("even", 0),
             s.quantity_or("drift", 0),
             s.quantity_or("drift_time", 600)});
    }
    for (const auto& s : root.tables("noise", noise_section)) {
        const double density = s.quantity("density")->value;
        noise_.push_back({s.text("port"),
                          when_of(s, settings_),
                          {s.quantity("from")->value, s.quantity("to")->value, density,
                           s.quantity_or("density_to", density)}});
    }
    for (const auto& s : root.tables("radio", radio_section)) {
        RadioErrors errors;
        const auto read = [&](const char* key, double& value) {
            if (const auto given = s.quantity(key)) value = given->value;
        };
        read("frequency_error", errors.frequency_ppm);
        read("clock_error", errors.clock_ppm);
        read("iq_offset", errors.iq_offset_db);
        read("imbalance", errors.imbalance_db);
        read("frame_gap", errors.frame_gap_s);
        if (const auto octets = s.whole("frame_octets")) {
            if (*octets < 3 || *octets > 127) s.fail("frame_octets", "3 to 127 are possible");
            errors.frame_octets = static_cast<std::size_t>(*octets);
        }
        radios_.push_back({s.text("port"), when_of(s, settings_), s.quantity("base")->value,
                           s.quantity("spacing")->value, static_cast<int>(*s.whole("first_channel")),
                           s.quantity("intercept")->value, s.quantity("chip_rate")->value, errors});
        for (const char* needed : {"channel", "level"}) {
            if (!settings_.contains(needed)) {
                s.fail("base", std::string("a radio needs the setting ") + needed + " in [settings]");
            }
        }
    }
    for (const auto& s : root.tables("fault", simulated_fault_section)) {
        faults_.push_back({s.text("port"), when_of(s, settings_), s.quantity("gain")->value});
    }
    surroundings_ = read_surroundings(root, settings_);
    first_settings_ = settings_;
    for (const auto& [name, value] : root.pairs("lists")) lists_.emplace_back(name, value);
}

void SimulatedUnit::restart() {
    const std::lock_guard lock(mutex_);
    settings_ = first_settings_;
}

std::vector<std::string> SimulatedUnit::setting_names() const {
    std::vector<std::string> names;
    for (const auto& [name, value] : first_settings_) names.push_back(name);
    return names;
}

bool SimulatedUnit::holds_now(const UnitWhen& when) const {
    const std::lock_guard lock(mutex_);
    return holds(when);
}

double SimulatedUnit::temperature(double seconds) const {
    return temperature_c_ + warming_c_ * (1 - std::exp(-seconds / warming_s_));
}

bool SimulatedUnit::set(const std::string& name, const std::string& value) {
    const std::lock_guard lock(mutex_);
    const auto at = settings_.find(name);
    if (at == settings_.end()) return false;
    if (name == "channel" && !to_double(value)) return false;
    if (name == "level") {
        try {
            at->second = format(parse_quantity(value, Unit::dbm));
        } catch (const Error&) {
            return false;
        }
        return true;
    }
    at->second = value;
    return true;
}

std::string SimulatedUnit::get(const std::string& name) const {
    const std::lock_guard lock(mutex_);
    const auto at = settings_.find(name);
    return at == settings_.end() ? "" : at->second;
}

std::string SimulatedUnit::state_text() const {
    const std::lock_guard lock(mutex_);
    std::string out;
    for (const auto& [name, value] : settings_) out += name + "=" + value + ";";
    return out;
}

bool SimulatedUnit::holds(const UnitWhen& when) const {
    return std::all_of(when.begin(), when.end(),
                       [&](const auto& w) { return settings_.at(w.first) == w.second; });
}

double SimulatedUnit::fault_gain(const std::string& port) const {
    double gain = 0;
    for (const auto& fault : faults_) {
        if (fault.port == port && holds(fault.when)) gain += fault.gain_db;
    }
    return gain;
}

void SimulatedUnit::add_lines(Emission& out, const Line& line, double gain, double seconds) const {
    const double drift = line.drift_db * (1 - std::exp(-seconds / line.drift_s));
    for (int n = 1; n <= line.harmonics; ++n) {
        const double even = n % 2 == 0 ? line.even_db : 0;
        const double level = line.first.level_dbm + line.slope_db * std::log10(n) + even + drift + gain;
        out.lines.push_back({line.first.frequency_hz * n, level, line.first.share_on});
    }
}

Emission SimulatedUnit::emission(const std::string& port, double seconds, double gain_db) const {
    const std::lock_guard lock(mutex_);
    const double gain = fault_gain(port) + gain_db;
    Emission out;
    for (const auto& line : lines_) {
        if (line.port == port && holds(line.when)) add_lines(out, line, gain, seconds);
    }
    for (const auto& noise : noise_) {
        if (noise.port != port || !holds(noise.when)) continue;
        out.noise.push_back(noise.noise);
        out.noise.back().density_dbm_hz += gain;
        out.noise.back().density_to_dbm_hz += gain;
    }
    for (const auto& radio : radios_) {
        if (radio.port != port || !holds(radio.when)) continue;
        const double channel = *to_double(settings_.at("channel"));
        const double level = parse_quantity(settings_.at("level"), Unit::dbm).value + gain;
        out.carriers.push_back({radio.base_hz + (channel - radio.first_channel) * radio.spacing_hz, level,
                                3 * level - 2 * radio.intercept_dbm, radio.chip_rate_hz, radio.errors});
    }
    std::sort(out.lines.begin(), out.lines.end(),
              [](const auto& a, const auto& b) { return a.frequency_hz < b.frequency_hz; });
    return out;
}

}  // namespace rt::lab
