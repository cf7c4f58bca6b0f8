#include "cli/console.hpp"

#include <sys/ioctl.h>
#include <sys/stat.h>
#include <unistd.h>

#include <cstdio>
#include <cstdlib>

#include "core/base/text.hpp"

namespace rt::cli {
namespace {

bool knows_codes() {
    const char* terminal = std::getenv("TERM");
    return !terminal || std::string(terminal) != "dumb";
}

}  // namespace

std::size_t columns_of(int file) {
    winsize size{};
    if (!::isatty(file) || ::ioctl(file, TIOCGWINSZ, &size) != 0) return 0;
    return size.ws_col > 0 ? size.ws_col : 80;
}

Console::Console(bool quiet, bool verbose) : quiet_(quiet), verbose_(verbose) {
    const char* no_colour = std::getenv("NO_COLOR");
    colour_ = ::isatty(STDOUT_FILENO) && !(no_colour && *no_colour) && knows_codes();
    in_place_ = ::isatty(STDERR_FILENO) && knows_codes();
    // Whoever reads along in a pipe gets each line at once; files are written in large parts, but where
    // errors go to the same one: lines stay whole and in order there.
    struct stat where {
    }, beside{};
    const bool known = ::fstat(STDOUT_FILENO, &where) == 0 && ::fstat(STDERR_FILENO, &beside) == 0;
    if (known &&
        (!S_ISREG(where.st_mode) || (where.st_ino == beside.st_ino && where.st_dev == beside.st_dev)))
        std::setvbuf(stdout, nullptr, _IOLBF, BUFSIZ);
}

Console::~Console() {
    status("");
}

std::size_t Console::width() const {
    return columns_of(STDOUT_FILENO);
}

void Console::hide() const {
    if (!status_.empty()) std::fputs("\r\x1b[K", stderr), std::fflush(stderr);
}

void Console::show() const {
    if (status_.empty()) return;
    std::fflush(stdout);
    std::fputs(status_.c_str(), stderr);
    std::fflush(stderr);
}

void Console::status(const std::string& line) const {
    const std::lock_guard lock(mutex_);
    if (!stays_put()) return;
    hide();
    const std::size_t columns = columns_of(STDERR_FILENO);
    const std::size_t room = columns > 1 ? columns - 1 : 79;
    status_ = line.empty() ? "" : wrapped(printable(line), room).front();
    show();
}

void Console::ring() const {
    if (stays_put()) std::fputs("\a", stderr), std::fflush(stderr);
}

void Console::out(const std::string& line) const {
    const std::lock_guard lock(mutex_);
    hide();
    std::fprintf(stdout, "%s\n", line.c_str());
    show();
}

void Console::attention(const std::string& line) const {
    const std::lock_guard lock(mutex_);
    hide();
    std::fprintf(stderr, "attention: %s\n", printable(line).c_str());
    std::fflush(stderr);
    show();
}

void Console::progress(const std::string& line) const {
    const std::lock_guard lock(mutex_);
    if (quiet_) return;
    hide();
    std::fprintf(stderr, "%s\n", line.c_str());
    show();
}

void Console::detail(const std::string& line) const {
    if (verbose_) progress(line);
}

std::string Console::tinted(const std::string& text, Tone tone) const {
    if (!colour_ || tone == Tone::plain) return text;
    const char* code = "";
    switch (tone) {
        case Tone::plain:
            break;
        case Tone::strong:
            code = "1";
            break;
        case Tone::soft:
            code = "2";
            break;
        case Tone::good:
            code = "32";
            break;
        case Tone::warning:
            code = "33";
            break;
        case Tone::bad:
            code = "1;31";
            break;
    }
    return "\x1b[" + std::string(code) + "m" + text + "\x1b[0m";
}

Tone tone_of(Verdict verdict) {
    switch (verdict) {
        case Verdict::pass:
            return Tone::good;
        case Verdict::marginal:
            return Tone::warning;
        case Verdict::fail:
            return Tone::bad;
        case Verdict::none:
            break;
    }
    return Tone::strong;
}

std::string Console::verdict(Verdict verdict) const {
    return tinted(filled(name(verdict), 8), tone_of(verdict));
}

std::string Console::counts(const VerdictCounts& c) const {
    const auto part = [&](std::size_t n, const char* word, Tone tone) {
        const std::string text = std::to_string(n) + " " + word;
        return n > 0 ? tinted(text, tone) : text;
    };
    return part(c.pass, "PASS", Tone::good) + ", " + part(c.marginal, "MARGINAL", Tone::warning) + ", " +
           part(c.fail, "FAIL", Tone::bad) + ", " + part(c.none, "NONE", Tone::strong);
}

std::string padded(std::string text, std::size_t width) {
    if (const auto have = letters(text); have < width) text.insert(0, width - have, ' ');
    return text;
}

std::string filled(std::string text, std::size_t width) {
    if (const auto have = letters(text); have < width) text.append(width - have, ' ');
    return text;
}

}  // namespace rt::cli
