// A campaign: what to test, how, and by which rules.
#pragma once

#include <filesystem>
#include <memory>
#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <vector>

#include "lab/model/analysis.hpp"
#include "lab/model/named_file.hpp"
#include "lab/model/profile.hpp"
#include "lab/model/question.hpp"
#include "lab/model/report_wishes.hpp"
#include "lab/model/watch.hpp"

namespace rt::lab {

struct Campaign {
    std::string title;
    std::string customer;
    std::string operator_name;  // who carries it out
    std::string note;
    TextPairs unit;                          // maker, model, serial ...
    std::string unit_says, unit_says_where;  // the role that says who the unit is; "" for none
    TextPairs environment;                   // temperature, humidity ...
    JudgingDefaults judging;
    std::filesystem::path bench;      // "" when the campaign names none
    std::vector<Question> questions;  // asked before the run
    std::vector<NamedFile> files;
    std::set<std::string> books;                                // ids of the rulebooks it uses
    std::vector<std::shared_ptr<const OwnProcedure>> analyses;  // users' own that its tests may name
    std::vector<Test> tests;
    TextPairs left_out;  // tests that do not apply to the unit, with why
    std::vector<Watch> watches;
    std::vector<Recheck> rechecks;
    bool confirm_connections = false;
    std::optional<GrowingTable> table;
    ReportHead report;
    Profile profile;
    std::string defaults;  // what was taken from defaults of lab and person, and where from; "" for nothing
    std::string defaults_text;  // these, for the copies of a run; "" for none
    std::filesystem::path file;
    std::string text;

    // The value of a unit detail, "" when absent.
    std::string unit_detail(std::string_view key) const;
    const Test* find(std::string_view test) const;
    // One of the analyses by its procedure's name; null for a procedure of the catalogue.
    const OwnProcedure* own_procedure(std::string_view name) const;
};

}  // namespace rt::lab
