#include "lab/formats/bench_file.hpp"

#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

namespace rt {
namespace {

using enum KeyKind;

constexpr std::array bench_keys{KeyInfo{"name", text, true, "name of the bench, shown on the report"}};

constexpr std::array instrument_keys{
    KeyInfo{"role", text, true, "what it does here: analyser, receiver, unit ..."},
    KeyInfo{"name", text, true, "maker and model, for the report"},
    KeyInfo{"serial", word, false, "serial number, for the report"},
    KeyInfo{"address", text, true, "\"tcp://host:port\" or \"simulated\""},
    KeyInfo{"dialect", text, true, "name of a shipped dialect, or a .toml file beside the bench"},
    KeyInfo{"calibration_due", date, false, "after this day nothing it measures gets a verdict"},
    KeyInfo{"connected_to", text, false, "port of the unit it is connected to"},
    KeyInfo{"timeout", quantity, false, "longest wait for an answer; 5 s without it", Unit::second},
    KeyInfo{"impedance", quantity, false, "of its input; needed between dBm and dBuV", Unit::ohm},
    KeyInfo{"scan_bandwidth", quantity, false, "spectrum measured at once; only for estimates of time",
            Unit::hertz},
};

constexpr std::array simulation_keys{
    KeyInfo{"unit", text, true, "file that describes what the simulated instruments see"},
    KeyInfo{"seed", whole, false, "of the noise"},
    KeyInfo{"instant", flag, false, "sweeps take no time"},
};

constexpr std::array root_keys{
    KeyInfo{"bench", table, true, "the bench"},
    KeyInfo{"instrument", tables, true, "its instruments"},
    KeyInfo{"simulation", table, false, "for instruments whose address is \"simulated\""},
};

constexpr SectionInfo root_section{"the file", "", root_keys};
constexpr SectionInfo bench_section{"[bench]", "The bench as a whole.", bench_keys};
constexpr SectionInfo instrument_section{"[[instrument]]", "One instrument.", instrument_keys};
constexpr SectionInfo simulation_section{"[simulation]", "The world behind simulated instruments.",
                                         simulation_keys};
constexpr std::array<const SectionInfo*, 4> bench_sections{&root_section, &bench_section, &instrument_section,
                                                           &simulation_section};

constexpr std::array dialect_keys{
    KeyInfo{"id", text, true, "name that bench files use"},
    KeyInfo{"title", text, true, "which instruments it is for"},
};
constexpr std::array dialect_root_keys{
    KeyInfo{"dialect", table, true, "the dialect"},
    KeyInfo{"commands", pairs, true, "commands by what they are for, with {placeholders}"},
    KeyInfo{"detectors", pairs, false, "the instrument's words for the detectors"},
    KeyInfo{"overload_mask", whole, false, "bits of the answer to query_overload that mean overload"},
};
constexpr SectionInfo dialect_section{"[dialect]", "The dialect.", dialect_keys};
constexpr SectionInfo dialect_root_section{"the file", "", dialect_root_keys};
constexpr std::array<const SectionInfo*, 2> dialect_sections{&dialect_root_section, &dialect_section};

void require_address(const ConfigSection& section, const std::string& address) {
    if (address == "simulated") return;
    constexpr std::string_view scheme = "tcp://";
    const auto colon = address.rfind(':');
    if (address.starts_with(scheme) && colon > scheme.size()) {
        const auto port = to_double(address.substr(colon + 1));
        if (port && *port >= 1 && *port <= 65535) return;
    }
    section.fail("address",
                 in_quotes(address) + " is no address: write \"tcp://host:port\" or \"simulated\"");
}

Instrument read_instrument(const ConfigSection& section, const std::filesystem::path& bench,
                           const InputFiles& files) {
    Instrument instrument;
    instrument.role = section.text("role");
    instrument.name = section.text("name");
    instrument.serial = section.text("serial");
    instrument.address = section.text("address");
    require_address(section, instrument.address);
    const std::string dialect = section.text("dialect");
    const auto path = files.find("dialect", dialect, bench);
    if (!std::filesystem::exists(path)) {
        section.fail("dialect", "no dialect " + in_quotes(dialect) + ": there is no file " + path.string());
    }
    instrument.dialect = read_dialect(path);
    instrument.dialect_reference = dialect;
    instrument.calibration_due = section.text("calibration_due");
    instrument.connected_to = section.text("connected_to");
    if (const auto timeout = section.quantity("timeout")) instrument.timeout_s = timeout->value;
    if (!(instrument.timeout_s > 0)) section.fail("timeout", "must be above 0 s");
    if (const auto impedance = section.quantity("impedance")) instrument.impedance_ohm = impedance->value;
    if (const auto width = section.quantity("scan_bandwidth")) instrument.scan_bandwidth_hz = width->value;
    instrument.place = section.place();
    return instrument;
}

}  // namespace

const FileInfo bench_file{"bench", "The instruments of a bench, by role.", bench_sections};
const FileInfo dialect_file{"dialect", "How one family of instruments is spoken to.", dialect_sections};

const Instrument* Bench::find(std::string_view role) const {
    for (const auto& instrument : instruments) {
        if (instrument.role == role) return &instrument;
    }
    return nullptr;
}

Dialect read_dialect(const std::filesystem::path& file) {
    Dialect dialect;
    dialect.file = file;
    dialect.text = read_file(file);
    const ConfigNode node = parse_config(dialect.text, file.string());
    const ConfigSection root(node, file.string(), dialect_root_section);
    const ConfigSection head = *root.table("dialect", dialect_section);
    dialect.id = head.text("id");
    dialect.title = head.text("title");
    for (auto& [name, command] : root.pairs("commands")) dialect.commands[name] = command;
    for (auto& [name, word] : root.pairs("detectors")) dialect.detectors[name] = word;
    dialect.overload_mask = root.whole("overload_mask").value_or(0);
    return dialect;
}

Bench read_bench(const std::filesystem::path& file, const InputFiles& files) {
    Bench bench;
    bench.file = file;
    bench.text = read_file(file);
    const ConfigNode node = parse_config(bench.text, file.string());
    const ConfigSection root(node, file.string(), root_section);
    bench.name = root.table("bench", bench_section)->text("name");
    for (const auto& section : root.tables("instrument", instrument_section)) {
        auto instrument = read_instrument(section, file, files);
        if (bench.find(instrument.role))
            section.fail("role", "two instruments have the role " + in_quotes(instrument.role));
        bench.instruments.push_back(std::move(instrument));
    }
    if (const auto section = root.table("simulation", simulation_section)) {
        const std::string unit = section->text("unit");
        bench.simulation = Simulation{files.find("simulated unit", unit, file), unit,
                                      static_cast<std::uint64_t>(section->whole("seed").value_or(1)),
                                      section->flag("instant")};
    }
    for (const auto& instrument : bench.instruments) {
        if (instrument.simulated() && !bench.simulation) {
            fail_input(instrument.place,
                       "the address is \"simulated\" but the bench has no [simulation] section");
        }
    }
    return bench;
}

}  // namespace rt
