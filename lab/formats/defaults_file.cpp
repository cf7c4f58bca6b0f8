#include "lab/formats/defaults_file.hpp"

#include <algorithm>
#include <array>

#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/report_section.hpp"

namespace rt::lab {
namespace {

constexpr std::array defaults_keys{
    KeyInfo{"operator", Key::text, false, "who carries tests out, where a campaign does not say"},
    KeyInfo{"bench", Key::text, false, "bench of campaigns that name none, beside this file"},
    KeyInfo{"rulebooks", Key::texts, false,
            "rulebooks and sign-offs known to every command, beside this file"},
    KeyInfo{"trusted", Key::texts, false,
            "public keys and certificates (PEM, beside this file) by which signatures and time stamps of "
            "runs are "
            "trusted"},
    KeyInfo{"store", Key::text, false, "the shared store, as push and find take it"},
    KeyInfo{"from", Key::texts, false, "where this came from: written into the copies of runs"},
};
constexpr std::array root_keys{
    KeyInfo{"defaults", Key::table, false, "what campaigns get that do not say it"},
    KeyInfo{"report", Key::table, false, "what stands around the results, key by key"},
};
constexpr SectionInfo root_section{"the file", "", root_keys};
constexpr SectionInfo defaults_section{"[defaults]", "What campaigns get that do not say it.", defaults_keys};
// The list of sections names that of campaigns, which is defined elsewhere.
const std::array<const SectionInfo*, 3> sections{&root_section, &defaults_section, &report_section};

void put(TextPairs& pairs, const std::string& name, std::string value) {
    const auto at =
        std::find_if(pairs.begin(), pairs.end(), [&](const auto& pair) { return pair.first == name; });
    if (at != pairs.end())
        at->second = std::move(value);
    else
        pairs.emplace_back(name, std::move(value));
}

}  // namespace

const FileInfo defaults_file{
    "defaults",
    "Defaults of a lab (/etc/rare-tally/defaults.toml) and of a person "
    "(~/.config/rare-tally/defaults.toml); RARE_TALLY_DEFAULTS names another one in place of both.",
    sections};

Defaults read_defaults(const std::vector<std::filesystem::path>& files) {
    Defaults out;
    for (const auto& file : files) {
        std::error_code unreadable;
        if (!std::filesystem::exists(file, unreadable)) continue;
        const ConfigNode node = parse_config(read_file(file), file.string());
        const ConfigSection root(node, file.string(), root_section);
        const auto beside = [&](const std::string& name) { return (file.parent_path() / name).string(); };
        bool copied = false;
        if (const auto head = root.table("defaults", defaults_section)) {
            if (head->has("operator")) out.operator_name = head->text("operator");
            if (head->has("bench")) out.bench = beside(head->text("bench"));
            if (head->has("store")) out.store = head->text("store");
            for (const auto& name : head->texts("rulebooks")) out.rulebooks.push_back(beside(name));
            for (const auto& name : head->texts("trusted")) out.trusted.push_back(beside(name));
            if (head->has("from")) out.from = head->texts("from"), copied = true;
        }
        if (const auto report = root.table("report", report_section)) {
            for (const KeyInfo& key : report_section.keys) {
                if (!report->has(key.name)) continue;
                const std::string name = key.name;
                if (name == "templates") report->fail("templates", "belong to campaigns, not to defaults");
                if (name == "logo") {
                    out.logo = copied ? report->text("logo") : beside(report->text("logo"));
                    continue;
                }
                std::string value;
                if (key.kind == Key::text) {
                    value = report->text(key.name);
                } else {
                    for (const auto& line : report->texts(key.name))
                        value += (value.empty() ? "" : "\n") + line;
                }
                put(out.report, name, std::move(value));
            }
        }
        if (!copied) out.from.push_back(file.string());
    }
    return out;
}

std::string defaults_text(const Defaults& defaults) {
    if (defaults.empty()) return {};
    const auto list = [](const std::vector<std::string>& all) {
        std::string out = "[";
        for (const auto& one : all) out += (out.size() > 1 ? ", " : "") + toml_text(one);
        return out + "]";
    };
    std::string out = "[defaults]\nfrom = " + list(defaults.from) + "\n";
    if (!defaults.operator_name.empty()) out += "operator = " + toml_text(defaults.operator_name) + "\n";
    out += "\n[report]\n";
    for (const auto& [name, value] : defaults.report) {
        const auto info = std::find_if(report_section.keys.begin(), report_section.keys.end(),
                                       [&](const KeyInfo& key) { return name == key.name; });
        std::vector<std::string> lines;
        for (const auto line : split(value, '\n')) lines.emplace_back(line);
        out += name + " = " + (info->kind == Key::text ? toml_text(value) : list(lines)) + "\n";
    }
    if (!defaults.logo.empty()) out += "logo = " + toml_text(defaults.logo) + "\n";
    return out;
}

void apply_defaults(const Defaults& defaults, const InputFiles& found, Campaign& campaign) {
    if (defaults.empty()) return;
    std::vector<std::string> taken;
    if (campaign.operator_name.empty() && !defaults.operator_name.empty()) {
        campaign.operator_name = defaults.operator_name;
        taken.emplace_back("operator");
    }
    if (campaign.bench.empty() && !defaults.bench.empty()) {
        campaign.bench = defaults.bench;
        taken.emplace_back("bench");
    }
    for (const auto& [name, value] : defaults.report) {
        const auto same = [&, key = name](const auto& pair) { return pair.first == key; };
        if (std::any_of(campaign.report.texts.begin(), campaign.report.texts.end(), same)) continue;
        campaign.report.texts.emplace_back(name, value);
        taken.push_back(name);
    }
    if (campaign.report.logo.empty() && !defaults.logo.empty()) {
        campaign.report.logo = defaults.logo;
        campaign.files.push_back(
            {"logo", defaults.logo, read_file(found.find("logo", defaults.logo, campaign.file))});
        taken.emplace_back("logo");
    }
    campaign.defaults_text = defaults_text(defaults);
    if (taken.empty()) return;
    for (const auto& word : taken) campaign.defaults += (campaign.defaults.empty() ? "" : ", ") + word;
    campaign.defaults += " from ";
    for (std::size_t i = 0; i < defaults.from.size(); ++i)
        campaign.defaults += (i ? " and " : "") + defaults.from[i];
}

}  // namespace rt::lab
