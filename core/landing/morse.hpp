// International Morse code (ITU-R M.1677).
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

namespace rt::landing {

// ".-" for 'A'; nothing for what has no code.
std::optional<std::string> morse_of(char letter);

// Times at which a tone is on.
struct Mark {
    double start_s, stop_s;
    double length_s() const { return stop_s - start_s; }
};

struct Keyed {
    std::string text;   // letters, a space where a gap is longer than five dots; '?' for a code of none
    double dot_s = 0;   // mean of the dots
    double dash_s = 0;  // mean of the dashes; 0 without any
    bool whole = true;  // false when a letter touches an end of the record
};

// Dots and dashes by the shortest mark: a mark of two dots or more is a dash, a gap of two or more ends a
// letter. Nothing where there are no marks.
std::optional<Keyed> read_morse(const std::vector<Mark>& marks, double record_s);

// The marks of a text, letter after letter: dash three dots, gap one, between letters three, for a space
// seven. Throws Error(input) for what has no code.
std::vector<Mark> keyed(std::string_view text, double dot_s);

}  // namespace rt::landing
