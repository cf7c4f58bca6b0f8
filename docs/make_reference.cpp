// Prints the reference page of one file type from the reader's own table: make-reference campaign.
// Without an argument, the names of all file types.
#include <cstdio>
#include <string>

#include "lab/catalogue/config_files.hpp"
#include "lab/formats/config.hpp"

namespace {

std::string escaped(std::string text) {
    for (std::size_t at = 0; (at = text.find('|', at)) != std::string::npos; at += 2)
        text.insert(at, 1, '\\');
    return text;
}

void print_page(const rt::lab::FileInfo& file) {
    std::printf(
        "# Reference: %s file\n\nMade by `make-reference %s` from the table that the reader itself "
        "uses.\n\n%s\n",
        file.name, file.name, file.help);
    for (const auto* section : file.sections) {
        std::printf("\n## `%s`\n\n%s%s| key | value | needed | meaning |\n|---|---|---|---|\n",
                    section->title, section->help, *section->help ? "\n\n" : "");
        for (const auto& key : section->keys) {
            std::printf("| `%s` | %s | %s | %s |\n", key.name, escaped(rt::lab::describe(key)).c_str(),
                        key.required ? "yes" : "", escaped(key.help).c_str());
        }
    }
}

}  // namespace

int main(int argc, char** argv) {
    for (const auto* file : rt::lab::config_files()) {
        if (argc < 2) std::printf("%s\n", file->name);
        if (argc >= 2 && std::string(argv[1]) == file->name) {
            print_page(*file);
            return 0;
        }
    }
    return argc < 2 ? 0 : 1;
}
