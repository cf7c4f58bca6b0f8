#include "lab/formats/dialect_file.hpp"

#include <algorithm>
#include <array>
#include <vector>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/dialect_parts.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

constexpr std::array dialect_keys{
    KeyInfo{"id", Key::text, true, "name that bench files use"},
    KeyInfo{"title", Key::text, true, "which instruments it is for"},
    KeyInfo{"kind", Key::text, true,
            "what they are: analyser, generator, supply ... (docs/bench.md lists all)"},
    KeyInfo{
        "like", Key::text, false,
        "another dialect of the same kind, from which everything is taken that is not stated here: a shipped "
        "one by its id, or a file beside this one; a command of \"\" is left out"},
    KeyInfo{"wake", Key::quantity, false, "waited after connecting, before the first question", Unit::second},
    KeyInfo{"greets", Key::flag, false, "it says something by itself when it is connected: passed over"},
    KeyInfo{"undecided", Key::whole, false,
            "how much of a dialect that was begun by asking is still to be decided: it cannot be used until "
            "this line is "
            "taken out"},
    KeyInfo{"quotes", Key::text, false,
            "what stands round words that need it: double (without it), single or none"},
    KeyInfo{
        "order", Key::texts, false,
        "settings in the order in which they are sent; those that it does not name come last; frequencies "
        "first without it"},
    KeyInfo{"levels", Key::text, false,
            "the unit in which levels come where it cannot be told one: dBm, dBuV, V or W; converted by the "
            "impedance of its input"},
    KeyInfo{
        "level_counts", Key::text, false,
        "of a generator with load_iq, needed: whether its level is that of samples with |x| = 1 (peak) or of "
        "their mean power (mean)"},
};
constexpr std::array dialect_root_keys{
    KeyInfo{"dialect", Key::table, true, "the dialect"},
    KeyInfo{"commands", Key::pairs, false, "commands by what they are for, with {placeholders}"},
    KeyInfo{"detectors", Key::pairs, false, "the instrument's words for the detectors"},
    KeyInfo{"overload_mask", Key::whole, false, "bits of the answer to query_overload that mean overload"},
    KeyInfo{"parameters", Key::pairs, false, "a network analyser's words for S11, S21 ...; these without it"},
    KeyInfo{"data", Key::tables, false, "how traces and records come"},
    KeyInfo{"state", Key::tables, false, "what it tells of itself in registers, that forbids a verdict"},
    KeyInfo{"together", Key::tables, false, "settings that are sent by one command"},
    KeyInfo{"done", Key::tables, false, "how the end of a command shows that answers nothing"},
    KeyInfo{
        "tolerance", Key::pairs, false,
        "how far a setting that confirm_NAME reads back may be from what was told: { level = \"0.05 dB\" }; "
        "0.1 % and 0.1 dB without it"},
    KeyInfo{"greatest", Key::pairs, false,
            "the highest value that a setting takes: { level = \"13 dBm\" }; of a generator of samples also "
            "samples, how many it holds"},
};
constexpr SectionInfo dialect_root_section{"the file", "", dialect_root_keys};
constexpr SectionInfo dialect_section{"[dialect]", "The dialect.", dialect_keys};
constexpr std::array<const SectionInfo*, 7> dialect_sections{
    &dialect_root_section, &dialect_section, &data_section,    &scale_section,
    &done_section,         &state_section,   &together_section};

// What a dialect is like stands below it: what it does not state itself is taken from there.
void inherit(ConfigNode& node, const ConfigNode& base) {
    for (const auto& [key, value] : base.entries) {
        if (key == "dialect") continue;
        ConfigNode* own = nullptr;
        for (auto& [name, there] : node.entries) {
            if (name == key) own = &there;
        }
        if (!own) {
            node.entries.emplace_back(key, value);
            continue;
        }
        const bool by_name = key == "commands" || key == "detectors" || key == "tolerance" ||
                             key == "greatest" || key == "parameters";
        for (const auto& entry : by_name ? value.entries : decltype(value.entries){}) {
            if (!own->find(entry.first)) own->entries.push_back(entry);
        }
    }
}

struct Like {
    const InputFiles* files;
    std::vector<std::filesystem::path> chain;
};

// The file as it stands with everything that it takes from others. `kind` is that of the first, `reference`
// how the one before names it.
ConfigNode with_bases(const std::filesystem::path& file, Like& like, Dialect& dialect, std::string kind,
                      const std::string& reference) {
    if (std::find(like.chain.begin(), like.chain.end(), file) != like.chain.end())
        fail_input(file.string(), "the dialect is, through others, like itself");
    like.chain.push_back(file);
    const std::string text = read_file(file);
    if (like.chain.size() == 1) {
        dialect.text = text;
    } else {
        dialect.bases.push_back({"dialect", reference, text});
    }
    ConfigNode node = parse_config(text, file.string());
    const ConfigSection root(node, file.string(), dialect_root_section);
    const ConfigSection head = *root.table("dialect", dialect_section);
    if (kind.empty()) kind = head.text("kind");
    if (kind != head.text("kind"))
        head.fail("kind", "is " + head.text("kind") + "; a dialect of kind " + kind + " cannot be like it");
    const std::string base = head.text("like");
    if (base.empty()) return node;
    std::filesystem::path path = file.parent_path() / (base.ends_with(".toml") ? base : base + ".toml");
    if (like.files) path = like.files->find("dialect", base, file);
    if (!std::filesystem::exists(path))
        head.fail("like", "no dialect " + in_quotes(base) + ": there is no file " + path.string());
    inherit(node, with_bases(path, like, dialect, kind, base));
    return node;
}

}  // namespace

const FileInfo dialect_file{"dialect", "How one family of instruments is spoken to.", dialect_sections};

Dialect read_dialect(const std::filesystem::path& file, const InputFiles* files) {
    Dialect dialect;
    dialect.file = file;
    Like like{files, {}};
    const ConfigNode node = with_bases(file, like, dialect, "", "");
    const ConfigSection root(node, file.string(), dialect_root_section);
    const ConfigSection head = *root.table("dialect", dialect_section);
    dialect.id = head.text("id");
    dialect.title = head.text("title");
    head.at("kind", [&] { dialect.kind = &find_role_kind(head.text("kind")); });
    if (head.has("undecided"))
        head.fail("undecided",
                  "says that something in this dialect is still to be decided: see its first lines, decide, "
                  "then take this line out");
    dialect.wake_s = head.quantity_or("wake", 0);
    if (!(dialect.wake_s >= 0 && dialect.wake_s <= 600)) head.fail("wake", "must be 0 s to 10 min");
    dialect.greets = head.flag("greets");
    for (auto& [name, command] : root.pairs("commands")) {
        if (!command.empty()) dialect.commands[name] = command;
    }
    for (auto& [name, word] : root.pairs("detectors")) {
        if (!word.empty()) dialect.detectors[name] = word;
    }
    dialect.overload_mask = root.whole("overload_mask").value_or(0);
    read_levels(head, dialect);
    for (const auto& section : root.tables("together", together_section)) read_together(section, dialect);
    require_commands(root, dialect);
    require_placeholders(root, dialect);
    for (const auto& section : root.tables("data", data_section))
        dialect.data.push_back(read_data(section, dialect));
    for (const auto& section : root.tables("done", done_section)) read_done(section, dialect);
    for (const auto& section : root.tables("state", state_section)) read_state(section, dialect);
    read_tolerances(root, dialect);
    read_greatest(root, dialect);
    read_level_counts(head, dialect);
    read_manners(head, dialect);
    read_parameters(root, dialect);
    return dialect;
}

}  // namespace rt::lab
