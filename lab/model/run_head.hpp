// What stands at the head of a run: who, what, when, how it ended.
#pragma once

#include <map>
#include <string>
#include <utility>
#include <vector>

#include "core/rules/finding.hpp"
#include "core/rules/judge.hpp"

namespace rt::lab {

enum class RunState {
    running,   // or cut off while it ran
    complete,  // everything planned was measured
    stopped,   // by the operator, a watch, or because something is missing
    aborted,   // by an error
};
const char* name(RunState state);

struct RunHead {
    using Texts = std::map<std::string, std::string>;

    std::string title, customer, operator_name, note;
    std::string bench, version, profile, defaults;
    std::string started, ended;  // UTC, ISO 8601; ended is "" of a run that was cut off
    RunState state = RunState::running;
    Decision decision = Decision::simple;
    std::vector<std::string> selection;  // names of the tests chosen; empty for all
    std::string table;                   // the file that grows by a row a run; "" for none
    Texts unit;                          // maker, model, serial ...
    Texts environment, answers;          // by name, answers by question
    Texts report;                        // what stands around the results
    Texts budgets;                       // uncertainties in words, by number
    Texts references;                    // of rechecks: the value they go by, by recheck
    Texts found;                         // of axes that the bench lists: the values, one a line, by test
    Texts further;                       // of a tally that knows more

    // A detail of the unit, "" when absent.
    std::string detail(const std::string& name) const;
};

struct RunRecord;
struct FileRecord;

// The head as names and texts, as a tally keeps it and patterns and templates name it: "unit.serial".
RunHead::Texts facts_of(const RunRecord& run);
// A file that came with a correction of the bench, the `number`th of it: name and text.
std::pair<std::string, std::string> fact_of(const FileRecord& file, std::size_t number);
// One of them taken in; the tests of the run are known already.
void take_fact(RunRecord& run, const std::string& name, const std::string& value);

}  // namespace rt::lab
