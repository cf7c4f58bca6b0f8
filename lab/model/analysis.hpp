// A measurement of the user's own: a program that is asked, declared in a text file.
#pragma once

#include <deque>
#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "core/measure/procedure.hpp"

namespace rt::lab {

// What the program may answer.
struct AnswerColumn {
    std::string name, help;
    Unit unit = Unit::none;
};

struct AnswerTrace {
    std::string name, title;
    Unit unit = Unit::none, x_unit = Unit::none;
    bool log_x = false, dots = false;
};

struct Analysis {
    std::string name;  // "own.ring-down"
    std::string title;
    const Procedure* taken_like = nullptr;  // whose captures it takes, asked for in the same way
    std::filesystem::path program;
    std::vector<std::string> arguments;
    double timeout_s = 60;
    std::vector<std::string> own_parameters;
    std::vector<AnswerColumn> results;
    std::vector<AnswerTrace> traces;
    std::filesystem::path file;
    std::string text;       // of the file
    std::string reference;  // as a campaign names it; "" for one of the command line
    std::string program_reference;
    std::string digest;  // SHA-256 of the program; "" of a kept run, which starts no programs
};

// The same as a procedure, with the texts that it points to.
struct OwnProcedure {
    Analysis analysis;
    std::deque<std::string> texts;
    std::vector<ParameterInfo> parameters;
    std::vector<Product> traces, results;
    std::vector<InputInfo> inputs;
    Procedure procedure{};

    OwnProcedure() = default;
    OwnProcedure(const OwnProcedure&) = delete;
    OwnProcedure& operator=(const OwnProcedure&) = delete;

    const char* keep(std::string text) { return texts.emplace_back(std::move(text)).c_str(); }
};

}  // namespace rt::lab
