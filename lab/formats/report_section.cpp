#include "lab/formats/report_section.hpp"

#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "lab/formats/report_name.hpp"

namespace rt::lab {
namespace {

constexpr std::array report_keys{
    KeyInfo{"company", Key::text, false, "whose report it is"},
    KeyInfo{"address", Key::texts, false, "its address, line by line"},
    KeyInfo{"contact", Key::text, false, "telephone, mail"},
    KeyInfo{"accreditation", Key::text, false, "number or words of an accreditation"},
    KeyInfo{"logo", Key::text, false, "picture beside the campaign: .svg or .png, at most 1 MB"},
    KeyInfo{"heading", Key::text, false, "what kind of report; \"Test report\" without it"},
    KeyInfo{"introduction", Key::text, false, "text before the findings"},
    KeyInfo{"closing", Key::text, false, "text at the end"},
    KeyInfo{"signatures", Key::texts, false, "who signs: a line for each"},
    KeyInfo{"file_name", Key::text, false,
            "name of the report's files: text with {serial}, {model}, {maker}, {date}, {time}, {campaign}, "
            "{customer}, {operator}, {verdict}; \"report\" without it"},
    KeyInfo{"language", Key::text, false,
            "of the report's page: \"de\" and what else is shipped, or a file beside the campaign; English "
            "without it"},
    KeyInfo{"templates", Key::texts, false,
            "own templates beside the campaign, filled in besides the report"},
};

constexpr std::size_t largest_logo = 1'000'000;

}  // namespace

const SectionInfo report_section{"[report]", "What stands around the results in the report.", report_keys};

ReportHead read_report_head(const ConfigSection& section, const std::filesystem::path& campaign,
                            const InputFiles& found, std::vector<NamedFile>& files) {
    ReportHead head;
    for (const KeyInfo& key : report_keys) {
        const std::string_view name = key.name;
        if (!section.has(key.name) || name == "logo" || name == "templates") continue;
        std::string value;
        if (key.kind == Key::text) {
            value = section.text(key.name);
        } else {
            for (const auto& line : section.texts(key.name)) value += (value.empty() ? "" : "\n") + line;
        }
        head.texts.emplace_back(key.name, std::move(value));
    }
    section.at("file_name", [&] { require_name_pattern(section.text("file_name")); });
    const auto keep = [&](const char* kind, const char* key, const std::string& reference) {
        std::string content;
        section.at(key, [&] { content = read_file(found.find(kind, reference, campaign)); });
        files.push_back({kind, reference, content});
        return content;
    };
    head.logo = section.text("logo");
    if (!head.logo.empty()) {
        const std::string ending = lower(std::filesystem::path(head.logo).extension().string());
        if (ending != ".svg" && ending != ".png") section.fail("logo", "must be .svg or .png");
        const std::string content = keep("logo", "logo", head.logo);
        const bool fits =
            ending == ".png" ? content.starts_with("\x89PNG") : content.find("<svg") != std::string::npos;
        if (!fits) section.fail("logo", in_quotes(head.logo) + " is no " + ending.substr(1) + " picture");
        if (content.size() > largest_logo)
            section.fail("logo", in_quotes(head.logo) + " is larger than 1 MB");
    }
    // A name without an ending is one that is shipped.
    if (const std::string language = section.text("language"); language.ends_with(".toml"))
        keep("language", "language", language);
    head.templates = section.texts("templates");
    for (const auto& name : head.templates) keep("template", "templates", name);
    return head;
}

}  // namespace rt::lab
