#include "lab/simulate/surroundings.hpp"

#include <array>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"
#include "core/serial/pattern.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/registers_file.hpp"

namespace rt::lab {
namespace {

constexpr std::array wire_keys{
    KeyInfo{"from", Key::text, true, "role of a generator, or a port of the unit"},
    KeyInfo{"to", Key::text, true, "role of an analyser or power meter, or a port of the unit"},
    KeyInfo{"loss", Key::quantity, true, "rises with the square root of frequency", Unit::db},
    KeyInfo{"at", Key::quantity, true, "frequency at which it has this loss", Unit::hertz},
    KeyInfo{"attenuator", Key::text, false, "role of the step attenuator in it"},
    KeyInfo{"pad", Key::quantity, false, "of a fixed attenuator in it, the same at all frequencies",
            Unit::db},
};
constexpr std::array receiver_keys{
    KeyInfo{"port", Key::text, true, "where it listens"},
    KeyInfo{"when", Key::pairs, false, "settings under which this holds"},
    KeyInfo{"half", Key::quantity, true, "level at which half of the packets are lost", Unit::dbm},
    KeyInfo{"width", Key::quantity, true, "from there to where one in a hundred is lost", Unit::db},
    KeyInfo{"packet_time", Key::quantity, false, "time a packet needs; 1 ms without it", Unit::second},
    KeyInfo{"packet_bits", Key::whole, false, "bits of a packet; 1000 without it"},
    KeyInfo{"most", Key::quantity, false, "throughput that it never exceeds; 50 Mb/s without it",
            Unit::bit_per_second},
    KeyInfo{"frequency", Key::quantity, false, "what it is tuned to; whatever is strongest without it",
            Unit::hertz},
    KeyInfo{"bandwidth", Key::quantity, false, "of its channel; 2 MHz without it", Unit::hertz},
    KeyInfo{"rejection", Key::quantity, false,
            "how much weaker a signal beside its channel counts there, as noise; 40 dB without it", Unit::db},
    KeyInfo{"association", Key::quantity, false, "level below which nothing passes; none without it",
            Unit::dbm},
    KeyInfo{"sticky", Key::flag, false,
            "an association that is lost stays lost until UNIT:CONNECT; UNIT:LINK? tells of it"},
    KeyInfo{"reports", Key::quantity, false, "what UNIT:RSSI? adds to the level that is received", Unit::db},
    KeyInfo{
        "report_index", Key::text, false,
        "setting with a gain index by which what it reports rises: report_step for each, with report_ripple "
        "and, "
        "over the frequency in the setting report_frequency, report_slope for 100 MHz from report_middle on"},
    KeyInfo{"report_step", Key::quantity, false, "from one index to the next", Unit::db},
    KeyInfo{"report_ripple", Key::quantity, false, "from index to index, peak", Unit::db},
    KeyInfo{"report_slope", Key::quantity, false, "change over 100 MHz", Unit::db},
    KeyInfo{"report_middle", Key::quantity, false, "frequency where the slope is 0", Unit::hertz},
    KeyInfo{"report_frequency", Key::text, false, "setting with its frequency"},
    KeyInfo{"report_table", Key::text, false,
            "setting with its table of corrections: \"2630:3:-1.2,...\", MHz, index, dB that are added"},
};
constexpr std::array draw_keys{
    KeyInfo{"when", Key::pairs, false, "settings under which it is drawn"},
    KeyInfo{"current", Key::quantity, true, "added to what else is drawn", Unit::ampere},
};
constexpr std::array through_keys{
    KeyInfo{"from", Key::text, true, "port that a signal enters"},
    KeyInfo{"to", Key::text, true, "port that it leaves"},
    KeyInfo{"when", Key::pairs, false, "settings under which it passes"},
    KeyInfo{"gain", Key::quantity, true, "of small signals", Unit::db},
    KeyInfo{"saturation", Key::quantity, false, "level that it approaches; +30 dBm without it", Unit::dbm},
};
constexpr std::array pattern_keys{
    KeyInfo{"port", Key::text, true, "where it radiates"},
    KeyInfo{"front", Key::quantity, true, "turntable angle where it is strongest", Unit::degree},
    KeyInfo{"depth", Key::quantity, true, "how much weaker it is behind", Unit::db},
    KeyInfo{"height", Key::quantity, false, "antenna height where it is strongest; 1 m without it",
            Unit::metre},
    KeyInfo{"per_metre", Key::quantity, false, "weaker for each metre beside it", Unit::db},
};
constexpr std::array waveform_keys{
    KeyInfo{"port", Key::text, true, "where it can be probed"},
    KeyInfo{"when", Key::pairs, false, "settings under which it is there"},
    KeyInfo{
        "pattern", Key::text, false,
        "prbs7, prbs9, prbs11, prbs13, prbs15, prbs23, prbs31, clock, pam3-random, pam4-random, pam3-test "
        "or pam5-test (Ethernet's 2047 symbols), mlt3-idle (100BASE-TX); prbs7 without it"},
    KeyInfo{"run", Key::whole, false, "symbols of each level of a clock; 1 without it"},
    KeyInfo{"rate", Key::quantity, true, "bits a second", Unit::bit_per_second},
    KeyInfo{"amplitude", Key::quantity, true, "to either side of zero", Unit::volt},
    KeyInfo{"rise_time", Key::quantity, true, "20 % to 80 %", Unit::second},
    KeyInfo{"noise", Key::quantity, false, "standard deviation", Unit::volt},
    KeyInfo{"rate_error", Key::quantity, false, "deviation of the rate", Unit::ppm},
    KeyInfo{"random_jitter", Key::quantity, false, "standard deviation of each edge", Unit::second},
    KeyInfo{"periodic_jitter", Key::quantity, false, "peak to peak of a sinusoidal shift of the edges",
            Unit::second},
    KeyInfo{"periodic_frequency", Key::quantity, false, "how often it goes to and fro; 1 MHz without it",
            Unit::hertz},
    KeyInfo{"duty_cycle_distortion", Key::quantity, false, "rising edges later than falling ones",
            Unit::second},
    KeyInfo{"cable_bandwidth", Key::quantity, false, "-3 dB of a cable of first order behind it",
            Unit::hertz},
    KeyInfo{"droop_time", Key::quantity, false, "time constant of a high-pass of first order in it",
            Unit::second},
    KeyInfo{"compression", Key::quantity, false,
            "third order: so much of the amplitude is missing at its peak", Unit::percent},
    KeyInfo{"disturber", Key::quantity, false, "peak of a sine that is sent against it", Unit::volt},
    KeyInfo{"disturber_frequency", Key::quantity, false, "of this sine; a sixth of the rate without it",
            Unit::hertz},
    KeyInfo{"burst", Key::quantity, false, "the line is driven for so long, then rests at 0 V", Unit::second},
    KeyInfo{"gap", Key::quantity, false, "between bursts", Unit::second},
    KeyInfo{"bursts", Key::whole, false, "bursts in a row; 6 without it"},
    KeyInfo{"rest", Key::quantity, false, "behind a row of bursts; 2 us without it", Unit::second},
};
constexpr std::array bus_keys{
    KeyInfo{"port", Key::text, true, "where it can be probed: clock on channel 1, data on channel 2"},
    KeyInfo{"when", Key::pairs, false, "settings under which there is traffic"},
    KeyInfo{"rate", Key::quantity, true, "clock frequency", Unit::hertz},
    KeyInfo{"supply", Key::quantity, true, "bus voltage", Unit::volt},
    KeyInfo{"rise_time", Key::quantity, true, "30 % to 70 %, an RC curve", Unit::second},
    KeyInfo{"fall_time", Key::quantity, true, "70 % to 30 %", Unit::second},
    KeyInfo{"data_delay", Key::quantity, true, "data changes so long after the clock has begun to fall",
            Unit::second},
    KeyInfo{"noise", Key::quantity, false, "standard deviation", Unit::volt},
    KeyInfo{"address", Key::text, true, "of the peripheral that is written to, such as 0x48"},
    KeyInfo{"bytes", Key::texts, true, "what is written to it over and over"},
    KeyInfo{"late_bit", Key::whole, false,
            "bit of a write, counted from 1 with the acknowledge bits, that comes late"},
    KeyInfo{"late_by", Key::quantity, false, "how much later it comes", Unit::second},
};

constexpr std::array pair_keys{
    KeyInfo{"port", Key::text, true, "where they can be probed: channel 1 and channel 2"},
    KeyInfo{"when", Key::pairs, false, "settings under which they are there"},
    KeyInfo{"steps", Key::texts, true,
            "what both lines hold, one after the other: \"3.3 V, 0 V, 1 ms\"; with \"toggle 1 MHz\" behind "
            "it they change against each other"},
    KeyInfo{"rise_time", Key::quantity, false, "of a change by 1 V, straight; none without it", Unit::second},
    KeyInfo{"noise", Key::quantity, false, "standard deviation", Unit::volt},
};

constexpr std::array module_keys{
    KeyInfo{"port", Key::text, true, "where it is plugged in"},
    KeyInfo{"when", Key::pairs, false, "settings under which it is there"},
    KeyInfo{"image", Key::text, true,
            "file with its registers, beside this one; the temperature is the unit's"},
};

constexpr std::array load_keys{
    KeyInfo{"port", Key::text, true, "connector of a pair: ports 1 and 2 of a network analyser"},
    KeyInfo{"when", Key::pairs, false, "settings under which it is so"},
    KeyInfo{"resistance", Key::quantity, true, "between the conductors", Unit::ohm},
    KeyInfo{"time_constant", Key::quantity, false, "of this resistance with the capacitance beside it",
            Unit::second},
    KeyInfo{"common", Key::quantity, false, "of both conductors together to ground; open without it",
            Unit::ohm},
};

}  // namespace

const SectionInfo module_section{"[[module]]", "A pluggable module.", module_keys};
const SectionInfo wire_section{"[[wire]]", "A cable of the bench as it really is.", wire_keys};
constexpr std::array device_keys{
    KeyInfo{"port", Key::text, true, "where it is heard"},
    KeyInfo{"when", Key::pairs, false, "settings under which it is there"},
    KeyInfo{"address", Key::text, true, "\"c0:5e:77:20:00:02\""},
    KeyInfo{"kind", Key::text, false, "of the address, public or random; random without it"},
    KeyInfo{"name", Key::text, false, "what it calls itself"},
    KeyInfo{"allows", Key::text, true, "\"connect, scan\", \"connect\", \"scan\" or \"neither\""},
    KeyInfo{"level", Key::quantity, false, "at which a link tester hears it; -60 dBm without it", Unit::dbm},
    KeyInfo{"loss", Key::quantity, false,
            "share of packets that it loses; without it as the receiver at the port does", Unit::percent},
};
const SectionInfo device_section{"[[device]]", "A device of short-range radio around a link tester.",
                                 device_keys};
const SectionInfo receiver_section{"[[receiver]]", "The unit's receiver, for link counters.", receiver_keys};
const SectionInfo draw_section{"[[draw]]", "Current that the unit draws from its supply.", draw_keys};
const SectionInfo through_section{"[[through]]", "A signal path through the unit.", through_keys};
const SectionInfo pattern_section{"[[pattern]]", "How a port radiates by turntable angle and antenna height.",
                                  pattern_keys};
const SectionInfo waveform_section{"[[waveform]]", "A digital signal of the unit.", waveform_keys};
const SectionInfo pair_section{"[[pair]]", "Two lines of the unit that hold voltages one after the other.",
                               pair_keys};
const SectionInfo load_section{"[[load]]", "What ends a connector for a pair.", load_keys};
const SectionInfo bus_section{"[[bus]]", "Traffic on a two-wire bus of the unit.", bus_keys};

UnitWhen when_of(const ConfigSection& section, const std::map<std::string, std::string>& settings) {
    UnitWhen when;
    std::vector<std::string> names;
    for (const auto& [name, value] : settings) names.push_back(name);
    for (const auto& [name, value] : section.pairs("when")) {
        if (!settings.contains(name))
            section.fail("when", "no setting " + in_quotes(name) + suggestion(name, names));
        when[name] = value;
    }
    return when;
}

double Wire::loss_at(double hz) const {
    return pad_db + loss_db * std::sqrt(hz / at_hz);
}

std::pair<std::complex<double>, std::complex<double>> PairLoad::scattering(double hz) const {
    const std::complex<double> admittance(1 / ohm, 2 * std::numbers::pi * hz * time_s / ohm);
    const auto differential = (0.01 - admittance) / (0.01 + admittance);
    const std::complex<double> common = (common_ohm - 25) / (common_ohm + 25);
    return {(differential + common) / 2.0, (common - differential) / 2.0};
}

double Receiver::loss_share(double level_dbm, double interference_dbm) const {
    const double noise_dbm =
        10 * std::log10(std::pow(10, half_dbm / 10) + std::pow(10, (interference_dbm - rejection_db) / 10));
    return 1 / (1 + std::pow(99, (level_dbm - noise_dbm) / width_db));
}

double Pattern::gain_db(double angle_deg, double height) const {
    const double angle = (angle_deg - front_deg) * std::numbers::pi / 180;
    return -depth_db * (1 - std::cos(angle)) / 2 - per_metre_db * std::abs(height - height_m);
}

static DigitalWaveform waveform_of(const ConfigSection& s,
                                   const std::map<std::string, std::string>& settings) {
    DigitalWaveform out;
    out.port = s.text("port");
    out.when = when_of(s, settings);
    if (s.has("pattern")) out.pattern = s.text("pattern");
    if (!is_waveform_pattern(out.pattern)) s.at("pattern", [&] { sequence_bits(out.pattern, 1); });
    out.run = static_cast<int>(s.whole("run").value_or(1));
    if (out.run < 1 || out.run > 10000) s.fail("run", "1 to 10000 symbols are possible");
    out.rate_bit_s = s.quantity("rate")->value;
    out.amplitude_v = s.quantity("amplitude")->value;
    out.rise_s = s.quantity("rise_time")->value;
    out.noise_v = s.quantity_or("noise", 0);
    out.rate_error_ppm = s.quantity_or("rate_error", 0);
    out.random_jitter_s = s.quantity_or("random_jitter", 0);
    out.periodic_jitter_s = s.quantity_or("periodic_jitter", 0);
    out.periodic_hz = s.quantity_or("periodic_frequency", 1e6);
    out.duty_cycle_s = s.quantity_or("duty_cycle_distortion", 0);
    out.cable_hz = s.quantity_or("cable_bandwidth", 0);
    if (!(out.rate_bit_s > 0)) s.fail("rate", "must be above 0");
    out.droop_s = s.quantity_or("droop_time", 0);
    out.compression = s.quantity_or("compression", 0) / 100;
    out.disturber_v = s.quantity_or("disturber", 0);
    out.disturber_hz = s.quantity_or("disturber_frequency", out.rate_bit_s / 6);
    out.burst_s = s.quantity_or("burst", 0);
    out.gap_s = s.quantity_or("gap", 0);
    out.bursts = static_cast<int>(s.whole("bursts").value_or(6));
    out.rest_s = s.quantity_or("rest", 2e-6);
    if (out.burst_s > 0 && !(out.gap_s > 0 && out.bursts > 0)) s.fail("gap", "bursts need a gap above 0 s");
    return out;
}

// "3.3 V, 0 V, 1 ms, toggle 1 MHz".
static LinePair::Step step_of(const ConfigSection& s, const std::string& text) {
    LinePair::Step out;
    const auto parts = split(text, ',');
    const auto fail = [&] {
        s.fail("steps", in_quotes(text) +
                            " is none: write \"3.3 V, 0 V, 1 ms\", with \", toggle 1 MHz\" behind "
                            "it for lines that change");
    };
    if (parts.size() != 3 && parts.size() != 4) fail();
    s.at("steps", [&] {
        out.first_v = parse_quantity(trim(parts[0]), Unit::volt).value;
        out.second_v = parse_quantity(trim(parts[1]), Unit::volt).value;
        out.length_s = parse_quantity(trim(parts[2]), Unit::second).value;
    });
    if (!(out.length_s > 0)) fail();
    if (parts.size() == 4) {
        const auto last = trim(parts[3]);
        if (!last.starts_with("toggle ")) fail();
        s.at("steps", [&] { out.toggle_hz = parse_quantity(trim(last.substr(7)), Unit::hertz).value; });
        if (!(out.toggle_hz > 0)) fail();
    }
    return out;
}

static LinePair pair_of(const ConfigSection& s, const std::map<std::string, std::string>& settings) {
    LinePair out;
    out.port = s.text("port");
    out.when = when_of(s, settings);
    for (const auto& text : s.texts("steps")) out.steps.push_back(step_of(s, text));
    if (out.steps.empty()) s.fail("steps", "name at least one");
    out.rise_s = s.quantity_or("rise_time", 0);
    out.noise_v = s.quantity_or("noise", 0);
    return out;
}

bool is_waveform_pattern(const std::string& name) {
    return name == "clock" || name == "pam3-random" || name == "pam4-random" || name == "pam3-test" ||
           name == "pam5-test" || name == "mlt3-idle";
}

static int octet(const ConfigSection& s, const char* key, const std::string& text, int most) {
    std::size_t used = 0;
    int value = -1;
    try {
        value = std::stoi(text, &used, 0);
    } catch (const std::exception&) {
    }
    if (used != text.size() || value < 0 || value > most)
        s.fail(key, in_quotes(text) + " is none: write 0 to " + std::to_string(most) + " or 0x48");
    return value;
}

static BusTraffic bus_of(const ConfigSection& s, const std::map<std::string, std::string>& settings) {
    BusTraffic out;
    out.port = s.text("port");
    out.when = when_of(s, settings);
    out.rate_hz = s.quantity("rate")->value;
    out.supply_v = s.quantity("supply")->value;
    out.rise_s = s.quantity("rise_time")->value;
    out.fall_s = s.quantity("fall_time")->value;
    out.data_delay_s = s.quantity("data_delay")->value;
    out.noise_v = s.quantity_or("noise", 0);
    out.address = octet(s, "address", s.text("address"), 127);
    for (const auto& text : s.texts("bytes")) out.bytes.push_back(octet(s, "bytes", text, 255));
    if (s.has("late_bit")) out.late_bit = static_cast<int>(s.whole("late_bit").value_or(1)) - 1;
    out.late_by_s = s.quantity_or("late_by", 0);
    if (!(out.rate_hz > 0)) s.fail("rate", "must be above 0 Hz");
    return out;
}

static DeviceAround device_of(const ConfigSection& s, const std::map<std::string, std::string>& settings) {
    DeviceAround out{s.text("port"), when_of(s, settings), {}, {}};
    NearbyDevice& device = out.device;
    device.address = s.text("address");
    if (s.has("name")) device.name = s.text("name");
    device.kind = s.has("kind") ? s.text("kind") : "random";
    device.level_dbm = s.quantity_or("level", -60);
    const std::string words = s.text("allows");
    device.connects = words.starts_with("connect"), device.scanned = words.ends_with("scan");
    if (words != allows(device))
        s.fail("allows", "write \"connect, scan\", \"connect\", \"scan\" or \"neither\"");
    if (const auto loss = s.quantity("loss")) out.loss = loss->value / 100;
    s.at("address", [&] { require_valid(Devices{{device}, {}, {}}, ""); });
    return out;
}

std::optional<double> Receiver::reported(
    double level_dbm, const std::function<std::string(const std::string&)>& setting) const {
    double out = level_dbm + reports_db;
    if (report_index.empty()) return out;
    const auto index = to_double(setting(report_index));
    if (!index) return std::nullopt;
    out += report_step_db * *index + report_ripple_db * std::sin(2.1 * *index + 0.4);
    double hz = report_middle_hz;
    try {
        if (!report_frequency.empty()) hz = parse_quantity(setting(report_frequency), Unit::hertz).value;
    } catch (const Error&) {
        return std::nullopt;
    }
    out += report_slope_db_per_100mhz * (hz - report_middle_hz) / 100e6;
    if (report_table.empty()) return out;
    // The row of this index at the nearest frequency.
    std::optional<double> correction;
    double nearest = 1e300;
    const std::string table = setting(report_table);
    for (const auto row : split(std::string_view(table), ',')) {
        const auto cells = split(row, ':');
        if (cells.size() != 3) continue;
        const auto mhz = to_double(trim(cells[0])), number = to_double(trim(cells[1])),
                   db = to_double(trim(cells[2]));
        if (!mhz || !number || !db || *number != *index || std::abs(*mhz * 1e6 - hz) >= nearest) continue;
        nearest = std::abs(*mhz * 1e6 - hz), correction = *db;
    }
    return out + correction.value_or(0);
}

Surroundings read_surroundings(const ConfigSection& root,
                               const std::map<std::string, std::string>& settings) {
    Surroundings out;
    for (const auto& s : root.tables("wire", wire_section)) {
        out.wires.push_back({s.text("from"), s.text("to"), s.quantity("loss")->value, s.quantity("at")->value,
                             s.text("attenuator"), s.quantity_or("pad", 0)});
        if (!(out.wires.back().at_hz > 0)) s.fail("at", "must be above 0 Hz");
    }
    for (const auto& s : root.tables("receiver", receiver_section)) {
        out.receivers.push_back({s.text("port"), when_of(s, settings), s.quantity("half")->value,
                                 s.quantity("width")->value, s.quantity_or("packet_time", 1e-3),
                                 static_cast<int>(s.whole("packet_bits").value_or(1000)),
                                 s.quantity_or("most", 50e6), s.quantity_or("association", -200)});
        Receiver& receiver = out.receivers.back();
        if (const auto tuned = s.quantity("frequency")) receiver.frequency_hz = tuned->value;
        receiver.bandwidth_hz = s.quantity_or("bandwidth", 2e6);
        receiver.rejection_db = s.quantity_or("rejection", 40);
        receiver.sticky = s.flag("sticky");
        receiver.reports_db = s.quantity_or("reports", 0);
        for (const auto& [key, member] : {std::pair("report_index", &Receiver::report_index),
                                          {"report_frequency", &Receiver::report_frequency},
                                          {"report_table", &Receiver::report_table}}) {
            receiver.*member = s.text(key);
            if (!(receiver.*member).empty() && !settings.contains(receiver.*member))
                s.fail(key, "the unit has no setting " + in_quotes(receiver.*member));
        }
        receiver.report_step_db = s.quantity_or("report_step", 0);
        receiver.report_ripple_db = s.quantity_or("report_ripple", 0);
        receiver.report_slope_db_per_100mhz = s.quantity_or("report_slope", 0);
        receiver.report_middle_hz = s.quantity_or("report_middle", 0);
        if (!(receiver.bandwidth_hz > 0)) s.fail("bandwidth", "must be above 0 Hz");
        if (!(out.receivers.back().most_bps > 0)) s.fail("most", "must be above 0 bit/s");
        if (!(out.receivers.back().width_db > 0)) s.fail("width", "must be above 0 dB");
    }
    for (const auto& s : root.tables("draw", draw_section)) {
        out.draws.push_back({when_of(s, settings), s.quantity("current")->value});
    }
    for (const auto& s : root.tables("through", through_section)) {
        out.throughs.push_back({s.text("from"), s.text("to"), when_of(s, settings), s.quantity("gain")->value,
                                s.quantity_or("saturation", 30)});
    }
    for (const auto& s : root.tables("pattern", pattern_section)) {
        out.patterns.push_back({s.text("port"), s.quantity("front")->value, s.quantity("depth")->value,
                                s.quantity_or("height", 1), s.quantity_or("per_metre", 0)});
    }
    for (const auto& s : root.tables("waveform", waveform_section))
        out.waveforms.push_back(waveform_of(s, settings));
    for (const auto& s : root.tables("load", load_section)) {
        PairLoad load;
        load.port = s.text("port");
        load.when = when_of(s, settings);
        load.ohm = s.quantity("resistance")->value;
        load.time_s = s.quantity_or("time_constant", 0);
        load.common_ohm = s.quantity_or("common", 1e9);
        if (!(load.ohm > 0)) s.fail("resistance", "must be above 0 ohm");
        out.loads.push_back(load);
    }
    if (const auto s = root.table("wafer", wafer_section)) out.wafer = read_wafer(*s);
    if (const auto s = root.table("scalar", scalar_section)) {
        out.scalar = read_scalar_bench(*s);
        if (!settings.contains(out.scalar->setting))
            s->fail("setting", "the unit has no setting " + in_quotes(out.scalar->setting));
    }
    for (const auto& s : root.tables("pair", pair_section)) out.pairs.push_back(pair_of(s, settings));
    for (const auto& s : root.tables("module", module_section)) {
        const auto file = std::filesystem::path(root.file()).parent_path() / s.text("image");
        PluggedModule module{s.text("port"), when_of(s, settings), {}};
        s.at("image", [&] { module.registers = parse_registers_dump(read_file(file), file.string()); });
        out.modules.push_back(std::move(module));
    }
    for (const auto& s : root.tables("beacon", beacon_section))
        out.beacons.push_back(read_beacon(s, settings));
    for (const auto& s : root.tables("looped", looped_section))
        out.looped.push_back(read_looped(s, settings));
    for (const auto& s : root.tables("landing", landing_section))
        out.landings.push_back(read_landing_receiver(s, settings));
    for (const auto& s : root.tables("modem", modem_section)) out.modems.push_back(read_modem(s, settings));
    for (const auto& s : root.tables("device", device_section)) out.devices.push_back(device_of(s, settings));
    for (const auto& s : root.tables("homing", homing_section))
        out.homings.push_back(read_homing(s, settings));
    for (const auto& s : root.tables("sharing", sharing_section))
        out.sharings.push_back(read_sharing(s, settings));
    for (const auto& s : root.tables("bus", bus_section)) out.buses.push_back(bus_of(s, settings));
    return out;
}

}  // namespace rt::lab
