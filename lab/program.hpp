// Programs of the user's that the tool starts: the unit's own, an analysis of one's own.
#pragma once

#include <cstddef>
#include <filesystem>
#include <string>
#include <vector>

namespace rt::lab {

struct ProgramEnd {
    std::string trouble;  // why it did not do its work, in a few words; "" when it ended with code 0
    std::string output;   // what it wrote on standard output
    std::string said;     // the end of what it wrote on standard error
};

struct ProgramCall {
    std::vector<std::string> words;  // the program, found as written, and its arguments
    std::filesystem::path input;     // read by it from standard input; "" for nothing
    double timeout_s = 10;
    std::size_t most_output = 1 << 20;  // bytes; more ends it
};

// Runs it until it ends, and ends it, with whatever it has started, when it takes longer or says more.
ProgramEnd run_program(const ProgramCall& call);

// The last line of a text, in quotes; "" of an empty one.
std::string last_line(const std::string& text);

}  // namespace rt::lab
