#include "lab/formats/instrument_section.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/dialect_file.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/layout_file.hpp"
#include "lab/formats/pattern_file.hpp"
#include "lab/formats/touchstone.hpp"

namespace rt::lab {
namespace {

constexpr std::array instrument_keys{
    KeyInfo{"role", Key::text, true, "what it does here: analyser, receiver, unit ..."},
    KeyInfo{"name", Key::text, true, "maker and model, for the report"},
    KeyInfo{"layout", Key::table, false,
            "of recorded spectra that another program has written: how these files are laid out"},
    KeyInfo{"serial", Key::word, false, "serial number, for the report"},
    KeyInfo{
        "address", Key::text, true,
        "\"tcp://host:port\", \"hislip://host\", \"vxi11://host\", \"usb:1234:5678\", \"gpib:CONVERTER,9\", "
        "\"serial:DEVICE,115200,8N1\", \"device:/dev/usbtmc0\", "
        "\"simulated\", \"files:PATTERN\" (recorded captures); for a unit also \"program:FILE\", \"by "
        "hand\""},
    KeyInfo{"dialect", Key::text, false,
            "name of a shipped dialect, or a .toml file beside the bench; not needed by hand, by program or "
            "from files"},
    KeyInfo{"calibration_due", Key::date, false, "after this day nothing it measures gets a verdict"},
    KeyInfo{"connected_to", Key::text, false, "port of the unit it is connected to"},
    KeyInfo{"timeout", Key::quantity, false, "longest wait for an answer; 10 s without it", Unit::second},
    KeyInfo{"retries", Key::whole, false,
            "how often a point is tried again, newly connected, after trouble with it; 0 without it"},
    KeyInfo{"channel", Key::whole, false,
            "{channel} of its commands: an output of a supply, a sensor; 1 without it"},
    KeyInfo{
        "recall", Key::text, false,
        "a state stored in it that is recalled before anything is set, by the command recall of its dialect"},
    KeyInfo{"external_reference", Key::flag, false,
            "it takes its frequencies from the reference of the bench, and must prove to be locked to it"},
    KeyInfo{
        "lock", Key::text, false,
        "\"exclusive\": nobody else may use it meanwhile; \"shared:KEY\": only who has the same key (HiSLIP; "
        "VXI-11 only exclusive)"},
    KeyInfo{"to_local", Key::flag, false, "its panel is given back to the operator at the end"},
    KeyInfo{"shared", Key::flag, false, "another role may have the same address: channels of one instrument"},
    KeyInfo{"zero", Key::flag, false, "zeroed and calibrated when a run begins"},
    KeyInfo{"off_time", Key::quantity, false,
            "of a supply: how long it stays off when it cycles the unit's power; "
            "1 s without it",
            Unit::second},
    KeyInfo{"longest_move", Key::quantity, false,
            "of a turntable or mast: after this time a movement counts as failed; 2 min without it",
            Unit::second},
    KeyInfo{"turn_time", Key::quantity, false, "of a turntable: how long a full turn takes, for estimates",
            Unit::second},
    KeyInfo{"lift_time", Key::quantity, false, "of a mast: how long a metre takes, for estimates",
            Unit::second},
    KeyInfo{"angle_tolerance", Key::quantity, false,
            "of a turntable: farther from where it was sent no point gets a verdict; 1 deg without it",
            Unit::degree},
    KeyInfo{"height_tolerance", Key::quantity, false, "of a mast, likewise; 2 cm without it", Unit::metre},
    KeyInfo{"properties", Key::pairs, false,
            "what rules may require of it: { bandwidth = \"4 GHz\", probe_bandwidth = \"2 GHz\", "
            "frequency_accuracy = \"0.5 ppm\", "
            "reference = \"locked\" }"},
    KeyInfo{"signal", Key::text, false,
            "of a generator of samples: what it plays, made by the tool (rare-tally make lists the signals); "
            "a campaign sets their parameters as settings of the role"},
    KeyInfo{"signal_parameters", Key::pairs, false, "parameters of the signal, where no campaign sets them"},
    KeyInfo{"signal_through", Key::text, false,
            "Touchstone file of a channel beside the bench that the signal goes through"},
    KeyInfo{"program", Key::text, false,
            "of a counter at the address here: a program of yours beside the bench that counts "
            "(docs/counting.md)"},
    KeyInfo{"impedance", Key::quantity, false, "of its input; needed between dBm and dBuV", Unit::ohm},
    KeyInfo{"scan_bandwidth", Key::quantity, false, "spectrum measured at once; only for estimates of time",
            Unit::hertz},
};

constexpr std::array converter_keys{
    KeyInfo{"name", Key::text, true, "as addresses say it: gpib:NAME,9"},
    KeyInfo{"address", Key::text, true, "\"tcp://host:port\" or \"serial:DEVICE,115200,8N1\""},
    KeyInfo{"setup", Key::texts, false, "lines that are sent to it once after connecting"},
    KeyInfo{"select", Key::text, true, "line that selects an instrument: {address} is its number"},
    KeyInfo{"read", Key::text, false,
            "line that asks for an answer; not needed where answers come by themselves"},
    KeyInfo{"poll", Key::text, false, "line that it answers with the status byte of the instrument"},
    KeyInfo{"clear", Key::text, false, "line that sends a selected device clear"},
    KeyInfo{"trigger", Key::text, false, "line that sends a trigger"},
    KeyInfo{"local", Key::text, false, "line that gives the panel back"},
};
// Instruments without messages still belong to a kind.
Dialect silent_dialect(const Instrument& instrument) {
    Dialect dialect;
    dialect.id = instrument.recorded() ? "recorded" : "";
    dialect.kind = &find_role_kind("unit");
    return dialect;
}

// What the bench asks of an instrument must be possible with its dialect and its address.
void require_manners(const ConfigSection& section, Instrument& instrument) {
    const Dialect& dialect = instrument.dialect;
    const auto need = [&](const char* key, const char* command) {
        if (!dialect.knows(command))
            section.fail(key, "dialect " + dialect.id + " has no command " + command);
    };
    if (!instrument.recall.empty()) need("recall", "recall");
    if (instrument.external_reference) {
        need("external_reference", "use_external_reference");
        need("external_reference", "query_external_reference");
        // Proven at each point: rules that require a locked reference may rely on it.
        auto& all = instrument.properties;
        std::erase_if(all, [](const auto& property) { return property.first == "reference"; });
        all.emplace_back("reference", "locked");
    }
    const std::string& lock = instrument.lock;
    if (!lock.empty() && lock != "exclusive" && !(lock.starts_with("shared:") && lock.size() > 7))
        section.fail("lock", "write \"exclusive\" or \"shared:KEY\"");
    using enum Address::Kind;
    const auto kind = instrument.place.kind;
    const std::string& simulated_by = instrument.place.name;
    const bool by_hislip = kind == hislip || (kind == simulated && simulated_by == "hislip");
    const bool by_vxi11 = kind == vxi11 || (kind == simulated && simulated_by == "vxi11");
    if (!lock.empty() && !by_hislip && !(by_vxi11 && lock == "exclusive"))
        section.fail("lock", "is possible over HiSLIP, and as \"exclusive\" over VXI-11");
    for (const auto& [command, completion] : dialect.completions) {
        const bool plain = kind == tcp || kind == serial || (kind == simulated && simulated_by == "tcp");
        if (completion.by_request && plain)
            section.fail("address", "dialect " + dialect.id + " waits for a service request at the end of " +
                                        command + ", which neither a raw socket nor a serial line carries");
    }
    if (dialect.levels != Unit::none && !instrument.impedance_ohm &&
        (dialect.levels == Unit::volt || dialect.levels == Unit::dbuv))
        section.fail("impedance", "is missing: dialect " + dialect.id + " reads levels in " +
                                      std::string(symbol(dialect.levels)) + ", which become powers by it");
}

// What a generator of samples plays.
std::shared_ptr<const PlayedSignal> read_signal(const ConfigSection& section, const Instrument& instrument,
                                                const std::filesystem::path& bench, const InputFiles& files,
                                                std::vector<NamedFile>& named) {
    if (!section.has("signal")) {
        for (const char* key : {"signal_parameters", "signal_through"}) {
            if (section.has(key)) section.fail(key, "goes with signal: name one");
        }
        return nullptr;
    }
    auto out = std::make_shared<PlayedSignal>();
    section.at("signal", [&] { out->kind = &find_signal(section.text("signal")); });
    const std::string load = out->kind->complex ? "load_iq" : "load_waveform";
    if (!instrument.dialect.knows(load))
        section.fail("signal", section.text("signal") + " needs a generator whose dialect has the command " +
                                   load + ", that of the " + instrument.role + " has none");
    for (const auto& [name, value] : section.pairs("signal_parameters")) {
        section.at("signal_parameters", [&] {
            Parameters(out->kind->parameters).set(name, value);
            out->parameters[name] =
                name == "pattern" ? with_pattern_files(value, bench, files, named) : value;
        });
    }
    if (const std::string through = section.text("signal_through"); !through.empty()) {
        if (!out->kind->takes_channel)
            section.fail("signal_through", section.text("signal") + " goes through no channel");
        const auto path = files.find("channel", through, bench);
        section.at("signal_through", [&] {
            named.push_back({"channel", through, read_file(path)});
            out->inputs.through = parse_touchstone(named.back().text, path.string(), ports_named(path));
        });
    }
    return out;
}

Converter read_converter(const ConfigSection& section) {
    Converter out;
    out.name = section.text("name");
    section.at("address", [&] { out.line = parse_address(section.text("address")); });
    if (out.line.kind != Address::Kind::tcp && out.line.kind != Address::Kind::serial)
        section.fail("address", "of a converter is tcp://host:port or serial:DEVICE");
    out.setup = section.texts("setup");
    out.select = section.text("select");
    if (out.select.find("{address}") == std::string::npos)
        section.fail("select", "lacks the number of the instrument: write {address} where it goes");
    out.read = section.text("read"), out.poll = section.text("poll"), out.clear = section.text("clear");
    out.trigger = section.text("trigger"), out.local = section.text("local");
    return out;
}

}  // namespace

const SectionInfo instrument_section{"[[instrument]]", "One instrument.", instrument_keys};
const SectionInfo converter_section{
    "[[converter]]",
    "What stands between a raw socket or a serial line and instruments on the GPIB, in its own words.",
    converter_keys};
Instrument read_instrument(const ConfigSection& section, const std::filesystem::path& bench,
                           const InputFiles& files, std::vector<NamedFile>& named) {
    Instrument instrument;
    instrument.role = section.text("role");
    instrument.name = section.text("name");
    instrument.serial = section.text("serial");
    instrument.address = section.text("address");
    section.at("address", [&] { instrument.place = parse_address(instrument.address); });
    const bool needs_dialect = instrument.place.speaks();
    if (instrument.recorded() || instrument.place.kind == Address::Kind::program) {
        instrument.place.path = files.find("outside", instrument.place.path, bench).string();
    }
    if (needs_dialect && !section.has("dialect")) section.fail("dialect", "is missing: name a dialect");
    const std::string dialect = section.text("dialect");
    if (!dialect.empty()) {
        const auto path = files.find("dialect", dialect, bench);
        if (!std::filesystem::exists(path)) {
            section.fail("dialect",
                         "no dialect " + in_quotes(dialect) + ": there is no file " + path.string());
        }
        instrument.dialect = read_dialect(path, &files);
    } else {
        instrument.dialect = silent_dialect(instrument);
    }
    if (section.has("program")) {
        if (instrument.place.kind != Address::Kind::here || !instrument.is("counter"))
            section.fail("program", "goes with a counter at the address \"here\"");
        instrument.program = files.find("outside", section.text("program"), bench).string();
        if (!std::filesystem::exists(instrument.program))
            section.fail("program", "there is no file " + instrument.program);
    }
    instrument.signal = read_signal(section, instrument, bench, files, named);
    using enum Address::Kind;
    const auto kind = instrument.place.kind;
    if ((kind == program || kind == by_hand) && instrument.role != "unit" &&
        !(kind == by_hand && instrument.is("indicator"))) {
        section.fail("address", "only the unit can be set by a program or by hand, and an indicator be read");
    }
    instrument.dialect_reference = dialect;
    instrument.calibration_due = section.text("calibration_due");
    instrument.connected_to = section.text("connected_to");
    instrument.timeout_s = section.quantity_or("timeout", instrument.timeout_s);
    if (!(instrument.timeout_s > 0)) section.fail("timeout", "must be above 0 s");
    const auto retries = section.whole("retries").value_or(0);
    if (retries < 0 || retries > 100) section.fail("retries", "must be 0 to 100");
    instrument.retries = static_cast<int>(retries);
    if (const auto impedance = section.quantity("impedance")) instrument.impedance_ohm = impedance->value;
    instrument.properties = section.pairs("properties");
    const auto channel = section.whole("channel").value_or(1);
    if (channel < 1 || channel > 99) section.fail("channel", "must be 1 to 99");
    instrument.channel = static_cast<int>(channel);
    instrument.recall = section.text("recall");
    instrument.external_reference = section.flag("external_reference");
    instrument.lock = section.text("lock");
    instrument.to_local = section.flag("to_local");
    instrument.shared = section.flag("shared");
    require_manners(section, instrument);
    instrument.zero = section.flag("zero");
    if (instrument.zero && !instrument.dialect.knows("zero")) {
        section.fail("zero", "dialect " + instrument.dialect.id + " has no command zero");
    }
    instrument.off_time_s = section.quantity_or("off_time", instrument.off_time_s);
    instrument.longest_move_s = section.quantity_or("longest_move", instrument.longest_move_s);
    for (const auto& [key, to] : {std::pair{"turn_time", &Instrument::turn_time_s},
                                  std::pair{"lift_time", &Instrument::lift_time_s}}) {
        const auto time = section.quantity(key);
        if (!time) continue;
        if (!(time->value > 0)) section.fail(key, "must be above 0 s");
        instrument.*to = time->value;
    }
    instrument.angle_tolerance_deg = section.quantity_or("angle_tolerance", instrument.angle_tolerance_deg);
    instrument.height_tolerance_m = section.quantity_or("height_tolerance", instrument.height_tolerance_m);
    if (const auto width = section.quantity("scan_bandwidth")) instrument.scan_bandwidth_hz = width->value;
    if (const auto layout = section.table("layout", layout_section)) {
        if (!instrument.recorded())
            section.fail("layout", "is of recorded files: address = \"files:PATTERN\"");
        instrument.layout = read_layout(*layout);
    }
    instrument.where = section.place();
    return instrument;
}

// Instruments on the GPIB find their converter.
void join_converters(const ConfigSection& root, Bench& bench) {
    std::vector<std::shared_ptr<const Converter>> all;
    std::vector<std::string> names;
    for (const auto& section : root.tables("converter", converter_section)) {
        all.push_back(std::make_shared<Converter>(read_converter(section)));
        if (std::find(names.begin(), names.end(), all.back()->name) != names.end())
            section.fail("name", "two converters have the name " + in_quotes(all.back()->name));
        names.push_back(all.back()->name);
    }
    for (auto& instrument : bench.instruments) {
        if (instrument.place.kind != Address::Kind::gpib) continue;
        for (const auto& converter : all) {
            if (converter->name == instrument.place.name) instrument.place.converter = converter;
        }
        if (!instrument.place.converter)
            fail_input(instrument.where, "the address " + in_quotes(instrument.address) +
                                             " names a converter that the bench lacks" +
                                             suggestion(instrument.place.name, names));
    }
}

// Two roles at one address are mostly a copied line: they would set each other's instrument.
void require_own_addresses(const Bench& bench) {
    for (std::size_t i = 0; i < bench.instruments.size(); ++i) {
        const Instrument& one = bench.instruments[i];
        if (one.place.kind >= Address::Kind::here) continue;
        for (std::size_t k = 0; k < i; ++k) {
            const Instrument& other = bench.instruments[k];
            if (other.address != one.address || (one.shared && other.shared)) continue;
            fail_input(one.where,
                       "the roles " + other.role + " and " + one.role + " have the same address " +
                           in_quotes(one.address) +
                           ": write shared = true for both if they are channels of one instrument");
        }
    }
}

}  // namespace rt::lab
