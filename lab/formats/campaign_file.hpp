// Campaign files: what to test, how, and by which rules.
#pragma once

#include <filesystem>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "core/measure/procedure.hpp"
#include "core/rules/judge.hpp"
#include "core/sweep/sweep.hpp"
#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/formats/question_section.hpp"
#include "lab/formats/rulebook_file.hpp"
#include "lab/formats/sweep_section.hpp"

namespace rt {

extern const FileInfo campaign_file;

using TextPairs = std::vector<std::pair<std::string, std::string>>;

// One rule that a test is judged by.
struct Judging {
    RuleRef rule;
    Condition when;  // all must match
    JudgeOptions options;

    bool applies(const Sweep& sweep, const Point& point) const;
};

struct Test {
    std::string name;
    std::string title;
    const Procedure* procedure = nullptr;
    std::string instrument;   // role that delivers the capture
    Parameters parameters;    // the campaign's, then the rules' presets, then the procedure's
    TextPairs unit_settings;  // what the unit is set to before the test
    std::vector<Judging> judgings;
    Sweep sweep;
    std::string note;
    std::string prompt;  // what a person has to do before the test; "" for nothing
    std::string place;   // file:line:column

    // The parameters of one point: axis values put over the test's own. Throws Error(input).
    Parameters parameters_at(const Point& point) const;
};

struct Campaign {
    std::string title;
    std::string customer;
    std::string person;  // who carries it out
    std::string note;
    TextPairs unit;         // maker, model, serial ...
    TextPairs environment;  // temperature, humidity ...
    std::optional<double> marginal_db;
    std::filesystem::path bench;      // "" when the campaign names none
    std::vector<Question> questions;  // asked before the run
    std::vector<NamedFile> files;
    std::set<std::string> books;  // ids of the rulebooks it uses
    std::vector<Test> tests;
    std::filesystem::path file;
    std::string text;

    // The value of a unit detail, "" when absent.
    std::string unit_detail(std::string_view key) const;
};

// Adds the rulebooks that the campaign names to `library`, which must outlive the campaign. Everything is
// checked: procedures, parameters at every axis value, rules, channels, conditions.
Campaign read_campaign(const std::filesystem::path& file, RuleLibrary& library, const InputFiles& files);

}  // namespace rt
