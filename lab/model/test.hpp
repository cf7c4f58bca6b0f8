// A test of a campaign: a procedure, swept and judged.
#pragma once

#include <optional>
#include <set>
#include <string>
#include <string_view>
#include <utility>
#include <vector>

#include "core/measure/emission/candidates.hpp"
#include "core/measure/procedure.hpp"
#include "core/rules/judge.hpp"
#include "core/sweep/adjust.hpp"
#include "core/sweep/maximum.hpp"
#include "core/sweep/search.hpp"
#include "core/sweep/sweep.hpp"

namespace rt::lab {

using TextPairs = std::vector<std::pair<std::string, std::string>>;

// One rule that a test is judged by.
struct Judging {
    RuleRef rule;
    Condition when;  // all must match
    JudgeOptions options;

    // `axes` are the names and values of a point, as its record has them; axes of the sweep alone matter.
    bool applies(const Sweep& sweep, const TextPairs& axes) const;
};

// "generator.level": a setting of the instrument in a role.
struct SettingTarget {
    std::string role, setting;
};

// "calibration:NAME" as the value of a setting: the name; "" for a value.
std::string setting_calibration(const std::string& value);

// What a target of an axis or a key of "settings" means; nothing for "parameter.NAME" and "operator".
std::optional<SettingTarget> setting_target(const std::string& target, const std::string& axis);

// Values of an axis that show during the run only: what an earlier test found, or what the bench lists.
struct FoundAxis {
    std::string test;        // earlier test; "" for the bench
    std::string result;      // of its points
    std::string trace = "";  // or candidates of this curve
    std::string table = "";  // or a column of this table
    std::string column = "";
    TextPairs where = {};   // rows of the table with these cells alone
    std::string role = "";  // of the bench: who is asked for its list
    std::string list = "";
    std::string axis = "";  // of a conclusion: the values that its test's points have there
    std::size_t most = 10;
    std::optional<Quantity> apart = {};
    CandidateSettings candidates = {};
    bool ask = false;  // the operator chooses among them

    bool by_bench() const { return test.empty(); }
};

// Where an input of a procedure comes from: an earlier test, the capture of its point with the same values on
// the axes that both share; of a conclusion the results of all its points in the group.
struct Source {
    std::string input;  // "" for the only one of a procedure
    std::string test;
};

// An input that stands in a file, the same at every point.
struct FileSource {
    std::string input;
    std::string reference;  // as the campaign names it
    std::string text;       // that needs no other file
    std::string sha256;     // of the text
};
// Where a run keeps it.
std::string kept_file(const std::string& reference, const std::string& sha256);

// What is switched while a capture runs, so long after it was begun.
struct During {
    double after_s;
    TextPairs settings;  // "interferer.output" = "ON"
};

// A link that must stand before a point is measured.
struct Association {
    std::string asks, is;  // "unit.link", and its answer while it stands
    TextPairs settings;    // one after the other, to have it stand again
    double within_s = 10;
    bool must_hold = false;  // what is measured without it, or while it is lost, is no measurement
};

// A key that steps a setting, or takes its next word, while the signal of a test runs.
struct HandKey {
    std::string setting;  // "generator.deviation"
    char up = '\0', down = '\0';
    std::optional<Quantity> step;
    std::vector<std::string> values;  // instead of a step
};

// A capture of a point that is taken under settings of its own, in the order of these.
struct Take {
    std::string input;
    TextPairs settings;      // besides those of the test, and above them
    std::string instrument;  // role; "" for that of the test
    std::string prompt;      // what the operator has to do first; "" for nothing
};

struct Test {
    std::string name;
    std::string title;
    const Procedure* procedure = nullptr;
    std::string instrument;      // role that delivers the capture
    Parameters parameters{{}};   // the campaign's, then the rules' presets, then the procedure's
    TextPairs settings;          // "ROLE.SETTING" before the test
    std::vector<Take> takes;     // of procedures with several inputs
    std::vector<During> during;  // ascending in time
    std::vector<Association> associations;
    TextPairs
        reads;  // parameters that an instrument is asked for at each point: "reported_level", "unit.rssi"
    std::vector<Source> sources;
    std::vector<FileSource> files;
    bool concludes = false;  // from results of other tests: nothing is measured
    std::string over;        // of a conclusion: the axis of these that it runs over; "" for all points
    std::vector<Judging> judgings;
    Sweep sweep;
    std::optional<Search> search;      // in place of a last axis
    std::optional<Adjust> adjust;      // each point looks for the setting at which a result meets its target
    std::optional<Maximise> maximise;  // each point is measured where this is highest
    std::optional<FoundAxis> found;    // where the values of the last axis come from
    std::optional<double> duration_s;  // the sweep is repeated for so long
    bool until_stopped = false;        // or until somebody ends the test
    bool repeats_whole() const { return duration_s || until_stopped; }
    std::string note;
    std::string trend;         // "rising", "falling", "": of the first result over the last axis
    std::string prompt;        // what the operator has to do before the test; "" for nothing
    std::string prompt_after;  // what he reads behind it, and may have it measured again; "" for nothing
    std::vector<HandKey> hand_keys;  // before its points, where somebody is there
    bool bell = false;               // the terminal's bell rings when a capture is there
    std::string look;                // what the operator looks at before a capture counts; "" for nothing
    std::string power_cycle;         // role of the supply that is switched off and on before the test
    std::string provides;            // name of the calibration that its results are; "" for none
    std::string provides_result;     // which result, tabulated over the axis that sets a frequency
    std::optional<double> valid_for_s;
    std::vector<std::string> needs;  // calibrations that must be in force
    bool selects_only = false;       // its rules choose candidates, nothing is judged by them
    int redo = 1;                    // of a point with an unexpected signal, when nobody is there
    std::string where;               // file:line:column

    // Whether the bench is needed at all: not when everything comes from earlier tests.
    bool measures() const;
    // Points come of trials: what these came to is judged, not they.
    bool by_trials() const { return search || adjust; }
    // Names of what the trials come to, the value looked for first; empty for other tests.
    std::vector<std::string> gives() const;
    // Calibrations that settings come from: "calibration:NAME" in place of a value.
    std::set<std::string> settings_from() const;
    // Other tests whose results are limits here.
    std::set<std::string> limits_from() const;
    // The instrument that measures it, or the tests that it is made from: "from scan over level".
    std::string origin() const;
    const Source* source_of(const std::string& input) const;
    // Whether it comes from another test or a file.
    bool given(const std::string& input) const;
    const Take* take_of(const std::string& input) const;

    // Whether a point gets a finding by one of the test's judgings. Trials lead to one that does.
    bool judges(const Judging& judging, bool trial, const TextPairs& axes) const {
        return !selects_only && !trial && judging.applies(sweep, axes);
    }
    // The parameters of one point: axis values put over the test's own. Throws Error(input).
    Parameters parameters_at(const Point& point) const { return parameters_at(sweep, point); }
    // What the instrument is asked for at a point; of a search, at the end that should hold.
    CaptureSetup setup_at(const Point& point) const;
    // The parameters of a trial of a search, whose sweep has an axis more.
    Parameters parameters_at(const Sweep& swept, const Point& point) const;
};

// Values at which a search is tried besides what it needs: each limit that judges what it gives, and where
// margins to it become marginal. With the axes of a point only what judges there.
std::vector<Quantity> confirmations(const Test& test, const TextPairs* axes = nullptr);

// True when a value of the axis changes what is measured.
bool sets_parameter(const Axis& axis);

// What the campaign says of judging, where a test or a rule of it says nothing.
struct JudgingDefaults {
    std::optional<double> marginal_db;
    Decision decision = Decision::simple;
};

}  // namespace rt::lab
