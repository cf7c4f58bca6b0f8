#include "lab/report/page/language.hpp"

#include <algorithm>
#include <array>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"
#include "point_template.hpp"
#include "report_template.hpp"
#include "rows_template.hpp"

namespace rt::lab {
namespace {

constexpr std::array language_root_keys{
    KeyInfo{"language", Key::table, true, "the language"},
    KeyInfo{"texts", Key::pairs, true,
            "\"the English text\" = \"what stands in its place\"; values in double braces stay as they are"},
};
constexpr std::array language_keys{
    KeyInfo{"code", Key::text, true, "for the page: \"de\", \"fr-CH\" (BCP 47)"},
    KeyInfo{"name", Key::text, true, "the language's own name"},
};
constexpr SectionInfo language_root{"the file", "", language_root_keys};
constexpr SectionInfo language_section{"[language]", "The language.", language_keys};
constexpr std::array<const SectionInfo*, 2> language_sections{&language_root, &language_section};

// Calls `work` with each marked text; what it returns takes its place.
template <typename Work>
std::string each_text(const std::string& text, const Work& work) {
    std::string out;
    std::size_t kept = 0;
    for (std::size_t at = 0; (at = text.find("[[", kept)) != std::string::npos;) {
        const auto end = text.find("]]", at);
        if (end == std::string::npos) break;
        out.append(text, kept, at - kept);
        out += work(text.substr(at + 2, end - at - 2));
        kept = end + 2;
    }
    return out.append(text, kept, std::string::npos);
}

// Line ends of the template are no part of a text.
std::string one_line(std::string text) {
    std::replace(text.begin(), text.end(), '\n', ' ');
    return text;
}

std::multiset<std::string> values_in(const std::string& text) {
    std::multiset<std::string> out;
    for (auto at = text.find("{{"); at != std::string::npos; at = text.find("{{", at + 2)) {
        const auto end = text.find("}}", at);
        if (end == std::string::npos) break;
        out.insert(text.substr(at + 2, end - at - 2));
    }
    return out;
}

}  // namespace

const FileInfo language_file{
    "language", "Texts of the report's page in another language: report --language FILE.", language_sections};

std::vector<std::string> page_texts() {
    std::vector<std::string> out;
    for (const char* page : {report_template, point_template, rows_template}) {
        each_text(page, [&](const std::string& raw) {
            const std::string text = one_line(raw);
            if (std::find(out.begin(), out.end(), text) == out.end()) out.push_back(text);
            return raw;
        });
    }
    return out;
}

std::vector<std::string> ReportLanguage::lacking() const {
    std::vector<std::string> out;
    if (code == "en") return out;
    for (const auto& text : page_texts())
        if (!texts.contains(text)) out.push_back(text);
    return out;
}

ReportLanguage read_language(const std::filesystem::path& file) {
    const ConfigNode node = parse_config(read_file(file), file.string());
    const ConfigSection root(node, file.string(), language_root);
    const ConfigSection head = *root.table("language", language_section);
    ReportLanguage out;
    out.code = head.text("code"), out.name = head.text("name");
    const std::string letters = "abcdefghijklmnopqrstuvwxyzABCDEFGHIJKLMNOPQRSTUVWXYZ0123456789-";
    if (out.code.empty() || out.code.find_first_not_of(letters) != std::string::npos)
        head.fail("code", in_quotes(out.code) + " is no code of a language: write \"de\"");
    const auto known = page_texts();
    for (const auto& [english, text] : root.pairs("texts")) {
        if (std::find(known.begin(), known.end(), english) == known.end())
            root.fail("texts", "the page has no text " + in_quotes(english) + suggestion(english, known));
        if (values_in(english) != values_in(text))
            root.fail("texts", in_quotes(text) + " names other values than " + in_quotes(english));
        out.texts[english] = text;
    }
    return out;
}

std::string in_language(std::string text, const ReportLanguage& language) {
    return each_text(text, [&](const std::string& raw) {
        const auto at = language.texts.find(one_line(raw));
        if (at == language.texts.end()) return raw;
        // A translation is text; what it takes of the page's values stays a tag.
        std::string out;
        for (const char c : at->second) out += c == '<' ? "&lt;" : c == '>' ? "&gt;" : std::string(1, c);
        return out;
    });
}

}  // namespace rt::lab
