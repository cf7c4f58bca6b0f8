// Campaign files: what to test, how, and by which rules.
#pragma once

#include <filesystem>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "lab/formats/config.hpp"
#include "lab/formats/input_files.hpp"
#include "lab/formats/question_section.hpp"
#include "lab/formats/report_section.hpp"
#include "lab/formats/rulebook_file.hpp"
#include "lab/formats/test_section.hpp"
#include "lab/formats/watch_section.hpp"
#include "lab/report/growing_table.hpp"

namespace rt {

extern const FileInfo campaign_file;

struct Campaign {
    std::string title;
    std::string customer;
    std::string person;  // who carries it out
    std::string note;
    TextPairs unit;         // maker, model, serial ...
    TextPairs environment;  // temperature, humidity ...
    JudgingPresets judging;
    std::filesystem::path bench;      // "" when the campaign names none
    std::vector<Question> questions;  // asked before the run
    std::vector<NamedFile> files;
    std::set<std::string> books;  // ids of the rulebooks it uses
    std::vector<Test> tests;
    std::vector<Watch> watches;
    std::vector<Recheck> rechecks;
    bool confirm_connections = false;
    std::optional<GrowingTable> table;
    ReportHead report;
    Profile profile;
    std::filesystem::path file;
    std::string text;

    // The value of a unit detail, "" when absent.
    std::string unit_detail(std::string_view key) const;
    const Test* find(std::string_view test) const;
};

// Adds the rulebooks that the campaign names to `library`, which must outlive the campaign. Everything is
// checked: procedures, parameters at every axis value, rules, channels, conditions. The parameters of
// `profile` stand above the campaign's own.
Campaign read_campaign(const std::filesystem::path& file, RuleLibrary& library, const InputFiles& files,
                       Profile profile = {});

}  // namespace rt
