#include "lab/report/convert.hpp"

#include <fcntl.h>
#include <spawn.h>
#include <sys/wait.h>
#include <unistd.h>

#include <cstring>
#include <string>
#include <vector>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/files.hpp"

extern char** environ;

namespace rt::lab {

namespace {

struct PaperMaker {
    const char* program;
    const char* makes;    // "PDF"
    const char* package;  // Debian's
};

void convert(const PaperMaker& converter, std::vector<std::string> arguments,
             const std::filesystem::path& target);

// Takes all elements out that begin with `begin`, up to the end of `end`.
void take_out(std::string& text, const std::string& begin, const std::string& end) {
    std::string out;
    std::size_t kept = 0;
    for (std::size_t at = 0; (at = text.find(begin, kept)) != std::string::npos;) {
        const auto behind = text.find(end, at);
        if (behind == std::string::npos) break;
        out.append(text, kept, at - kept);
        kept = behind + end.size();
    }
    text = out.append(text, kept, std::string::npos);
}

// Tables say how wide their columns are in documents, in percent: data-columns="20 80".
void state_columns(std::string& text) {
    const std::string mark = " data-columns=\"";
    for (std::size_t at = 0; (at = text.find(mark, at)) != std::string::npos;) {
        const auto begin = at + mark.size(), end = text.find('"', begin);
        std::string columns = "><colgroup>";
        const std::string widths = text.substr(begin, end - begin);
        for (const auto& width : split(std::string_view(widths), ' '))
            columns += "<col style=\"width: " + std::string(width) + "%\">";
        text.replace(at, end + 2 - at, columns + "</colgroup>");
    }
}

// The page without its scripts, beside it: what paper does not need would only take converters' time. For
// documents also without bars of margins, and without pictures in a form (BMP) that they cannot hold.
class PaperPage {
  public:
    PaperPage(const std::filesystem::path& html, bool document) : file_(html) {
        file_ += ".paper.html";
        std::string text = read_file(html);
        take_out(text, "<script", "</script>");
        if (document) {
            take_out(text, "<th scope=\"col\" class=\"bars\"", "</th>");
            take_out(text, "<td class=\"bars", "</td>");
            take_out(text, "<img src=\"data:image/bmp", ">");
            state_columns(text);
        }
        write_file(file_, text);
    }
    ~PaperPage() {
        std::error_code ignored;
        std::filesystem::remove(file_, ignored);
    }
    PaperPage(const PaperPage&) = delete;
    PaperPage& operator=(const PaperPage&) = delete;
    std::string path() const { return file_.string(); }

  private:
    std::filesystem::path file_;
};

// `arguments` end with the file to make, which is written beside its final name.
void convert(const PaperMaker& converter, std::vector<std::string> arguments,
             const std::filesystem::path& target) {
    auto half = target, said = target;
    half += ".part" + target.extension().string();
    said += ".log";
    arguments.insert(arguments.begin(), converter.program);
    arguments.push_back(half.string());
    std::vector<char*> pointers;
    for (auto& argument : arguments) pointers.push_back(argument.data());
    pointers.push_back(nullptr);
    posix_spawn_file_actions_t actions;
    posix_spawn_file_actions_init(&actions);
    posix_spawn_file_actions_addopen(&actions, STDOUT_FILENO, said.c_str(), O_WRONLY | O_CREAT | O_TRUNC,
                                     0644);
    posix_spawn_file_actions_adddup2(&actions, STDOUT_FILENO, STDERR_FILENO);
    pid_t child = 0;
    const int code = posix_spawnp(&child, converter.program, &actions, nullptr, pointers.data(), environ);
    posix_spawn_file_actions_destroy(&actions);
    std::error_code ignored;
    if (code != 0) {
        std::filesystem::remove(said, ignored);
        throw Error(ErrorKind::output, target.string(),
                    std::string("the program ") + converter.program + " makes " + converter.makes +
                        ", and cannot be started (" + std::strerror(code) + "): install the package " +
                        converter.package);
    }
    int status = 0;
    while (waitpid(child, &status, 0) < 0 && errno == EINTR) {
    }
    const std::string words = std::filesystem::exists(said, ignored) ? read_file(said) : "";
    std::filesystem::remove(said, ignored);
    if (!WIFEXITED(status) || WEXITSTATUS(status) != 0 || !std::filesystem::exists(half, ignored)) {
        std::filesystem::remove(half, ignored);
        const auto last = words.find_last_not_of('\n');
        const auto begin = last == std::string::npos ? std::string::npos : words.rfind('\n', last);
        const std::size_t from = begin == std::string::npos ? 0 : begin + 1;
        throw Error(ErrorKind::output, target.string(),
                    std::string(converter.program) + " did not make " + converter.makes + ": " +
                        (last == std::string::npos ? "" : words.substr(from, last + 1 - from)));
    }
    std::filesystem::rename(half, target, ignored);
    if (ignored) throw Error(ErrorKind::output, target.string(), "cannot be written: " + ignored.message());
}

}  // namespace

void write_pdf(const std::filesystem::path& html, const std::filesystem::path& pdf) {
    const PaperPage page(html, false);
    convert({"weasyprint", "PDF", "weasyprint"}, {"--quiet", page.path()}, pdf);
}

void write_document(const std::filesystem::path& html, const std::filesystem::path& odt) {
    const PaperPage page(html, true);
    convert({"pandoc", "an editable document", "pandoc"}, {"--from=html", "--to=odt", page.path(), "-o"},
            odt);
}

std::string png_of(const std::filesystem::path& svg, const std::filesystem::path& scratch) {
    const auto png = scratch / (svg.stem().string() + ".scratch.png");
    convert({"rsvg-convert", "a picture", "librsvg2-bin"},
            {"--width=1600", "--keep-aspect-ratio", "--background-color=white", svg.string(), "-o"}, png);
    std::string content = read_file(png);
    std::error_code ignored;
    std::filesystem::remove(png, ignored);
    return content;
}

}  // namespace rt::lab
