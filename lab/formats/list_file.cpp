#include "lab/formats/list_file.hpp"

#include <fmt/core.h>

#include <array>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/rules/stated_limit.hpp"
#include "lab/formats/files.hpp"
#include "lab/model/test.hpp"

namespace rt::lab {
namespace {

constexpr std::array list_keys{
    KeyInfo{"title", Key::text, true, "what the list is for"},
    KeyInfo{"bench", Key::text, true, "the instruments, as a bench file beside the list"},
    KeyInfo{"site", Key::text, false, "where; asked at the start without it"},
    KeyInfo{"number", Key::word, false, "of the station or device there; asked without it"},
    KeyInfo{"owner", Key::text, false, "whose it is"},
    KeyInfo{"technician", Key::text, false, "who measures; asked without it"},
    KeyInfo{"note", Key::text, false, "remark for the report"},
    KeyInfo{"rulebooks", Key::texts, false, "further rulebooks beside the list"},
};
constexpr std::array measure_keys{
    KeyInfo{"title", Key::text, true, "what is measured, in a few words"},
    KeyInfo{"before", Key::text, false, "what is to be done first; waits until it is"},
    KeyInfo{"procedure", Key::text, true, "name of the procedure, such as spectrum.channel-power"},
    KeyInfo{"instrument", Key::text, false, "role of the instrument; analyser without it"},
    KeyInfo{"parameters", Key::pairs, false, "parameters of the procedure"},
    KeyInfo{"settings", Key::pairs, false, "what is set first: \"unit.channel\" = \"3\""},
    KeyInfo{"limits", Key::texts, false, "limits of one's own: \"channel_power <= 30 dBm\""},
    KeyInfo{"rules", Key::texts, false, "rules of rulebooks"},
    KeyInfo{"repeats", Key::whole, false, "how often"},
    KeyInfo{"duration", Key::quantity, false, "again and again for this long", Unit::second},
    KeyInfo{"after", Key::text, false, "what to look at then; waits for go, redo, skip or stop"},
    KeyInfo{"note", Key::text, false, "remark for the report"},
};
constexpr std::array list_root_keys{
    KeyInfo{"list", Key::table, true, "the list as a whole"},
    KeyInfo{"measure", Key::tables, true, "the measurements, in order"},
};
constexpr SectionInfo list_root{"the file", "", list_root_keys};
constexpr SectionInfo list_head{"[list]", "The list as a whole.", list_keys};
constexpr SectionInfo measure_section{"[[measure]]", "One measurement.", measure_keys};
constexpr std::array<const SectionInfo*, 3> list_sections{&list_root, &list_head, &measure_section};

std::string line(const char* key, const std::string& value) {
    return std::string(key) + " = " + toml_text(value) + "\n";
}

std::string array_of(const char* key, const std::vector<std::string>& values) {
    std::string out;
    for (const auto& value : values) out += (out.empty() ? "" : ", ") + toml_text(value);
    return values.empty() ? "" : std::string(key) + " = [" + out + "]\n";
}

std::string pairs_of(const char* key, const TextPairs& pairs) {
    std::string out;
    for (const auto& [name, value] : pairs)
        out += (out.empty() ? "" : ", ") + toml_text(name) + " = " + toml_text(value);
    return pairs.empty() ? "" : std::string(key) + " = { " + out + " }\n";
}

std::string rule_text(const Rule& rule, const std::string& id, const std::string& title) {
    const Bound& bound = *rule.bound();
    std::string out = "\n[[rule]]\n" + line("id", id) + line("title", title + ": " + rule.title);
    out +=
        line("clause", "the list") + line("quantity", rule.applies_to) + line("applies_to", rule.applies_to);
    out += line("unit", symbol(rule.unit)) + "kind = \"bound\"\n";
    if (bound.min) out += line("min", format_exact({*bound.min, rule.unit}));
    if (bound.max) out += line("max", format_exact({*bound.max, rule.unit}));
    return out + "confidence = \"sure\"\n";
}

}  // namespace

const FileInfo list_file{"list",
                         "Measurements for the field, in the order in which they are made: rare-tally field.",
                         list_sections};

MadeCampaign read_list(const std::filesystem::path& file) {
    const ConfigNode node = parse_config(read_file(file), file.string());
    const ConfigSection root(node, file.string(), list_root);
    const ConfigSection head = *root.table("list", list_head);
    MadeCampaign out;
    out.title = head.text("title");
    const auto beside = [&](const std::string& name) {
        return std::filesystem::absolute(file.parent_path() / name).lexically_normal().string();
    };
    std::vector<std::string> books;
    for (const auto& book : head.texts("rulebooks")) books.push_back(beside(book));
    std::string tests, rules;
    std::size_t number = 0;
    std::set<std::string> names;
    for (const auto& measure : root.tables("measure", measure_section)) {
        const std::string title = measure.text("title");
        const std::string name = fmt::format("{:02}-{}", ++number, lower(slug(title)));
        tests += "\n[[test]]\n" + line("name", name) + line("title", title) +
                 line("procedure", measure.text("procedure"));
        for (const auto& [from, to] : {std::pair("before", "prompt"),
                                       {"instrument", "instrument"},
                                       {"after", "prompt_after"},
                                       {"note", "note"}})
            if (measure.has(from)) tests += line(to, measure.text(from));
        tests += pairs_of("parameters", measure.pairs("parameters")) +
                 pairs_of("settings", measure.pairs("settings"));
        if (const auto repeats = measure.whole("repeats")) tests += fmt::format("repeats = {}\n", *repeats);
        if (const auto duration = measure.quantity("duration"))
            tests += line("duration", format_exact(*duration));
        std::vector<std::string> judged = measure.texts("rules");
        measure.at("limits", [&] {
            const Rulebook own = stated_limits(measure.texts("limits"));
            for (std::size_t i = 0; i < own.rules.size(); ++i) {
                const std::string id = fmt::format("{:02}-{}", number, i + 1);
                rules += rule_text(own.rules[i], id, title);
                judged.push_back("list/" + id);
            }
        });
        if (!judged.empty()) tests += "[[test.judge]]\n" + array_of("rules", judged);
    }
    if (!rules.empty()) {
        books.push_back("limits.toml");
        out.rulebook = "[rulebook]\nid = \"list\"\n" + line("title", "Limits of the list " + out.title) +
                       "standard = \"limits of one's own\"\nedition = \"as the list states them\"\n"
                       "basis = \"stated in the list, not published\"\n" +
                       rules;
    }
    out.campaign = "# Made from the list " + file.filename().string() + ".\n[campaign]\n" +
                   line("title", out.title) + line("bench", beside(head.text("bench"))) +
                   line("operator", head.text("technician")) + line("note", head.text("note")) +
                   array_of("rulebooks", books);
    const auto ask = [&](const char* key, const char* question, const char* sets) {
        if (head.has(key)) return;
        out.campaign += std::string("\n[[question]]\n") + line("name", key) + line("ask", question) +
                        "kind = \"text\"\ndefault = \"not stated\"\n" + line("sets", sets);
    };
    ask("site", "Where is this?", "model");
    ask("number", "Number of the station?", "serial");
    ask("technician", "Who measures?", "technician");
    const auto stated = [&](const char* key) {
        return head.has(key) ? head.text(key) : std::string("to be asked");
    };
    out.campaign += "\n[unit]\n" + line("maker", head.has("owner") ? head.text("owner") : "not stated") +
                    line("model", stated("site")) + line("serial", stated("number")) + tests;
    return out;
}

}  // namespace rt::lab
