// How one family of instruments is spoken to.
#pragma once

#include <cstdint>
#include <filesystem>
#include <map>
#include <optional>
#include <string>
#include <vector>

#include "lab/model/named_file.hpp"
#include "lab/model/role_kinds.hpp"

namespace rt::lab {

enum class NumberForm { ascii, real64, real32, int8, int16, int32 };

// How a trace or a record comes. Without a statement of the dialect: 64-bit numbers, little-endian.
struct DataForm {
    NumberForm form = NumberForm::real64;
    bool big_endian = false;
    std::vector<std::string> commands = {};  // which answers; all of them without any
    // What the instrument answers when it is asked for its form and byte order; "" where it is not compared.
    std::string says_form = "REAL,64", says_order = "SWAPped";
    // Whole numbers that stand for (number - reference) x increment + origin. Each is a field of the answer
    // to query_preamble, from 1, or, with 0, the answer to query_increment, query_origin, query_reference.
    struct Scale {
        std::size_t increment = 0, origin = 0, reference = 0, points = 0;
    };
    std::optional<Scale> scale = {};
};

// How the end of a command shows that answers nothing itself: by asking until it does.
struct Completion {
    std::string ask;
    std::uint32_t bits = 0;  // of a number: over when none of these is set (or any, with `when_set`)
    bool when_set = false;
    std::string answer;  // or over when it answers this
    double every_s = 0.01;
    bool by_request = false;  // by a service request; then `ask`, if any, must say that it is over
};

// Something that an instrument tells of itself, in a register: while it is so nothing gets a verdict.
struct StateBits {
    std::string means;  // "unlevelled"
    std::string ask;
    std::uint32_t bits = 0;
    bool when_clear = false;  // so when none of the bits is set: a lock that is lost
};

// Settings that are sent by one command.
struct Together {
    std::vector<std::string> settings;
    std::string command;  // with {NAME} for each of them
};

// Commands by what they are for, with {placeholders} for values.
struct Dialect {
    std::string id;
    std::string title;
    const RoleKind* kind = nullptr;
    std::map<std::string, std::string> commands;
    std::map<std::string, std::string> detectors;   // detector name to its word
    long long overload_mask = 0;                    // bits of the status register that mean overload
    std::vector<DataForm> data;                     // the first that fits counts
    std::map<std::string, Completion> completions;  // by command
    std::map<std::string, double> tolerances;       // of settings that are read back, in their own unit
    std::map<std::string, double> greatest;         // that settings take, in their own unit; "samples"
    std::vector<StateBits> states;
    std::vector<std::string> order;  // of settings; those that are not in it come last
    std::vector<Together> together;
    std::map<std::string, std::string> parameters;  // of a network analyser: S21 to its word
    bool level_is_mean = false;  // of a generator that plays samples: of their mean power, not of |x| = 1
    char quote = '"';            // round words that need it; 0 for none
    Unit levels = Unit::none;    // in which levels come, where it cannot be told a unit
    double wake_s = 0;           // waited after connecting, before the first question
    bool greets = false;         // says something by itself then
    std::filesystem::path file;
    std::string text;
    std::vector<NamedFile> bases;  // the dialects that it is like, as they name each other

    bool knows(const std::string& command) const { return commands.contains(command); }
    const Together* sent_together(const std::string& setting) const;
    // How the answer to a command comes; `otherwise` where nothing is stated.
    DataForm form_of(const std::string& command, const DataForm& otherwise = {}) const;
};

}  // namespace rt::lab
