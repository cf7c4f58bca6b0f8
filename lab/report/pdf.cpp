#include "lab/report/pdf.hpp"

#include <fcntl.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstring>
#include <string>

#include "core/base/error.hpp"
#include "lab/formats/files.hpp"

extern char** environ;

namespace rt {

void write_pdf(const std::filesystem::path& html, const std::filesystem::path& pdf) {
    auto half = pdf, said = pdf;
    half += ".part";
    said += ".log";
    const std::string program = "weasyprint", from = html.string(), to = half.string();
    const char* const arguments[] = {program.c_str(), "--quiet", from.c_str(), to.c_str(), nullptr};
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, said.c_str(), O_WRONLY | O_CREAT | O_TRUNC,
                                     0644);
    posix_spawn_file_actions_adddup2(&actions, STDOUT_FILENO, STDERR_FILENO);
    pid_t child = 0;
    const int code =
        posix_spawnp(&child, program.c_str(), &actions, nullptr, const_cast<char**>(arguments), environ);
    posix_spawn_file_actions_destroy(&actions);
    std::error_code ignored;
    if (code != 0) {
        std::filesystem::remove(said, ignored);
        throw Error(
            ErrorKind::output, pdf.string(),
            "the program weasyprint makes PDF, and cannot be started: " + std::string(std::strerror(code)));
    }
    int status = 0;
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    const std::string words = std::filesystem::exists(said, ignored) ? read_file(said) : "";
    std::filesystem::remove(said, ignored);
    if (!WIFEXITED(status) || WEXITSTATUS(status) != 0 || !std::filesystem::exists(half, ignored)) {
        std::filesystem::remove(half, ignored);
        const auto last = words.find_last_not_of('\n');
        const auto begin = last == std::string::npos ? 0 : words.rfind('\n', last);
        throw Error(
            ErrorKind::output, pdf.string(),
            "weasyprint made no PDF: " + words.substr(begin == std::string::npos ? 0 : begin,
                                                      last + 1 - (begin == std::string::npos ? 0 : begin)));
    }
    std::filesystem::rename(half, pdf, ignored);
    if (ignored) throw Error(ErrorKind::output, pdf.string(), "cannot be written: " + ignored.message());
}

}  // namespace rt
