#include "lab/formats/dialect_parts.hpp"

#include <algorithm>
#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/model/placeholder.hpp"

namespace rt::lab {
namespace {

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
    KeyInfo{"ask", Key::text, false, "what is asked until it is over: \"STATus:OPERation:CONDition?\""},
    KeyInfo{
        "service_request", Key::flag, false,
        "it requests service at the end (HiSLIP, VXI-11, USBTMC, GPIB); prepare enables that; ask, if given, "
        "is asked then"},
    KeyInfo{"bits", Key::whole, false, "bits of the number answered that say so"},
    KeyInfo{"when", Key::text, false, "over when these bits are clear (without it) or set"},
    KeyInfo{"answer", Key::text, false, "or: over when it answers this"},
    KeyInfo{"every", Key::quantity, false, "time between two questions; 10 ms without it", Unit::second},
};
constexpr std::array state_keys{
    KeyInfo{"means", Key::text, true, "what it tells: unlevelled, uncalibrated, unlocked ..."},
    KeyInfo{"ask", Key::text, true, "the register: \"STATus:QUEStionable:CONDition?\""},
    KeyInfo{"bits", Key::whole, true, "bits of the number answered that say so"},
    KeyInfo{"when", Key::text, false, "so when any of them is set (without it), or when all are clear"},
};
constexpr std::array together_keys{
    KeyInfo{"settings", Key::texts, true, "which: [\"frequency\", \"level\"]"},
    KeyInfo{"command", Key::text, true, "what sends them: \"APPLy {frequency}, {level}\""},
};

constexpr std::array<std::pair<const char*, NumberForm>, 6> number_forms{{{"ascii", NumberForm::ascii},
                                                                          {"real64", NumberForm::real64},
                                                                          {"real32", NumberForm::real32},
                                                                          {"int8", NumberForm::int8},
                                                                          {"int16", NumberForm::int16},
                                                                          {"int32", NumberForm::int32}}};
// Commands whose answers are traces or records, and those whose end may show otherwise than by an answer.
const std::vector<std::string> data_commands{"read_trace", "read_waveform", "read_iq", "load_waveform",
                                             "load_iq"};
const std::vector<std::string> long_commands{"sweep", "acquire", "record_iq", "count"};

std::size_t field_of(const ConfigSection& section, const char* key, const Dialect& dialect) {
    const auto number = section.whole(key);
    if (!number) return 0;
    if (*number < 1 || *number > 100) section.fail(key, "counts the fields from 1");
    if (!dialect.knows("query_preamble"))
        section.fail(key, "is a field of the answer to query_preamble, which the dialect does not have");
    return static_cast<std::size_t>(*number);
}

}  // namespace

const SectionInfo data_section{"[[data]]", "How traces and records come.", data_keys};
const SectionInfo scale_section{"scale", "Whole numbers that stand for others.", scale_keys};
const SectionInfo done_section{"[[done]]", "How the end of a command shows.", done_keys};
const SectionInfo state_section{
    "[[state]]", "What it tells of itself: asked after each capture, while it is so nothing gets a verdict.",
    state_keys};
const SectionInfo together_section{"[[together]]", "Settings that are sent by one command.", together_keys};

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
    // What is sent is scaled to the range of the numbers.
    const bool sent = out.commands.size() == 1 && out.commands.front().starts_with("load_");
    if (whole && !scale && !sent) section.fail("form", "whole numbers stand for others: say how in scale");
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
    out.by_request = section.flag("service_request");
    out.ask = section.text("ask");
    if (out.ask.empty() && !out.by_request) section.fail("ask", "is missing: what is asked until it is over");
    if (!out.ask.empty() && out.ask.find('?') == std::string::npos) section.fail("ask", "is no question");
    out.answer = section.text("answer");
    if (out.ask.empty() && (section.has("bits") || section.has("answer")))
        section.fail("ask", "is missing: bits and answer are of what it answers");
    if (!out.ask.empty() && section.has("bits") == section.has("answer"))
        section.fail("ask", "give one of bits and answer");
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

void read_state(const ConfigSection& section, Dialect& dialect) {
    StateBits out;
    out.means = section.text("means");
    out.ask = section.text("ask");
    if (out.ask.find('?') == std::string::npos) section.fail("ask", "is no question");
    const auto bits = section.whole("bits").value_or(0);
    if (bits < 1 || bits > 0xffff) section.fail("bits", "must be 1 to 65535");
    out.bits = static_cast<std::uint32_t>(bits);
    const std::string when = section.has("when") ? section.text("when") : "set";
    if (when != "clear" && when != "set") section.fail("when", "write set or clear");
    out.when_clear = when == "clear";
    dialect.states.push_back(std::move(out));
}

void read_together(const ConfigSection& section, Dialect& dialect) {
    Together out;
    out.settings = section.texts("settings");
    out.command = section.text("command");
    if (out.settings.size() < 2) section.fail("settings", "names two settings or more");
    std::vector<std::string> known;
    for (const auto& setting : dialect.kind->settings) known.emplace_back(setting.name);
    for (const auto& setting : out.settings) {
        if (!dialect.kind->open_settings && !dialect.kind->find_setting(setting))
            section.fail("settings", std::string("a ") + dialect.kind->name + " has no setting " +
                                         in_quotes(setting) + suggestion(setting, known));
        if (dialect.sent_together(setting)) section.fail("settings", in_quotes(setting) + " is sent twice");
    }
    section.at("command", [&] {
        std::vector<std::string> holes;
        for (const auto& part : together_text(out, *dialect.kind).holes) holes.push_back(part.name);
        for (const auto& setting : out.settings) {
            if (std::find(holes.begin(), holes.end(), setting) == holes.end())
                fail_input("lacks a value: write {" + setting + "} where it goes");
        }
        for (const auto& hole : holes) {
            if (hole != "channel" &&
                std::find(out.settings.begin(), out.settings.end(), hole) == out.settings.end())
                fail_input("has a value {" + hole + "} that is none of its settings");
        }
    });
    dialect.together.push_back(std::move(out));
}

void read_manners(const ConfigSection& head, Dialect& dialect) {
    const std::string quotes = head.has("quotes") ? head.text("quotes") : "double";
    if (quotes != "double" && quotes != "single" && quotes != "none")
        head.fail("quotes", "write double, single or none");
    dialect.quote = quotes == "double" ? '"' : quotes == "single" ? '\'' : '\0';
    dialect.order = head.texts("order");
    std::vector<std::string> known;
    for (const auto& setting : dialect.kind->settings) known.emplace_back(setting.name);
    for (const auto& setting : dialect.order) {
        if (!dialect.kind->open_settings && !dialect.kind->find_setting(setting))
            head.fail("order", std::string("a ") + dialect.kind->name + " has no setting " +
                                   in_quotes(setting) + suggestion(setting, known));
        if (std::count(dialect.order.begin(), dialect.order.end(), setting) > 1)
            head.fail("order", "names " + in_quotes(setting) + " twice");
    }
}

// Before the commands: with it an analyser needs no set_unit.
void read_levels(const ConfigSection& head, Dialect& dialect) {
    const std::string levels = head.text("levels");
    if (levels.empty()) return;
    const auto unit = parse_unit(levels);
    const bool level = unit && unit->exponent == 0 &&
                       (unit->unit == Unit::dbm || unit->unit == Unit::dbuv || unit->unit == Unit::volt ||
                        unit->unit == Unit::watt);
    if (!level) head.fail("levels", "is no unit of levels: write dBm, dBuV, V or W");
    const std::string kind = dialect.kind->name;
    if (kind != "analyser" && kind != "power-meter")
        head.fail("levels", "is of analysers and power meters, not of a " + kind);
    dialect.levels = unit->unit;
}

void read_parameters(const ConfigSection& root, Dialect& dialect) {
    for (const auto& [name, word] : root.pairs("parameters")) {
        const bool known = name.size() == 3 && name[0] == 'S' && name[1] >= '1' && name[1] <= '9' &&
                           name[2] >= '1' && name[2] <= '9';
        if (!known) root.fail("parameters", in_quotes(name) + " is no parameter: write S11, S21, S12, S22");
        dialect.parameters[name] = word;
    }
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

void read_level_counts(const ConfigSection& head, Dialect& dialect) {
    const std::string word = head.text("level_counts");
    if (word.empty()) {
        if (dialect.knows("load_iq"))
            head.fail("level_counts", "is needed with load_iq: peak or mean, whichever its level stands for");
        return;
    }
    if (!dialect.knows("load_iq")) head.fail("level_counts", "goes with load_iq");
    if (word != "peak" && word != "mean") head.fail("level_counts", "write peak or mean");
    dialect.level_is_mean = word == "mean";
}

void read_greatest(const ConfigSection& root, Dialect& dialect) {
    for (const auto& [name, text] : root.pairs("greatest")) {
        const SettingInfo* setting = dialect.kind->find_setting(name);
        const bool samples = name == "samples" && dialect.kind->knows_command("query_samples");
        std::vector<std::string> names;
        for (const auto& known : dialect.kind->settings) {
            if (known.unit != Unit::none) names.emplace_back(known.name);
        }
        if (!samples && (!setting || setting->unit == Unit::none))
            root.fail("greatest", std::string("a ") + dialect.kind->name + " has no setting " +
                                      in_quotes(name) + " with a highest value" + suggestion(name, names));
        const Unit unit = samples ? Unit::none : setting->unit;
        root.at("greatest", [&] { dialect.greatest[name] = parse_quantity(text, unit).value; });
    }
}

}  // namespace rt::lab
