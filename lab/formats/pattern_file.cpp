#include "lab/formats/pattern_file.hpp"

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {
namespace {

// Digits of one file, without spaces and remarks.
std::string digits_of(const std::string& text, const std::string& file, std::string_view form) {
    const std::string_view allowed = form == "bits"  ? "01"
                                     : form == "hex" ? "0123456789abcdefABCDEF"
                                                     : "0123";
    std::string out;
    std::size_t line = 1;
    bool remark = false;
    for (const char c : text) {
        if (c == '\n') {
            ++line;
            remark = false;
        } else if (c == '#') {
            remark = true;
        } else if (!remark && c != ' ' && c != '\t' && c != '\r') {
            if (allowed.find(c) == std::string_view::npos)
                fail_input(file + ":" + std::to_string(line),
                           in_quotes(std::string(1, c)) + " is none of the digits of " + std::string(form) +
                               " (" + std::string(allowed) + "); remarks stand behind #");
            out += c;
        }
    }
    if (out.empty()) fail_input(file, "holds no digits: a pattern needs some");
    return out;
}

}  // namespace

std::string with_pattern_files(std::string_view pattern, const std::filesystem::path& from,
                               const InputFiles& files, std::vector<NamedFile>& named) {
    std::string out;
    for (;;) {
        const auto at = pattern.find(":@");
        if (at == std::string_view::npos) return out + std::string(pattern);
        const auto before = pattern.substr(0, at);
        const auto word = before.find_last_of(" ,(");
        const auto form = word == std::string_view::npos ? before : before.substr(word + 1);
        if (form != "bits" && form != "hex" && form != "symbols")
            fail_input("pattern: a file stands behind bits:@, hex:@ or symbols:@, not " +
                       in_quotes(std::string(form) + ":@"));
        const auto end = pattern.find_first_of(" ,()", at + 2);
        const std::string name(pattern.substr(at + 2, end == std::string_view::npos ? end : end - at - 2));
        const auto path = files.find("pattern", name, from);
        named.push_back({"pattern", name, read_file(path)});
        out += std::string(before) + ":" + digits_of(named.back().text, path.string(), form);
        if (end == std::string_view::npos) return out;
        pattern = pattern.substr(end);
    }
}

}  // namespace rt::lab
