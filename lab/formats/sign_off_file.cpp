#include "lab/formats/sign_off_file.hpp"

#include <array>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/rules/rule_text.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

constexpr std::array file_sign_off_keys{
    KeyInfo{"rule", Key::text, true, "book and rule, such as cispr-32/mains-b-qp"},
    KeyInfo{"says", Key::text, true,
            "first digits of the SHA-256 over what the rule said when it was signed off; `rules sign` writes "
            "them. "
            "A rule that says something else is not signed off"},
    KeyInfo{"by", Key::text, true, "name"},
    KeyInfo{"on", Key::date, true, "date"},
    KeyInfo{"document", Key::text, true, "the lab's copy of the standard"},
};
constexpr std::array sign_off_root_keys{
    KeyInfo{"sign_off", Key::tables, true, "the sign-offs; of several for one rule the last holds"},
};
constexpr SectionInfo sign_off_root{"the file", "", sign_off_root_keys};
constexpr SectionInfo sign_off_entry{"[[sign_off]]", "One rule, checked against the lab's copy.",
                                     file_sign_off_keys};
constexpr std::array<const SectionInfo*, 2> sign_off_sections{&sign_off_root, &sign_off_entry};

}  // namespace

const FileInfo sign_off_file{
    "sign-offs", "Who checked which rules against the lab's copy of the standard. Written by `rules sign`.",
    sign_off_sections};

bool holds_sign_offs(std::string_view content, const std::string& file) {
    const ConfigNode node = parse_config(content, file);
    return node.find("sign_off") && !node.find("rulebook");
}

std::vector<RuleSignOff> read_sign_offs(std::string_view content, const std::string& file) {
    const ConfigNode node = parse_config(content, file);
    const ConfigSection root(node, file, sign_off_root);
    std::vector<RuleSignOff> out;
    for (const auto& entry : root.tables("sign_off", sign_off_entry)) {
        out.push_back({entry.text("rule"),
                       entry.text("says"),
                       {entry.text("by"), entry.text("on"), entry.text("document")},
                       entry.place("rule")});
        if (out.back().rule.find('/') == std::string::npos)
            entry.fail("rule", in_quotes(out.back().rule) +
                                   " names no rulebook: write book/rule, such as cispr-32/mains-b-qp");
    }
    return out;
}

std::string rule_digest(RuleRef rule) {
    return sha256(signed_text(rule)).substr(0, 16);
}

void append_sign_off(const std::filesystem::path& file, RuleRef rule, const SignOff& sign_off) {
    std::string content;
    if (std::filesystem::exists(file)) {
        content = read_file(file);
        if (!trim(content).empty()) read_sign_offs(content, file.string());
        if (!content.empty() && content.back() != '\n') content += '\n';
    } else {
        content = "# Rules that the laboratory has checked against its own copies of the standards.\n";
    }
    content += "\n[[sign_off]]\nrule = " + toml_text(rule.full_id()) +
               "\nsays = " + toml_text(rule_digest(rule)) + "\nby = " + toml_text(sign_off.by) +
               "\non = " + sign_off.on + "\ndocument = " + toml_text(sign_off.document) + "\n";
    write_file(file, content);
}

}  // namespace rt::lab
