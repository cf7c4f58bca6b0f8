#include "cli/console.hpp"

#include <unistd.h>

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <cstdlib>

#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"

namespace rt::cli {
namespace {}  // namespace

Console::Console(bool quiet, bool verbose) : quiet_(quiet), verbose_(verbose) {
    const char* no_colour = std::getenv("NO_COLOR");
    const char* terminal = std::getenv("TERM");
    const bool dumb = terminal && std::string(terminal) == "dumb";
    colour_ = ::isatty(STDOUT_FILENO) && !(no_colour && *no_colour) && !dumb;
}

void Console::out(const std::string& line) const {
    std::fprintf(stdout, "%s\n", line.c_str());
}

void Console::attention(const std::string& line) const {
    std::fprintf(stderr, "attention: %s\n", printable(line).c_str());
    std::fflush(stderr);
}

void Console::progress(const std::string& line) const {
    if (!quiet_) std::fprintf(stderr, "%s\n", line.c_str());
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

std::string Console::verdict(Verdict verdict) const {
    std::string text = name(verdict);
    text.resize(8, ' ');
    switch (verdict) {
        case Verdict::pass:
            return tinted(text, Tone::good);
        case Verdict::marginal:
            return tinted(text, Tone::warning);
        case Verdict::fail:
            return tinted(text, Tone::bad);
        case Verdict::none:
            return tinted(text, Tone::strong);
    }
    return text;
}

std::string Console::counts(const VerdictCounts& c) const {
    const auto part = [&](std::size_t n, const char* word, Tone tone) {
        const std::string text = std::to_string(n) + " " + word;
        return n > 0 ? tinted(text, tone) : text;
    };
    return part(c.pass, "PASS", Tone::good) + ", " + part(c.marginal, "MARGINAL", Tone::warning) + ", " +
           part(c.fail, "FAIL", Tone::bad) + ", " + part(c.none, "NONE", Tone::strong);
}

}  // namespace rt::cli
