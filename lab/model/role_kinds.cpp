#include "lab/model/role_kinds.hpp"

#include <algorithm>
#include <array>
#include <string>
#include <vector>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {
namespace {

// Commands that any kind may have.
constexpr std::array common_to_all{
    CommandInfo{"identify", true, "", "who it is"},
    CommandInfo{"clear", false, "", "forget errors and events"},
    CommandInfo{"prepare", false, "", "once after connecting: known state"},
    CommandInfo{"next_error", true, "", "takes one entry out of the error queue"},
    CommandInfo{"recall", false, "state=1", "recalls a state stored in it, before anything is set"},
    CommandInfo{"use_external_reference", false, "", "takes its frequencies from the reference of the bench"},
    CommandInfo{"query_external_reference", false, "",
                "1 while it is locked to that; without verdict otherwise"},
    CommandInfo{"zero", false, "", "sets its zero; answers when done"},
    CommandInfo{"calibrate", false, "", "adjusts itself; answers when done"},
    CommandInfo{"wait", false, "", "answers when everything sent before is done"},
    CommandInfo{"abort", false, "", "ends a sweep under way, when the operator wants that"},
    CommandInfo{"picture", false, "", "a picture of its screen, as a data block"},
    CommandInfo{"query_power_on", false, "",
                "standard event status register (IEEE 488.2), whose bit 7 says that it was switched on"},
    CommandInfo{"query_temperature", false, "", "its temperature in degC, for watches"},
    CommandInfo{"query_preamble", false, "channel=1",
                "fields that say what the numbers of a record stand for"},
    CommandInfo{"query_increment", false, "channel=1", "what one step of a whole number stands for"},
    CommandInfo{"query_origin", false, "channel=1", "what is added to it"},
    CommandInfo{"query_reference", false, "channel=1", "the whole number that is taken away first"},
};

// Of all that send blocks of numbers.
constexpr CommandInfo query_format{"query_format", false, "", "reads the form of numbers back: REAL,64"};
constexpr CommandInfo query_byte_order{"query_byte_order", false, "",
                                       "reads the byte order back: SWAP for little-endian"};

constexpr std::array analyser_commands{
    CommandInfo{"set_start", true, "hz=1000000", "lowest frequency"},
    CommandInfo{"set_stop", true, "hz=2000000", "highest frequency"},
    CommandInfo{"set_points", true, "count=101", "points of a trace"},
    CommandInfo{"set_bandwidth", true, "hz=9000", "resolution bandwidth"},
    CommandInfo{"set_detector", true, "detector=@", "detector, in the words of [detectors]"},
    CommandInfo{"set_dwell", true, "s=0.001", "measuring time at each frequency"},
    CommandInfo{"set_reference", true, "dbm=-10", "reference level"},
    CommandInfo{"set_attenuation", true, "db=10", "input attenuation"},
    CommandInfo{"couple_attenuation", true, "", "attenuation follows the reference level"},
    CommandInfo{"set_unit", true, "unit=DBM", "unit of levels, DBM or DBUV"},
    CommandInfo{"query_start", false, "", "reads the lowest frequency back"},
    CommandInfo{"query_stop", false, "", "reads the highest frequency back"},
    CommandInfo{"query_points", false, "", "reads the number of points back"},
    CommandInfo{"query_bandwidth", false, "", "reads the resolution bandwidth back"},
    CommandInfo{"query_detector", false, "", "reads the detector back, in the words of [detectors]"},
    CommandInfo{"query_dwell", false, "", "reads the measuring time back"},
    CommandInfo{"query_unit", false, "", "reads the unit of levels back"},
    CommandInfo{"query_coupled", false, "", "1 while the attenuation follows the reference level"},
    query_format,
    query_byte_order,
    CommandInfo{"sweep", true, "", "one sweep; answers 1 when done"},
    CommandInfo{"query_overload", true, "", "status register with the bits of overload_mask"},
    CommandInfo{"read_trace", true, "", "the levels, as a block of little-endian 64-bit numbers"},
    CommandInfo{"set_iq_centre", false, "hz=1000000", "complex samples: what 0 Hz stands for"},
    CommandInfo{"set_iq_rate", false, "hz=1000000", "complex samples: how many a second"},
    CommandInfo{"set_iq_samples", false, "count=1000", "complex samples: how many"},
    CommandInfo{"set_iq_reference", false, "level=-10", "complex samples: reference level in dBm"},
    CommandInfo{"query_iq_centre", false, "", "complex samples: reads back what 0 Hz stands for"},
    CommandInfo{"query_iq_rate", false, "", "complex samples: reads back how many a second"},
    CommandInfo{"query_iq_samples", false, "", "complex samples: reads back how many"},
    CommandInfo{"record_iq", false, "", "records complex samples; answers 1 when done"},
    CommandInfo{"query_iq_full_scale", false, "", "level in dBm of a tone with |x| = 1"},
    CommandInfo{"read_iq", false, "", "I and Q in turn, as a block of little-endian 32-bit numbers"},
};

// A cell that a mobile device attaches to, and what it tells the device.
constexpr std::array cellular_settings{
    SettingInfo{"technology", Unit::none, "LTE", false, "of the cell, in the instrument's words"},
    SettingInfo{"frequency", Unit::hertz, "1.95 GHz", true, "of the uplink carrier"},
    SettingInfo{"bandwidth", Unit::hertz, "10 MHz", true, "of the channel"},
    SettingInfo{"identity", Unit::none, "37", false, "cell or scrambling identity"},
    SettingInfo{"downlink_level", Unit::dbm, "-60 dBm", false, "that it sends"},
    SettingInfo{"cell", Unit::none, "ON", true, "ON or OFF"},
    SettingInfo{"modulation", Unit::none, "QPSK", false, "of the uplink, in the instrument's words"},
    SettingInfo{"first_block", Unit::none, "0", false, "first allocated block"},
    SettingInfo{"blocks", Unit::none, "0", false, "allocated blocks; 0 for all"},
    SettingInfo{
        "power_control", Unit::none, "MAXimum", true,
        "what it commands the device to: maximum, minimum, the target, or steps from the target on, in the "
        "instrument's words"},
    SettingInfo{"power_target", Unit::dbm, "0 dBm", false, "the level that it commands then"},
    SettingInfo{"power_pattern", Unit::none, "1, 1, -1", false,
                "the steps in dB, one for each subframe or slot behind the first"},
    SettingInfo{"connection", Unit::none, "ON", true, "ON has the device attach, OFF releases it"},
};
constexpr std::array cellular_commands{
    query_format,
    query_byte_order,
    CommandInfo{"set_iq_centre", true, "hz=1000000", "complex samples: what 0 Hz stands for"},
    CommandInfo{"set_iq_rate", true, "hz=1000000", "how many a second"},
    CommandInfo{"set_iq_samples", true, "count=1000", "how many"},
    CommandInfo{"set_iq_reference", true, "level=-10", "reference level in dBm"},
    CommandInfo{"query_iq_centre", false, "", "reads back what 0 Hz stands for"},
    CommandInfo{"query_iq_rate", false, "", "reads back how many a second"},
    CommandInfo{"query_iq_samples", false, "", "reads back how many"},
    CommandInfo{"record_iq", true, "", "records complex samples; answers 1 when done"},
    CommandInfo{"query_overload", true, "", "status register with the bits of overload_mask"},
    CommandInfo{"query_iq_full_scale", true, "", "level in dBm of a tone with |x| = 1"},
    CommandInfo{"read_iq", true, "", "I and Q in turn, as a block of little-endian 32-bit numbers"},
    CommandInfo{"query_connection", true, "", "whether a device is attached, in the instrument's words"},
};

constexpr std::array generator_settings{
    SettingInfo{"frequency", Unit::hertz, "1 GHz", true, "carrier frequency"},
    SettingInfo{"level", Unit::dbm, "-30 dBm", true, "output level"},
    SettingInfo{"output", Unit::none, "OFF", true, "ON or OFF"},
    SettingInfo{"modulation", Unit::none, "OFF", false, "ON or OFF"},
    SettingInfo{"sample_rate", Unit::hertz, "1 MHz", false, "of what it plays: complex samples a second"},
};
constexpr std::array generator_commands{
    CommandInfo{
        "load_iq", false, "block=#",
        "I and Q of one period in turn, from -1 to 1, in the form of [[data]]; played while modulation "
        "is ON"},
    CommandInfo{"query_samples", false, "", "how many complex samples it holds: compared with those sent"},
};

constexpr std::array oscilloscope_commands{
    query_format,
    query_byte_order,
    CommandInfo{"set_span", true, "s=0.00001", "time from the first to the last sample"},
    CommandInfo{"set_points", true, "count=1000", "samples of a record"},
    CommandInfo{"set_range", true, "channel=1 v=1", "largest voltage to either side of zero"},
    CommandInfo{"set_trigger", true, "channel=1 v=0", "channel and level of the trigger"},
    CommandInfo{"query_span", false, "", "reads the time of a record back"},
    CommandInfo{"query_points", false, "", "reads the samples of a record back"},
    CommandInfo{"query_range", false, "channel=1", "reads the largest voltage of a channel back"},
    CommandInfo{"acquire", true, "", "one record; answers 1 when done"},
    CommandInfo{"query_overload", true, "", "status register with the bits of overload_mask"},
    CommandInfo{"query_step", true, "", "time between samples, in seconds"},
    CommandInfo{"read_waveform", true, "channel=1", "volts, as a block of little-endian 64-bit numbers"},
};

constexpr std::array network_settings{
    SettingInfo{"power", Unit::dbm, "-10 dBm", true, "source power"},
    SettingInfo{"attenuation", Unit::db, "10 dB", false, "attenuator of the source"},
    SettingInfo{"output", Unit::none, "ON", false, "ON or OFF: whether the source drives the ports"},
    SettingInfo{"frequency", Unit::hertz, "1 GHz", false,
                "the source held at one frequency, for a power sensor; a sweep ends it"},
    SettingInfo{"slope", Unit::db, "0 dB", false, "what the level of a sweep rises by for each gigahertz"},
    SettingInfo{"level_correction", Unit::none, "OFF", false,
                "ON or OFF: whether the source is corrected by its table"},
    SettingInfo{"level_table", Unit::none, "1e9,0.5,2e9,0.8", false,
                "its table: frequencies in Hz, each with the dB that are added there"},
};
constexpr std::array network_commands{
    query_format,
    query_byte_order,
    CommandInfo{"set_start", true, "hz=1000000", "lowest frequency"},
    CommandInfo{"set_stop", true, "hz=2000000", "highest frequency"},
    CommandInfo{"set_points", true, "count=11", "points of a sweep"},
    CommandInfo{"set_bandwidth", true, "hz=1000", "bandwidth of the receivers"},
    CommandInfo{"query_start", false, "", "reads the lowest frequency back"},
    CommandInfo{"query_stop", false, "", "reads the highest frequency back"},
    CommandInfo{"query_points", false, "", "reads the number of points back"},
    CommandInfo{"query_bandwidth", false, "", "reads the bandwidth back"},
    CommandInfo{"set_parameter", true, "parameter=S21",
                "which parameter is measured, in the words of [parameters]"},
    CommandInfo{"query_parameter", false, "", "reads back which parameter is measured"},
    CommandInfo{"query_corrected", false, "", "1 while its correction is on; without verdict otherwise"},
    CommandInfo{"set_correction", false, "state=ON", "its own correction ON, or OFF for raw data"},
    CommandInfo{"query_power", false, "", "reads the source power back, in dBm: kept with the data"},
    CommandInfo{"query_attenuation", false, "",
                "reads the attenuator of the source back, in dB: kept with the data"},
    CommandInfo{"sweep", true, "", "one sweep; answers 1 when done"},
    CommandInfo{"query_overload", true, "", "status register with the bits of overload_mask"},
    CommandInfo{"read_trace", true, "", "real and imaginary parts in turn, as a block of 64-bit numbers"},
};

constexpr std::array power_settings{
    SettingInfo{"frequency", Unit::hertz, "1 GHz", true, "at which the sensors are corrected"},
};
constexpr std::array power_commands{
    CommandInfo{"query_frequency", false, "", "reads the frequency back"},
    CommandInfo{"query_unit", false, "", "reads the unit of readings back: DBM"},
    CommandInfo{"set_averages", true, "count=4", "readings that are averaged"},
    CommandInfo{"read_power", true, "sensor=1", "one reading in dBm"},
    CommandInfo{"query_overload", true, "", "status register with the bits of overload_mask"},
};

constexpr std::array stage_settings{
    SettingInfo{"die", Unit::none, "3,5", true,
                "column and row of the die under the probes, or the name of another place"},
    SettingInfo{"device", Unit::none, "open", true, "device of the die"},
    SettingInfo{"contact", Unit::none, "UP", true,
                "DOWN on the pads or UP; lifted by itself before it moves"},
    SettingInfo{"temperature", Unit::celsius, "25 degC", false, "of the chuck"},
};
constexpr std::array stage_commands{
    CommandInfo{"list_dies", false, "", "names of the dies to test, in quotes with commas between"},
    CommandInfo{"list_devices", false, "", "names of the devices of a die"},
    CommandInfo{"list_reference", false, "", "name of the reference die"},
    CommandInfo{"list_pitch", false, "", "pitch along rows and along columns, in micrometres"},
    CommandInfo{"list_places", false, "", "x and y of each device in its die, in micrometres"},
    CommandInfo{"query_x", false, "", "where the probes are, micrometres to the right"},
    CommandInfo{"query_y", false, "", "and downwards"},
};

constexpr std::array source_measure_settings{
    SettingInfo{"input_voltage", Unit::volt, "0.5 V", true, "forced at the input (base, gate)"},
    SettingInfo{"input_current", Unit::ampere, "20 uA", false, "forced at the input in place of a voltage"},
    SettingInfo{"output_voltage", Unit::volt, "2 V", true, "forced at the output (collector, drain)"},
    SettingInfo{"input_limit", Unit::ampere, "1 mA", true, "compliance of the input"},
    SettingInfo{"input_voltage_limit", Unit::volt, "2 V", false,
                "compliance of the input where a current is forced"},
    SettingInfo{"output_limit", Unit::ampere, "50 mA", true, "compliance of the output"},
    SettingInfo{"output", Unit::none, "OFF", true, "ON or OFF, of both channels"},
};
constexpr std::array source_measure_commands{
    CommandInfo{"measure", true, "",
                "input voltage and current, 1 where its compliance holds it, else 0; the same of the output"},
};

constexpr std::array attenuator_settings{
    SettingInfo{"attenuation", Unit::db, "10 dB", true, "in steps"},
};

constexpr std::array supply_settings{
    SettingInfo{"voltage", Unit::volt, "5 V", true, "output voltage"},
    SettingInfo{"current", Unit::ampere, "1 A", true, "current limit"},
    SettingInfo{"output", Unit::none, "ON", true, "ON or OFF"},
};
constexpr std::array supply_commands{
    CommandInfo{"query_voltage", true, "", "measured voltage, in volts"},
    CommandInfo{"query_current", true, "", "measured current, in amperes"},
};

constexpr std::array waveform_settings{
    SettingInfo{"rate", Unit::hertz, "1 MHz", true, "samples a second"},
    SettingInfo{"amplitude", Unit::volt, "0.1 V", true, "from zero to the highest sample"},
    SettingInfo{"offset", Unit::volt, "0 V", false, "added to every sample"},
    SettingInfo{"output", Unit::none, "OFF", true, "ON or OFF"},
};
constexpr std::array waveform_commands{
    CommandInfo{"load_waveform", true, "block=#",
                "samples of one period, from -1 to 1, in the form of [[data]]"},
    CommandInfo{"query_samples", false, "", "how many samples it holds: compared with those that were sent"},
};

constexpr std::array switch_settings{
    SettingInfo{"output", Unit::none, "ON", true, "ON or OFF"},
};

constexpr std::array positioner_settings{
    SettingInfo{"angle", Unit::degree, "10 deg", false, "of a turntable"},
    SettingInfo{"height", Unit::metre, "1.5 m", false, "of a mast"},
    SettingInfo{"polarisation", Unit::none, "HORizontal", false, "of the antenna on a mast"},
};
constexpr std::array positioner_commands{
    CommandInfo{"query_angle", false, "", "where the turntable is, in degrees"},
    CommandInfo{"query_height", false, "", "where the mast is, in metres"},
    CommandInfo{"stop", false, "", "stops at once"},
};

constexpr std::array counter_settings{
    SettingInfo{"device", Unit::none, "c0:5e:77:20:00:02", false,
                "of link testers: the address of the device whose packets are counted"},
    SettingInfo{"method", Unit::none, "AUTO", false,
                "of link testers: scan requests, connection or, with AUTO, what the device allows; in the "
                "instrument's words"},
    SettingInfo{"channel", Unit::none, "19", false, "of the link, 0 to 39 from 2402 MHz on"},
    SettingInfo{"level", Unit::dbm, "-30 dBm", false, "at which it sends"},
};
constexpr std::array counter_commands{
    CommandInfo{"set_packets", true, "count=100", "packets that the next count sends"},
    CommandInfo{"count", true, "", "sends them; answers 1 when done"},
    CommandInfo{"read_counts", true, "", "packets sent, packets received, bits, bit errors"},
    CommandInfo{"query_method", false, "", "what it counted by: SCAN, CONNection, or NONE where it cannot"},
    CommandInfo{"set_search_time", false, "s=10", "how long the next search for devices takes"},
    CommandInfo{"search", false, "", "looks for devices; answers 1 when done"},
    CommandInfo{"read_devices", false, "",
                "the devices found, as a data block with a table \"address,kind,name,allows,level [dBm]\""},
};

constexpr std::array navigation_settings{
    SettingInfo{"part", Unit::none, "LOCaliser", true, "localiser or glide path, in the instrument's words"},
    SettingInfo{"frequency", Unit::hertz, "110.1 MHz", true, "carrier frequency"},
    SettingInfo{"level", Unit::dbm, "-60 dBm", true, "of the carrier"},
    SettingInfo{"output", Unit::none, "OFF", true, "ON or OFF"},
    SettingInfo{"deviation", Unit::none, "0.093", true,
                "difference in depth of modulation, 150 Hz predominating positive"},
    SettingInfo{"depth_sum", Unit::percent, "40 %", false, "sum of both depths"},
    SettingInfo{"phase", Unit::degree, "0 deg", false, "of the 150 Hz tone"},
    SettingInfo{"removed", Unit::none, "NONE", false, "tones that are not sent, in the instrument's words"},
    SettingInfo{"ident", Unit::none, "ISK", false, "text of the identification"},
    SettingInfo{"ident_depth", Unit::percent, "10 %", false, "its depth"},
};

constexpr std::array indicator_commands{
    CommandInfo{"read_deviation", true, "", "what it indicates, as a number"},
    CommandInfo{"read_flag", false, "", "1 while its flag is shown, else 0"},
    CommandInfo{"read_level", false, "", "of its automatic gain control, as a number"},
};

constexpr std::array traffic_settings{
    SettingInfo{"from", Unit::none, "127.0.0.1", true, "first end: an address or an interface"},
    SettingInfo{"to", Unit::none, "127.0.0.1", true, "second end"},
};
constexpr std::array traffic_commands{
    CommandInfo{"set_rate", true, "bps=1000000", "bits of payload offered a second, each way"},
    CommandInfo{"set_length", true, "octets=1400", "payload of a frame"},
    CommandInfo{"set_time", true, "s=0.1", "how long it is sent"},
    CommandInfo{"set_way", true, "way=forward", "forward, backward or both"},
    CommandInfo{"run", true, "", "sends and counts; answers 1 when done"},
    CommandInfo{"read_traffic", true, "", "what was counted, as a data block with a table of text"},
};

constexpr std::array module_commands{
    CommandInfo{"set_repeats", true, "count=2",
                "how often what identifies the module is read, to try its bus"},
    CommandInfo{"run", true, "", "reads all its pages; answers 1 when done"},
    CommandInfo{"read_registers", true, "", "what was read, as a data block with a table of text"},
    CommandInfo{"query_supply", false, "", "voltage at it, for watches, as query_temperature is"},
    CommandInfo{"query_alarms", false, "", "how many monitors are beyond their alarm limits now"},
    CommandInfo{"query_warnings", false, "", "beyond their warning limits, but no alarm limit"},
    CommandInfo{"query_faults", false, "", "flags of faults, lost signals and lost locks"},
};

const std::array known_kinds{
    RoleKind{"analyser", "signal analyser or measuring receiver", {}, analyser_commands},
    RoleKind{"cellular-tester", "tester of mobile devices: a cell, and an analyser of what they send",
             cellular_settings, cellular_commands, false, "analyser"},
    RoleKind{"generator", "signal generator", generator_settings, generator_commands},
    RoleKind{"oscilloscope", "oscilloscope", {}, oscilloscope_commands},
    RoleKind{"network-analyser", "network analyser", network_settings, network_commands},
    RoleKind{"wafer-stage", "stage that moves a wafer under probes", stage_settings, stage_commands},
    RoleKind{"source-measure", "source-measure unit with two channels", source_measure_settings,
             source_measure_commands},
    RoleKind{"power-meter", "power meter with one to three sensors", power_settings, power_commands},
    RoleKind{"attenuator", "step attenuator", attenuator_settings, {}},
    RoleKind{"supply", "DC supply", supply_settings, supply_commands},
    RoleKind{"waveform-generator", "generator of waveforms out of samples", waveform_settings,
             waveform_commands},
    RoleKind{"switch", "switched output, such as a mains outlet", switch_settings, {}},
    RoleKind{"positioner", "turntable or mast", positioner_settings, positioner_commands},
    RoleKind{"counter", "link counter of packets and bits, or tester of short-range links", counter_settings,
             counter_commands},
    RoleKind{"navigation-generator", "generator of landing-system signals", navigation_settings, {}},
    RoleKind{"indicator", "indicator of a landing-system receiver", {}, indicator_commands},
    RoleKind{"traffic", "sender and receiver of numbered frames", traffic_settings, traffic_commands},
    RoleKind{"module", "reader of a pluggable module's registers", {}, module_commands},
    RoleKind{"unit", "control of the unit under test", {}, {}, true},
};

}  // namespace

const SettingInfo* RoleKind::find_setting(std::string_view setting) const {
    const auto at = std::find_if(settings.begin(), settings.end(),
                                 [&](const SettingInfo& info) { return setting == info.name; });
    return at == settings.end() ? nullptr : &*at;
}

bool RoleKind::knows_command(std::string_view command) const {
    const auto same = [&](const CommandInfo& info) { return command == info.name; };
    if (std::any_of(common_to_all.begin(), common_to_all.end(), same)) return true;
    if (std::any_of(commands.begin(), commands.end(), same)) return true;
    if (command.starts_with("confirm_")) return open_settings || find_setting(command.substr(8));
    if (open_settings &&
        (command.starts_with("set_") || command.starts_with("query_") || command.starts_with("list_")))
        return true;
    return command.starts_with("set_") && find_setting(command.substr(4));
}

std::span<const CommandInfo> common_commands() {
    return common_to_all;
}

std::span<const RoleKind> role_kinds() {
    return known_kinds;
}

const RoleKind& find_role_kind(std::string_view name) {
    std::vector<std::string> names;
    for (const auto& kind : known_kinds) {
        if (name == kind.name) return kind;
        names.emplace_back(kind.name);
    }
    fail_input("unknown kind of instrument " + in_quotes(name) + suggestion(name, names));
}

}  // namespace rt::lab
