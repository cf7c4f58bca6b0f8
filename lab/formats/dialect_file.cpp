#include "lab/formats/dialect_file.hpp"

#include <algorithm>
#include <array>
#include <vector>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
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
};
constexpr std::array data_keys{
    KeyInfo{"for", Key::texts, false,
            "whose answers come so: read_trace, read_waveform, read_iq; all without it"},
    KeyInfo{"form", Key::text, true,
            "real64, real32, int8, int16, int32 (in a block of definite or indefinite length) or ascii (a "
            "list with "
            "commas); without [[data]] real64, and real32 for complex samples"},
    KeyInfo{"order", Key::text, false, "of the bytes: little (without it) or big"},
    KeyInfo{"says_form", Key::text, false, "what query_format answers then; not compared without it"},
    KeyInfo{"says_order", Key::text, false, "what query_byte_order answers then; not compared without it"},
    KeyInfo{"scale", Key::table, false, "whole numbers that stand for others"},
};
constexpr std::array scale_keys{
    KeyInfo{"increment", Key::whole, false,
            "which field of the answer to query_preamble, from 1, is the step of one number; without it the "
            "answer to "
            "query_increment"},
    KeyInfo{"origin", Key::whole, false, "the value added; without it query_origin, 0 where there is none"},
    KeyInfo{"reference", Key::whole, false,
            "the number taken away first; without it query_reference, 0 where there is none"},
    KeyInfo{"points", Key::whole, false, "how many there are: compared with those that come"},
};
constexpr std::array done_keys{
    KeyInfo{"command", Key::text, true, "sweep, acquire, record_iq or count: a command that answers nothing"},
    KeyInfo{"ask", Key::text, true, "what is asked until it is over: \"STATus:OPERation:CONDition?\""},
    KeyInfo{"bits", Key::whole, false, "bits of the number answered that say so"},
    KeyInfo{"when", Key::text, false, "over when these bits are clear (without it) or set"},
    KeyInfo{"answer", Key::text, false, "or: over when it answers this"},
    KeyInfo{"every", Key::quantity, false, "time between two questions; 10 ms without it", Unit::second},
};
constexpr std::array dialect_root_keys{
    KeyInfo{"dialect", Key::table, true, "the dialect"},
    KeyInfo{"commands", Key::pairs, false, "commands by what they are for, with {placeholders}"},
    KeyInfo{"detectors", Key::pairs, false, "the instrument's words for the detectors"},
    KeyInfo{"overload_mask", Key::whole, false, "bits of the answer to query_overload that mean overload"},
    KeyInfo{"data", Key::tables, false, "how traces and records come"},
    KeyInfo{"done", Key::tables, false, "how the end of a command shows that answers nothing"},
    KeyInfo{
        "tolerance", Key::pairs, false,
        "how far a setting that confirm_NAME reads back may be from what was told: { level = \"0.05 dB\" }; "
        "0.1 % and 0.1 dB without it"},
};
constexpr SectionInfo dialect_root_section{"the file", "", dialect_root_keys};
constexpr SectionInfo dialect_section{"[dialect]", "The dialect.", dialect_keys};
constexpr SectionInfo data_section{"[[data]]", "How traces and records come.", data_keys};
constexpr SectionInfo scale_section{"scale", "Whole numbers that stand for others.", scale_keys};
constexpr SectionInfo done_section{"[[done]]", "How the end of a command shows.", done_keys};
constexpr std::array<const SectionInfo*, 5> dialect_sections{&dialect_root_section, &dialect_section,
                                                             &data_section, &scale_section, &done_section};

std::vector<std::string> all_commands(const RoleKind& kind) {
    std::vector<std::string> names;
    for (const auto& command : common_commands()) names.emplace_back(command.name);
    for (const auto& command : kind.commands) names.emplace_back(command.name);
    for (const auto& setting : kind.settings) names.push_back(std::string("set_") + setting.name);
    return names;
}

void require_commands(const ConfigSection& root, const Dialect& dialect) {
    const RoleKind& kind = *dialect.kind;
    for (const auto& [name, command] : dialect.commands) {
        if (kind.knows_command(name)) continue;
        root.fail("commands", std::string("a dialect of kind ") + kind.name + " has no command " +
                                  in_quotes(name) + suggestion(name, all_commands(kind)));
    }
    const auto require = [&](const std::string& name, const char* help) {
        if (dialect.knows(name)) return;
        root.fail("commands", std::string("a dialect of kind ") + kind.name + " needs the command " + name +
                                  " (" + help + ")");
    };
    for (const auto& command : common_commands()) {
        if (command.required) require(command.name, command.help);
    }
    for (const auto& command : kind.commands) {
        if (command.required) require(command.name, command.help);
    }
    for (const auto& setting : kind.settings) {
        if (setting.required) require(std::string("set_") + setting.name, setting.help);
    }
}

// The {placeholders} of a command.
std::vector<std::string> holes_of(const std::string& command) {
    std::vector<std::string> out;
    for (std::size_t at = 0; (at = command.find('{', at)) != std::string::npos; ++at) {
        const auto close = command.find('}', at);
        if (close == std::string::npos) break;
        out.push_back(command.substr(at + 1, close - at - 1));
    }
    return out;
}

// "hz=1000000 count=11" for a command, "value" for a setting: what it is filled with.
std::vector<std::string> values_for(const RoleKind& kind, const std::string& name) {
    std::vector<std::string> out;
    const auto take = [&](const CommandInfo& info) {
        if (name != info.name) return;
        for (const auto part : split(std::string_view(info.sample), ' ')) {
            if (!part.empty()) out.emplace_back(part.substr(0, part.find('=')));
        }
    };
    for (const auto& info : common_commands()) take(info);
    for (const auto& info : kind.commands) take(info);
    const bool setting =
        name.starts_with("set_") && (kind.open_settings || kind.find_setting(name.substr(4)));
    if (out.empty() && setting) out.emplace_back("value");
    return out;
}

// A command without its value would be sent as it stands, whatever was asked for.
void require_placeholders(const ConfigSection& root, const Dialect& dialect) {
    for (const auto& [name, command] : dialect.commands) {
        const auto wanted = values_for(*dialect.kind, name);
        const auto there = holes_of(command);
        for (const auto& hole : there) {
            if (std::find(wanted.begin(), wanted.end(), hole) == wanted.end())
                root.fail("commands",
                          "the command " + name + " has no value {" + hole + "}" + suggestion(hole, wanted));
        }
        // Sensors, channels and triggers may be the only one that an instrument has.
        for (const auto& value : wanted) {
            const bool may_lack = value == "sensor" || value == "channel";
            if (!may_lack && std::find(there.begin(), there.end(), value) == there.end())
                root.fail("commands",
                          "the command " + name + " lacks its value: write {" + value + "} where it goes");
        }
    }
}

constexpr std::array<std::pair<const char*, NumberForm>, 6> number_forms{{{"ascii", NumberForm::ascii},
                                                                          {"real64", NumberForm::real64},
                                                                          {"real32", NumberForm::real32},
                                                                          {"int8", NumberForm::int8},
                                                                          {"int16", NumberForm::int16},
                                                                          {"int32", NumberForm::int32}}};
// Commands whose answers are traces or records, and those whose end may show otherwise than by an answer.
const std::vector<std::string> data_commands{"read_trace", "read_waveform", "read_iq"};
const std::vector<std::string> long_commands{"sweep", "acquire", "record_iq", "count"};

std::size_t field_of(const ConfigSection& section, const char* key, const Dialect& dialect) {
    const auto number = section.whole(key);
    if (!number) return 0;
    if (*number < 1 || *number > 100) section.fail(key, "counts the fields from 1");
    if (!dialect.knows("query_preamble"))
        section.fail(key, "is a field of the answer to query_preamble, which the dialect does not have");
    return static_cast<std::size_t>(*number);
}

DataForm read_data(const ConfigSection& section, const Dialect& dialect) {
    DataForm out;
    out.commands = section.texts("for");
    for (const auto& command : out.commands) {
        if (std::find(data_commands.begin(), data_commands.end(), command) == data_commands.end())
            section.fail("for",
                         in_quotes(command) + " answers no trace" + suggestion(command, data_commands));
    }
    const std::string form = section.text("form");
    const auto known = std::find_if(number_forms.begin(), number_forms.end(),
                                    [&](const auto& f) { return form == f.first; });
    if (known == number_forms.end()) {
        std::vector<std::string> names;
        for (const auto& [name, value] : number_forms) names.emplace_back(name);
        section.fail("form", "unknown form " + in_quotes(form) + suggestion(form, names));
    }
    out.form = known->second;
    const std::string order = section.has("order") ? section.text("order") : "little";
    if (order != "little" && order != "big") section.fail("order", "write little or big");
    const bool bytes = out.form != NumberForm::ascii && out.form != NumberForm::int8;
    if (section.has("order") && !bytes) section.fail("order", form + " has no byte order");
    // Turned whole numbers look like others: nothing in them shows it.
    if (!section.has("order") && (out.form == NumberForm::int16 || out.form == NumberForm::int32))
        section.fail("form",
                     "the order of the bytes of " + form + " cannot be seen in the numbers: state order");
    out.big_endian = order == "big";
    out.says_form = section.text("says_form"), out.says_order = section.text("says_order");
    const bool whole = form.starts_with("int");
    const auto scale = section.table("scale", scale_section);
    if (scale && !whole) section.fail("scale", "is of whole numbers: int8, int16 or int32");
    if (whole && !scale) section.fail("form", "whole numbers stand for others: say how in scale");
    if (!scale) return out;
    out.scale = DataForm::Scale{field_of(*scale, "increment", dialect), field_of(*scale, "origin", dialect),
                                field_of(*scale, "reference", dialect), field_of(*scale, "points", dialect)};
    if (out.scale->increment == 0 && !dialect.knows("query_increment"))
        scale->fail("increment", "is needed: a field of query_preamble, or the command query_increment");
    return out;
}

void read_done(const ConfigSection& section, Dialect& dialect) {
    const std::string command = section.text("command");
    if (std::find(long_commands.begin(), long_commands.end(), command) == long_commands.end())
        section.fail("command", in_quotes(command) + " takes no time" + suggestion(command, long_commands));
    const auto known = dialect.commands.find(command);
    if (known == dialect.commands.end()) section.fail("command", "the dialect has no command " + command);
    if (known->second.find('?') != std::string::npos)
        section.fail("command",
                     command + " asks itself, and its end is its answer: leave [[done]] or the question out");
    Completion out;
    out.ask = section.text("ask");
    if (out.ask.find('?') == std::string::npos) section.fail("ask", "is no question");
    out.answer = section.text("answer");
    if (section.has("bits") == section.has("answer")) section.fail("ask", "give one of bits and answer");
    const auto bits = section.whole("bits").value_or(0);
    if (section.has("bits") && (bits < 1 || bits > 0xffff)) section.fail("bits", "must be 1 to 65535");
    out.bits = static_cast<std::uint32_t>(bits);
    const std::string when = section.has("when") ? section.text("when") : "clear";
    if (when != "clear" && when != "set") section.fail("when", "write clear or set");
    if (section.has("when") && !section.has("bits")) section.fail("when", "goes with bits");
    out.when_set = when == "set";
    out.every_s = section.quantity_or("every", out.every_s);
    if (!(out.every_s >= 0.001 && out.every_s <= 60)) section.fail("every", "must be 1 ms to 60 s");
    if (!dialect.completions.emplace(command, out).second) section.fail("command", "is stated twice");
}

void read_tolerances(const ConfigSection& root, Dialect& dialect) {
    for (const auto& [name, text] : root.pairs("tolerance")) {
        const SettingInfo* setting = dialect.kind->find_setting(name);
        std::vector<std::string> names;
        for (const auto& known : dialect.kind->settings) names.emplace_back(known.name);
        if (!setting)
            root.fail("tolerance", std::string("a ") + dialect.kind->name + " has no setting " +
                                       in_quotes(name) + suggestion(name, names));
        const Unit unit = is_decibel(setting->unit) ? Unit::db : setting->unit;
        root.at("tolerance", [&] { dialect.tolerances[name] = parse_quantity(text, unit).value; });
        if (!(dialect.tolerances[name] >= 0)) root.fail("tolerance", name + " must not be below 0");
    }
}

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
        const bool by_name = key == "commands" || key == "detectors" || key == "tolerance";
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
    dialect.wake_s = head.quantity_or("wake", 0);
    if (!(dialect.wake_s >= 0 && dialect.wake_s <= 600)) head.fail("wake", "must be 0 s to 10 min");
    dialect.greets = head.flag("greets");
    for (auto& [name, command] : root.pairs("commands")) {
        if (!command.empty()) dialect.commands[name] = command;
    }
    for (auto& [name, word] : root.pairs("detectors")) dialect.detectors[name] = word;
    dialect.overload_mask = root.whole("overload_mask").value_or(0);
    require_commands(root, dialect);
    require_placeholders(root, dialect);
    for (const auto& section : root.tables("data", data_section))
        dialect.data.push_back(read_data(section, dialect));
    for (const auto& section : root.tables("done", done_section)) read_done(section, dialect);
    read_tolerances(root, dialect);
    return dialect;
}

}  // namespace rt::lab
