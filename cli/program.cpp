// A comma in a file name is part of it.
#define CXXOPTS_VECTOR_DELIMITER '\0'
#include <cxxopts.hpp>

#include <unistd.h>

#include <array>
#include <cmath>
#include <cstdio>
#include <cstdlib>
#include <exception>
#include <nlohmann/json.hpp>

#include "cli/command.hpp"
#include "core/base/text.hpp"
#include "lab/formats/gathered.hpp"
#include "lab/version.hpp"

namespace rt::cli {
namespace {

void print_overview() {
    std::string out =
        "Rare Tally " + std::string(version()) +
        ": sweeps a device, judges the results by published limits, keeps a record and reports.\n\n"
        "rare-tally COMMAND ...\n\n";
    std::vector<std::vector<std::string>> rows;
    for (const auto& command : commands()) {
        rows.push_back(
            {command.name + (*command.usage ? std::string(" ") + command.usage : ""), command.summary});
    }
    for (const auto& line : aligned(rows, "  ")) out += line + "\n";
    out +=
        "\nrare-tally COMMAND --help explains a command, with an example.\n"
        "Exit codes: 0 all passed; 1 a finding failed; 2 wrong input; 3 bench, instrument or output "
        "trouble;\n"
        "4 incomplete or without verdict; 5 a fault of this program.\n";
    std::fputs(out.c_str(), stdout);
}

const Command& find_command(std::string_view name) {
    std::vector<std::string> names;
    for (const auto& command : commands()) {
        if (name == command.name) return command;
        names.emplace_back(command.name);
    }
    fail_input("unknown command " + in_quotes(name) + suggestion(name, names));
}

cxxopts::Options options_of(const Command& command) {
    cxxopts::Options options(std::string("rare-tally ") + command.name, command.summary);
    const auto add = [&](const OptionInfo& option) {
        if (*option.value) {
            options.add_options()(option.name, option.help, cxxopts::value<std::vector<std::string>>(),
                                  option.value);
        } else {
            options.add_options()(option.name, option.help);
        }
    };
    for (const auto& option : command.options) add(option);
    for (const auto& option : common_options()) add(option);
    options.custom_help(command.usage);
    options.set_width(110);
    options.add_options("positional")(command.positional, "", cxxopts::value<std::vector<std::string>>());
    options.parse_positional({command.positional});
    options.positional_help("");
    return options;
}

// What was given, by the long name of each option.
std::map<std::string, std::vector<std::string>> given(const Command& command,
                                                      const cxxopts::ParseResult& parsed) {
    std::map<std::string, std::vector<std::string>> out;
    const auto take = [&](std::string name, bool has_value) {
        if (const auto comma = name.find(','); comma != std::string::npos) name.erase(0, comma + 1);
        if (parsed.count(name) == 0) return;
        out[name] = has_value ? parsed[name].as<std::vector<std::string>>() : std::vector<std::string>{};
    };
    for (const auto& option : command.options) take(option.name, *option.value != '\0');
    for (const auto& option : common_options()) take(option.name, false);
    take(command.positional, true);
    return out;
}

std::string version_json() {
    nlohmann::ordered_json libraries = nlohmann::ordered_json::object();
    for (const auto& [name, number] : rt::lab::libraries()) libraries[name] = number;
    return nlohmann::ordered_json{{"program", "rare-tally"}, {"version", version()}, {"libraries", libraries}}
        .dump(2);
}

ExitCode run_command_line(int argc, const char* const* argv) {
    const std::string_view first = argc > 1 ? argv[1] : "--help";
    if (first == "--version") {
        if (argc > 2 && std::string_view(argv[2]) == "--json") {
            std::printf("%s\n", version_json().c_str());
            return ExitCode::passed;
        }
        std::printf("Rare Tally %s\n", version());
        return ExitCode::passed;
    }
    if (first == "help" && argc == 3) {
        const char* const asked[] = {argv[0], argv[2], "--help"};
        return run_command_line(3, asked);
    }
    if (first == "--help" || first == "-h" || first == "help") {
        print_overview();
        return ExitCode::passed;
    }
    const Command& command = find_command(first);
    cxxopts::Options options = options_of(command);
    const auto parsed = options.parse(argc - 1, argv + 1);
    if (parsed.count("help")) {
        std::printf("%s\nExample:\n  %s\n", options.help({""}).c_str(), command.example);
        return ExitCode::passed;
    }
    const Console console(parsed.count("quiet") > 0, parsed.count("verbose") > 0);
    const ExitCode code = command.run({given(command, parsed), console});
    if (std::fflush(stdout) != 0) throw Error(ErrorKind::output, "stdout", "cannot be written");
    return code;
}

int complain(const std::string& message, ExitCode code) {
    std::fflush(stdout);
    for (const auto& line : wrapped("rare-tally: " + printable(message), columns_of(STDERR_FILENO)))
        std::fprintf(stderr, "%s\n", line.c_str());
    return static_cast<int>(code);
}

// A fault of our own is told apart from those of files and benches.
int confess(const std::string& what) {
    return complain("a fault of this program, not of your input: " + what +
                        "; please report it with the command and, where possible, its files",
                    ExitCode::own_fault);
}

}  // namespace

std::string Call::text(const std::string& option) const {
    const auto all = texts(option);
    return all.empty() ? "" : all.back();
}

std::vector<std::string> Call::texts(const std::string& option) const {
    const auto at = options.find(option);
    return at == options.end() ? std::vector<std::string>{} : at->second;
}

std::filesystem::path share_folder() {
    if (const char* set = std::getenv("RARE_TALLY_SHARE"); set && *set) return set;
    std::error_code error;
    const auto program = std::filesystem::read_symlink("/proc/self/exe", error);
    const auto share = program.parent_path().parent_path() / "share" / "rare-tally";
    if (error || !std::filesystem::exists(share)) {
        fail_input(share.string(),
                   "the program's own files are missing: install again, or set RARE_TALLY_SHARE");
    }
    return share;
}

lab::Defaults defaults_of_today() {
    if (const char* set = std::getenv("RARE_TALLY_DEFAULTS")) {
        if (*set && !std::filesystem::exists(set))
            fail_input(set, "which RARE_TALLY_DEFAULTS names, is not there");
        return *set ? lab::read_defaults({set}) : lab::Defaults{};
    }
    std::vector<std::filesystem::path> files{"/etc/rare-tally/defaults.toml"};
    const char* home = std::getenv("HOME");
    if (const char* config = std::getenv("XDG_CONFIG_HOME"); config && *config)
        files.push_back(std::filesystem::path(config) / "rare-tally/defaults.toml");
    else if (home && *home)
        files.push_back(std::filesystem::path(home) / ".config/rare-tally/defaults.toml");
    return lab::read_defaults(files);
}

RuleLibrary load_rules(const Call& call) {
    RuleLibrary library;
    library.add_folder(share_folder() / "rulebooks");
    std::vector<std::filesystem::path> further;
    for (const auto& name : defaults_of_today().rulebooks) further.emplace_back(name);
    for (const auto& name : call.texts("rulebook")) further.emplace_back(name);
    library.add_all(further);
    return library;
}

std::size_t whole_option(const Call& call, const std::string& option, std::size_t least,
                         std::size_t greatest) {
    const std::string text = call.text(option);
    const auto value = to_double(text);
    if (!value || *value < static_cast<double>(least) || *value != std::floor(*value) ||
        *value > static_cast<double>(greatest))
        fail_input("--" + option + " " + text + ": write a whole number" +
                   (least > 0 ? " above " + std::to_string(least - 1) : ""));
    return static_cast<std::size_t>(*value);
}

lab::ReportLanguage language_named(const std::string& name, const lab::RunData& run) {
    const std::string wanted = name.empty() ? run.record().fact("report.language") : name;
    if (wanted.empty() || wanted == "en") return {};
    if (name.empty()) {
        for (const auto& file : run.record().files)
            if (file.kind == "language") return lab::read_language(run.folder() / file.file);
    }
    if (wanted.ends_with(".toml")) return lab::read_language(wanted);
    const auto folder = share_folder() / "languages";
    std::vector<std::string> names;
    for (const auto& entry : std::filesystem::directory_iterator(folder)) {
        if (entry.path().stem() == wanted) return lab::read_language(entry.path());
        names.push_back(entry.path().stem().string());
    }
    std::sort(names.begin(), names.end());
    std::string all;
    for (const auto& one : names) all += (all.empty() ? "" : ", ") + one;
    fail_input("no language " + in_quotes(wanted) + " is shipped: " + all +
               ", or a file of yours ending in .toml");
}

void require_figure_name(const std::string& option, const std::filesystem::path& file) {
    if (file.extension() != ".svg" && file.extension() != ".png") {
        fail_input("--" + option + " " + file.string() + ": write a name ending in .svg or .png");
    }
    const auto folder = file.has_parent_path() ? file.parent_path() : ".";
    if (!std::filesystem::is_directory(folder)) {
        fail_input("--" + option + " " + file.string() + ": there is no folder " + folder.string());
    }
}

int run_program(int argc, const char* const* argv) {
    try {
        return static_cast<int>(run_command_line(argc, argv));
    } catch (const lab::ManyErrors& many) {
        for (const auto& error : many.all()) complain(error.what(), exit_code(error.kind()));
        return static_cast<int>(exit_code(many.kind()));
    } catch (const Error& error) {
        if (error.kind() == ErrorKind::internal) return confess(error.what());
        return complain(error.what(), exit_code(error.kind()));
    } catch (const cxxopts::exceptions::exception& error) {
        return complain(
            std::string(error.what()) + "; see rare-tally " + (argc > 1 ? argv[1] : "") + " --help",
            ExitCode::wrong_input);
    } catch (const std::exception& error) {
        return confess(error.what());
    }
}

}  // namespace rt::cli
