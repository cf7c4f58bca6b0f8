// Prints the reference page of one file type from the reader's own table: make-reference campaign.
// Without an argument, the names of all file types; "schema campaign" gives its JSON Schema.
#include <cstdio>
#include <span>
#include <string>

#include "core/base/text.hpp"
#include "lab/catalogue/config_files.hpp"
#include "lab/catalogue/config_schema.hpp"
#include "lab/formats/config.hpp"
#include "lab/model/placeholder.hpp"
#include "lab/model/role_kinds.hpp"

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

// "{hz} in Hz, {count}" of a command's sample values.
std::string values_of(const char* sample) {
    std::string out;
    for (const auto part : rt::split(std::string_view(sample), ' ')) {
        if (part.empty()) continue;
        const std::string name(part.substr(0, part.find('=')));
        const auto unit = rt::lab::unit_of_placeholder(name, rt::Unit::none);
        out += (out.empty() ? "`{" : ", `{") + name + "}`";
        if (unit != rt::Unit::none) out += std::string(" in ") + rt::symbol(unit);
    }
    return out;
}

void print_commands(std::span<const rt::lab::CommandInfo> commands) {
    for (const auto& command : commands)
        std::printf("| `%s` | %s | %s | %s |\n", command.name, values_of(command.sample).c_str(),
                    command.required ? "yes" : "", escaped(command.help).c_str());
}

// What a dialect of each kind says, from the table that dialects are checked against.
void print_kinds() {
    const char* head = "| command | values | needed | meaning |\n|---|---|---|---|\n";
    std::printf(
        "\n## Commands of every kind\n\nEvery command may use `{channel}`, the one that the bench "
        "gives.\n\n%s",
        head);
    print_commands(rt::lab::common_commands());
    for (const auto& kind : rt::lab::role_kinds()) {
        std::printf("\n## Kind `%s`: %s\n\n", kind.name, kind.title);
        if (kind.open_settings) {
            std::printf("Any `set_NAME` with `{value}`, `confirm_NAME`, `query_NAME` and `list_NAME`.\n");
            continue;
        }
        std::printf("%s", head);
        for (const auto& setting : kind.settings) {
            const std::string unit =
                setting.unit == rt::Unit::none ? "" : std::string(" in ") + rt::symbol(setting.unit);
            std::printf("| `set_%s` | `{value}`%s | %s | %s; `confirm_%s` reads it back |\n", setting.name,
                        unit.c_str(), setting.required ? "yes" : "", escaped(setting.help).c_str(),
                        setting.name);
        }
        print_commands(kind.commands);
    }
}

}  // namespace

int main(int argc, char** argv) {
    if (argc == 3 && std::string(argv[1]) == "schema") {
        for (const auto* file : rt::lab::config_files()) {
            if (std::string(argv[2]) != file->name) continue;
            std::fputs(rt::lab::config_schema(*file).c_str(), stdout);
            return 0;
        }
        return 1;
    }
    for (const auto* file : rt::lab::config_files()) {
        if (argc < 2) std::printf("%s\n", file->name);
        if (argc >= 2 && std::string(argv[1]) == file->name) {
            print_page(*file);
            if (std::string(argv[1]) == "dialect") print_kinds();
            return 0;
        }
    }
    return argc < 2 ? 0 : 1;
}
