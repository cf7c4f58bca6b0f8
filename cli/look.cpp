#include "cli/look.hpp"

#include <poll.h>
#include <unistd.h>

#include <algorithm>
#include <iostream>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/report/text_plot.hpp"

namespace rt::cli {
namespace {

std::size_t width_of(const Console& console) {
    constexpr std::size_t usual = 80, most = 160;
    const std::size_t width = console.width();
    return width == 0 ? usual : std::min(width, most);
}

// Whether Enter was pressed within so many milliseconds.
bool pressed(int milliseconds) {
    pollfd entry{STDIN_FILENO, POLLIN, 0};
    if (::poll(&entry, 1, milliseconds) <= 0) return false;
    std::string line;
    std::getline(std::cin, line);
    return true;
}

}  // namespace

std::vector<std::string> plot_lines(const Console& console, const Figure& figure) {
    constexpr std::size_t height = 20;
    auto out = rt::lab::text_plot(figure, width_of(console) - 1, height);
    for (auto& line : out) line = printable(line);
    return out;
}

std::vector<std::string> look_lines(const Console& console, const Outcome& outcome,
                                    const std::string& title) {
    std::vector<std::string> out;
    if (!outcome.traces.empty())
        out = plot_lines(console, rt::lab::trace_figure(outcome.traces.front(), title, {}, {}));
    std::string results;
    constexpr std::size_t most = 8;
    for (std::size_t i = 0; i < std::min(most, outcome.results.size()); ++i) {
        const Result& result = outcome.results[i];
        results += (i ? "; " : "") + result.name + " " + shown(result.value, 5);
    }
    std::replace(results.begin(), results.end(), '_', ' ');
    const std::size_t width = width_of(console) - 1;
    const auto add = [&](const std::string& text) {
        for (const auto& line : wrapped(printable(text), width)) out.push_back(line);
    };
    if (!results.empty()) add(results);
    if (outcome.invalid) add("not valid: " + *outcome.invalid);
    return out;
}

void look_until_enough(const Console& console, const std::string& title,
                       const std::function<Outcome()>& take) {
    const bool terminal = ::isatty(STDIN_FILENO) && console.stays_put() && console.width() > 0;
    console.status("");
    std::size_t shown = 0;
    for (;;) {
        std::vector<std::string> lines;
        bool trouble = false;
        try {
            lines = look_lines(console, take(), title);
        } catch (const Error& error) {
            if (error.kind() == ErrorKind::input || !terminal) throw;
            lines = wrapped(printable(error.what()), width_of(console) - 1);
            trouble = true;
        }
        if (terminal) lines.emplace_back("looking again and again; Enter ends it");
        // Over what was shown before.
        if (shown > 0) console.out("\x1b[" + std::to_string(shown + 1) + "A\x1b[J");
        for (const auto& line : lines) console.out(line);
        shown = lines.size();
        if (!terminal || pressed(trouble ? 1000 : 200)) return;
    }
}

}  // namespace rt::cli
