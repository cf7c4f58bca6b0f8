#include "core/landing/morse.hpp"

#include <algorithm>
#include <array>
#include <utility>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/stats/median.hpp"

namespace rt::landing {

constexpr std::array codes{
    std::pair{'A', ".-"},    std::pair{'B', "-..."},  std::pair{'C', "-.-."},  std::pair{'D', "-.."},
    std::pair{'E', "."},     std::pair{'F', "..-."},  std::pair{'G', "--."},   std::pair{'H', "...."},
    std::pair{'I', ".."},    std::pair{'J', ".---"},  std::pair{'K', "-.-"},   std::pair{'L', ".-.."},
    std::pair{'M', "--"},    std::pair{'N', "-."},    std::pair{'O', "---"},   std::pair{'P', ".--."},
    std::pair{'Q', "--.-"},  std::pair{'R', ".-."},   std::pair{'S', "..."},   std::pair{'T', "-"},
    std::pair{'U', "..-"},   std::pair{'V', "...-"},  std::pair{'W', ".--"},   std::pair{'X', "-..-"},
    std::pair{'Y', "-.--"},  std::pair{'Z', "--.."},  std::pair{'1', ".----"}, std::pair{'2', "..---"},
    std::pair{'3', "...--"}, std::pair{'4', "....-"}, std::pair{'5', "....."}, std::pair{'6', "-...."},
    std::pair{'7', "--..."}, std::pair{'8', "---.."}, std::pair{'9', "----."}, std::pair{'0', "-----"}};

std::optional<std::string> morse_of(char letter) {
    const auto at =
        std::find_if(codes.begin(), codes.end(), [&](const auto& code) { return code.first == letter; });
    return at == codes.end() ? std::nullopt : std::optional<std::string>(at->second);
}

std::optional<Keyed> read_morse(const std::vector<Mark>& marks, double record_s) {
    if (marks.empty()) return std::nullopt;
    // Marks of one length only are dots or dashes: gaps within letters are a dot long either way.
    // One that is cut off at an end of the record says nothing of their length, unless there is no other.
    constexpr double edge_s = 10e-3;
    const auto cut = [&](const Mark& mark) {
        return marks.size() > 1 && (mark.start_s < edge_s || mark.stop_s > record_s - edge_s);
    };
    double shortest = 1e300, longest = 0;
    for (const auto& mark : marks) {
        if (cut(mark)) continue;
        shortest = std::min(shortest, mark.length_s()), longest = std::max(longest, mark.length_s());
    }
    if (longest == 0) shortest = longest = marks.front().length_s();
    double gap = 1e300;
    for (std::size_t i = 1; i < marks.size(); ++i)
        gap = std::min(gap, marks[i].start_s - marks[i - 1].stop_s);
    double dot = shortest;
    if (longest < 2 * shortest && gap < shortest / 2) dot = gap;
    Keyed out;
    std::string code;
    std::size_t dots = 0, dashes = 0;
    const auto end_letter = [&] {
        if (code.empty()) return;
        const auto at =
            std::find_if(codes.begin(), codes.end(), [&](const auto& c) { return code == c.second; });
        out.text += at == codes.end() ? '?' : at->first;
        code.clear();
    };
    for (std::size_t i = 0; i < marks.size(); ++i) {
        const bool dash = marks[i].length_s() >= 2 * dot;
        code += dash ? '-' : '.';
        if (!cut(marks[i])) {
            (dash ? out.dash_s : out.dot_s) += marks[i].length_s();
            ++(dash ? dashes : dots);
        }
        if (i + 1 == marks.size()) break;
        const double pause = marks[i + 1].start_s - marks[i].stop_s;
        if (pause < 2 * dot) continue;
        end_letter();
        if (pause > 5 * dot) out.text += ' ';
    }
    end_letter();
    if (dots > 0) out.dot_s /= static_cast<double>(dots);
    if (dashes > 0) out.dash_s /= static_cast<double>(dashes);
    out.whole = marks.front().start_s > 2 * dot && record_s - marks.back().stop_s > 2 * dot;
    return out;
}

std::vector<Mark> keyed(std::string_view text, double dot_s) {
    std::vector<Mark> out;
    double at = 0;
    for (const char given : text) {
        if (given == ' ') {
            at += 4 * dot_s;  // with the three behind a letter
            continue;
        }
        const char letter = given >= 'a' && given <= 'z' ? static_cast<char>(given - 'a' + 'A') : given;
        const auto code = morse_of(letter);
        if (!code)
            fail_input(in_quotes(std::string(1, given)) + " has no Morse code: letters and digits have");
        for (const char sign : *code) {
            const double length = sign == '-' ? 3 * dot_s : dot_s;
            out.push_back({at, at + length});
            at += length + dot_s;
        }
        at += 2 * dot_s;
    }
    if (out.empty()) fail_input("an identification needs letters");
    return out;
}

}  // namespace rt::landing
