#include "lab/formats/bench_file.hpp"

#include <algorithm>
#include <array>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/correction_file.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/gathered.hpp"
#include "lab/formats/instrument_section.hpp"
#include "lab/formats/layout_file.hpp"

namespace rt::lab {
namespace {

constexpr std::array bench_keys{
    KeyInfo{"name", Key::text, true, "name of the bench, shown on the report"},
    KeyInfo{"reference_stability", Key::quantity, false,
            "how stable its frequency reference is over a record, \"0.0001 ppm\": counts for instruments "
            "that prove to be "
            "locked to it (external_reference)",
            Unit::ppm},
};

constexpr std::array path_keys{
    KeyInfo{"role", Key::text, true, "the instrument at the end of the path"},
    KeyInfo{"part", Key::tables, true, "what stands in it, from the unit to the instrument"},
};

constexpr std::array path_part_keys{
    KeyInfo{"name", Key::text, true, "what is written on it"},
    KeyInfo{"kind", Key::text, false,
            "cable, attenuator, amplifier, antenna, probe, coupler, filter or network"},
    KeyInfo{"loss", Key::quantity, false, "the same at every frequency", Unit::db},
    KeyInfo{"gain", Key::quantity, false, "the same at every frequency", Unit::db},
    KeyInfo{"ratio", Key::whole, false, "of a voltage probe: 10 for 10:1"},
    KeyInfo{"table", Key::text, false, "CSV or Touchstone file beside the bench"},
    KeyInfo{"calibration", Key::text, false, "name of what a test of the campaign provides"},
    KeyInfo{"valid_until", Key::date, false, "after this day nothing measured through it gets a verdict"},
};

constexpr std::array simulation_keys{
    KeyInfo{"unit", Key::text, true, "file that describes what the simulated instruments see"},
    KeyInfo{"seed", Key::whole, false, "of the noise"},
    KeyInfo{"instant", Key::flag, false, "sweeps and movements take no time"},
    KeyInfo{"fault", Key::tables, false, "what goes wrong, to rehearse it"},
    KeyInfo{"accent", Key::tables, false, "headers of its own that an instrument has, to rehearse dialects"},
};

constexpr std::array accent_keys{
    KeyInfo{"role", Key::text, true, "which simulated instrument"},
    KeyInfo{"hears", Key::text, true, "a header of its own, in the long form, with ? for a question"},
    KeyInfo{"means", Key::text, false, "the header of SCPI-1999 that it is carried out as"},
    KeyInfo{"answers", Key::text, false, "or what it answers; without both it is unknown to it"},
};

constexpr std::array fault_keys{
    KeyInfo{"role", Key::text, true, "which simulated instrument"},
    KeyInfo{"kind", Key::text, true,
            "slow, silent, drop (connection), cut (it within an answer), garbage, half-block, swap (two "
            "answers), "
            "error-entry, overload, unlevelled, unlocked, uncalibrated, restart, panel (somebody resets it "
            "there), "
            "another-value (sets something else than told), drift, wrong-mode or hang (of the unit)"},
    KeyInfo{"after", Key::whole, false, "messages that it answers well before"},
    KeyInfo{"times", Key::whole, false, "how often then; always without it"},
    KeyInfo{"delay", Key::quantity, false, "of a slow answer", Unit::second},
    KeyInfo{"text", Key::text, false, "of an entry in the error queue"},
};

constexpr std::array uncertainty_keys{
    KeyInfo{"name", Key::text, true, "what the budget is for, as the report says it"},
    KeyInfo{"applies_to", Key::texts, false,
            "traces and results that it speaks for; all of its unit without it"},
    KeyInfo{"unit", Key::text, false, "of its values: dB (without it), another unit, or % of the value"},
    KeyInfo{"from", Key::quantity, false, "lowest frequency it is for", Unit::hertz},
    KeyInfo{"to", Key::quantity, false, "highest frequency it is for", Unit::hertz},
    KeyInfo{"contribution", Key::tables, true, "what contributes"},
};

constexpr std::array contribution_keys{
    KeyInfo{"name", Key::text, true, "what contributes: receiver, antenna factor, mismatch ..."},
    KeyInfo{"value", Key::quantity, true, "its half-width, or expanded uncertainty"},
    KeyInfo{"distribution", Key::text, false, "normal (without it), rectangular, triangular or u-shaped"},
    KeyInfo{"coverage", Key::whole, false, "factor k that a normal one is stated for; 2 without it"},
    KeyInfo{"sensitivity", Key::quantity, false, "factor by which it enters the result; 1 without it",
            Unit::none},
};

constexpr std::array bench_root_keys{
    KeyInfo{"bench", Key::table, true, "the bench"},
    KeyInfo{"instrument", Key::tables, true, "its instruments"},
    KeyInfo{"path", Key::tables, false, "what stands between the unit and an instrument"},
    KeyInfo{"uncertainty", Key::tables, false,
            "uncertainty budgets; the first that speaks for a result counts"},
    KeyInfo{"converter", Key::tables, false, "what stands between a socket or serial line and the GPIB"},
    KeyInfo{"simulation", Key::table, false, "for instruments whose address is \"simulated\""},
};

constexpr SectionInfo bench_root_section{"the file", "", bench_root_keys};
constexpr SectionInfo bench_section{"[bench]", "The bench as a whole.", bench_keys};
constexpr SectionInfo path_section{
    "[[path]]", "Levels read are raised by its losses, levels sent likewise, so that all count at the unit.",
    path_keys};
constexpr SectionInfo path_part_section{
    "[[path.part]]", "One thing in the path. It has a loss, a gain, a ratio, a table or a calibration.",
    path_part_keys};
constexpr SectionInfo uncertainty_section{
    "[[uncertainty]]", "What the bench declares for its results, combined after the GUM.", uncertainty_keys};
constexpr SectionInfo contribution_section{"[[uncertainty.contribution]]", "One contribution.",
                                           contribution_keys};
constexpr SectionInfo simulation_section{"[simulation]", "The world behind simulated instruments.",
                                         simulation_keys};
constexpr SectionInfo accent_section{"[[simulation.accent]]",
                                     "How an instrument speaks otherwise than SCPI-1999.", accent_keys};
constexpr SectionInfo fault_section{"[[simulation.fault]]", "Something that goes wrong.", fault_keys};
const std::array<const SectionInfo*, 12> bench_sections{
    &accent_section,       &converter_section,  &bench_root_section, &bench_section,
    &instrument_section,   &path_section,       &path_part_section,  &uncertainty_section,
    &contribution_section, &simulation_section, &fault_section,      &layout_section};

PathEntry read_part(const ConfigSection& section, const InputFiles& files, std::vector<NamedFile>& named) {
    static const std::vector<std::string> kinds{"cable", "attenuator", "amplifier", "antenna",
                                                "probe", "coupler",    "filter",    "network"};
    PathEntry entry;
    entry.part.name = section.text("name");
    entry.kind = section.has("kind") ? section.text("kind") : "network";
    if (std::find(kinds.begin(), kinds.end(), entry.kind) == kinds.end())
        section.fail("kind", "unknown kind " + in_quotes(entry.kind) + suggestion(entry.kind, kinds));
    const int ways = section.has("loss") + section.has("gain") + section.has("ratio") + section.has("table") +
                     section.has("calibration");
    if (ways != 1)
        section.fail("name", "give the part exactly one of loss, gain, ratio, table or calibration");
    if (const auto loss = section.quantity("loss")) entry.part.constant_db = loss->value;
    if (const auto gain = section.quantity("gain")) entry.part.constant_db = -gain->value;
    if (const auto ratio = section.whole("ratio")) {
        if (*ratio < 1) section.fail("ratio", "must be 1 or more");
        entry.part.constant_db = 20 * std::log10(static_cast<double>(*ratio));
    }
    entry.calibration = section.text("calibration");
    entry.valid_until = section.text("valid_until");
    if (section.has("table")) {
        const std::string reference = section.text("table");
        const auto path = files.find("correction", reference, section.file());
        section.at("table", [&] {
            named.push_back({"correction", reference, read_file(path)});
            auto file = parse_correction(named.back().text, path);
            entry.part.table = std::move(file.table);
            entry.part.antenna = file.antenna;
            if (entry.valid_until.empty()) entry.valid_until = file.valid_until;
        });
    }
    if (entry.part.antenna != (entry.kind == "antenna")) {
        section.fail("kind", entry.part.antenna ? "a table in dB/m belongs to an antenna"
                                                : "an antenna needs a table with a column factor [dB/m]");
    }
    return entry;
}

PlannedFault read_fault(const ConfigSection& section) {
    PlannedFault fault;
    fault.role = section.text("role");
    fault.kind = section.text("kind");
    const auto& kinds = fault_kinds();
    if (std::find(kinds.begin(), kinds.end(), fault.kind) == kinds.end())
        section.fail("kind", "unknown kind " + in_quotes(fault.kind) + suggestion(fault.kind, kinds));
    fault.after = section.whole("after").value_or(0);
    fault.times = section.whole("times").value_or(0);
    if (fault.after < 0 || fault.times < 0) section.fail("after", "after and times cannot be negative");
    fault.delay_s = section.quantity_or("delay", fault.delay_s);
    fault.text = section.has("text") ? section.text("text") : "-300,\"Device-specific error\"";
    return fault;
}

Simulation read_simulation(const ConfigSection& section, const std::filesystem::path& file,
                           const InputFiles& files) {
    Simulation simulation;
    simulation.unit_reference = section.text("unit");
    simulation.unit = files.find("simulated unit", simulation.unit_reference, file);
    simulation.seed = static_cast<std::uint64_t>(section.whole("seed").value_or(1));
    simulation.instant = section.flag("instant");
    for (const auto& fault : section.tables("fault", fault_section)) {
        simulation.faults.push_back(read_fault(fault));
    }
    for (const auto& accent : section.tables("accent", accent_section)) {
        simulation.accents.push_back(
            {accent.text("role"), accent.text("hears"), accent.text("means"), accent.text("answers")});
        if (accent.has("means") && accent.has("answers")) accent.fail("means", "goes with no answers");
    }
    return simulation;
}

// Roles that other sections name must be there.
void require_role(const Bench& bench, const ConfigSection& section, const std::string& role) {
    if (!bench.find(role)) {
        section.fail("role",
                     "no instrument has the role " + in_quotes(role) + suggestion(role, bench.roles()));
    }
}

}  // namespace

const FileInfo bench_file{"bench", "The instruments of a bench, by role.", bench_sections};

const std::vector<std::string>& fault_kinds() {
    static const std::vector<std::string> kinds{
        "slow",     "silent", "drop",          "garbage",    "half-block", "error-entry",
        "overload", "drift",  "wrong-mode",    "hang",       "cut",        "swap",
        "restart",  "panel",  "another-value", "unlevelled", "unlocked",   "uncalibrated"};
    return kinds;
}

static Budget read_budget(const ConfigSection& section) {
    Budget budget;
    budget.name = section.text("name");
    budget.applies_to = section.texts("applies_to");
    const std::string unit = section.has("unit") ? section.text("unit") : "dB";
    const auto spelled = parse_unit(unit);
    if (!spelled || spelled->exponent != 0)
        section.fail("unit", "unknown unit " + in_quotes(unit) + ": write it without prefix, such as \"dB\"");
    budget.unit = spelled->unit;
    if (const auto from = section.quantity("from")) budget.from_hz = from->value;
    if (const auto to = section.quantity("to")) budget.to_hz = to->value;
    if (!(budget.to_hz > budget.from_hz)) section.fail("to", "must be above from");
    for (const auto& part : section.tables("contribution", contribution_section)) {
        Contribution c;
        c.name = part.text("name");
        c.value = part.quantity_in("value", budget.unit)->value;
        if (part.has("distribution")) {
            const std::string word = part.text("distribution");
            const auto known = parse_distribution(word);
            if (!known) {
                part.fail("distribution",
                          "unknown word " + in_quotes(word) +
                              suggestion(word, {"normal", "rectangular", "triangular", "u-shaped"}));
            }
            c.distribution = *known;
        }
        c.coverage = static_cast<double>(part.whole("coverage").value_or(2));
        if (!(c.coverage >= 1)) part.fail("coverage", "must be 1 or more");
        if (!(c.value >= 0)) part.fail("value", "must not be negative");
        c.sensitivity = part.quantity_or("sensitivity", 1);
        budget.contributions.push_back(std::move(c));
    }
    if (budget.contributions.empty()) section.fail("contribution", "a budget has at least one");
    return budget;
}

Bench read_bench(const std::filesystem::path& file, const InputFiles& files) {
    Bench bench;
    bench.file = file;
    bench.text = read_file(file);
    const ConfigNode node = parse_config(bench.text, file.string());
    const ConfigSection root(node, file.string(), bench_root_section);
    const ConfigSection head = *root.table("bench", bench_section);
    bench.name = head.text("name");
    if (const auto stability = head.quantity("reference_stability")) {
        bench.reference_ppm = stability->value;
        if (!(stability->value > 0)) head.fail("reference_stability", "must be above 0 ppm");
    }
    Gathered errors;
    for (const auto& section : sections_of(root, node, "instrument", instrument_section, errors)) {
        const bool read = errors.at([&] {
            auto instrument = read_instrument(section, file, files, bench.files);
            if (bench.find(instrument.role))
                section.fail("role", "two instruments have the role " + in_quotes(instrument.role));
            bench.instruments.push_back(std::move(instrument));
        });
        if (!read) errors.lacks(section.text("role"));
    }
    errors.at([&] {
        join_converters(root, bench);
        require_own_addresses(bench);
    });
    for (const auto& section : sections_of(root, node, "path", path_section, errors)) {
        errors.at([&] {
            BenchPath path{section.text("role"), {}, section.place()};
            require_role(bench, section, path.role);
            if (bench.find_path(path.role)) section.fail("role", "two paths lead to " + in_quotes(path.role));
            for (const auto& part : section.tables("part", path_part_section))
                path.entries.push_back(read_part(part, files, bench.files));
            bench.paths.push_back(std::move(path));
        });
    }
    for (const auto& section : sections_of(root, node, "uncertainty", uncertainty_section, errors))
        errors.at([&] { bench.budgets.push_back(read_budget(section)); });
    errors.finish();
    if (const auto section = root.table("simulation", simulation_section)) {
        bench.simulation = read_simulation(*section, file, files);
        for (const auto& fault : section->tables("fault", fault_section))
            require_role(bench, fault, fault.text("role"));
        for (const auto& accent : section->tables("accent", accent_section))
            require_role(bench, accent, accent.text("role"));
    }
    for (const auto& instrument : bench.instruments) {
        if (instrument.simulated() && !bench.simulation) {
            fail_input(instrument.where,
                       "the address is \"simulated\" but the bench has no [simulation] section");
        }
    }
    return bench;
}

}  // namespace rt::lab
