// Published limits as data: a rulebook holds rules, each with its clause, conditions and origin.
#pragma once

#include <optional>
#include <string>
#include <utility>
#include <variant>
#include <vector>

#include "core/quantity/quantity.hpp"
#include "core/rules/limit_line.hpp"
#include "core/signal/detector.hpp"

namespace rt {

// An emission mask around a carrier. Offsets are |f - fc| when symmetric, else f - fc. With both parts given,
// `both` means each must hold (the lower level counts) and `either` that one is enough (the higher counts).
struct Mask {
    enum class Combine { both, either };

    std::optional<LimitLine> relative;  // dB above the reference level
    std::optional<LimitLine> absolute;  // in the rule's unit
    Combine combine = Combine::both;
    bool symmetric = true;

    // The level that counts at an offset when 0 dB of the relative part is `reference`, and which part sets
    // it.
    struct Level {
        double level;
        bool relative;
    };
    std::optional<Level> at(double offset, double reference) const;
};

// Bounds of a single value, in the rule's unit. At least one is present.
struct Bound {
    std::optional<double> min;
    std::optional<double> max;
};

// A row of a table of bounds: what must be so for it to count ("parameter.rate", "axis.band", "unit.class",
// "result.power" of the same outcome; a value, or "1 GHz to 2 GHz", the first included, the second not), and
// the bound.
struct BoundRow {
    std::vector<std::pair<std::string, std::string>> when;
    Bound bound;
};

// What is enough by itself, whatever the rule's own limit says: another result of the same outcome that is at
// most so much (a neighbour below an absolute power, whatever the ratio).
struct Enough {
    std::string result;
    Quantity max;
};

// How much an entered value is to be trusted before the lab has checked it.
enum class Confidence { sure, fairly_sure, unsure };

const char* name(Confidence confidence);
std::optional<Confidence> parse_confidence(std::string_view text);

struct SignOff {
    std::string by;
    std::string on;        // ISO date
    std::string document;  // the lab's copy
};

struct Rule {
    std::string id;  // "mains-b-qp"; unique in its rulebook
    std::string title;
    std::string clause;
    std::string quantity;    // "disturbance voltage"
    std::string applies_to;  // name of the trace or result it judges
    Unit unit = Unit::db;
    std::variant<LimitLine, Mask, Bound> limit = Bound{};
    // Of a bound that is not the same everywhere: rows, of which exactly one must fit ...
    std::vector<BoundRow> rows = {};
    // ... or the value of a result: "tx_power_high" of the same outcome, "module/tx_power_high" of another
    // test.
    std::string min_from = {}, max_from = {};
    std::optional<Enough> enough = {};  // bounds only
    std::optional<Detector> detector;
    std::optional<Quantity> bandwidth;
    std::vector<std::pair<std::string, std::string>> conditions;  // further ones: port, class, distance ...
    std::vector<std::pair<std::string, std::string>> presets;     // procedure parameters the clause fixes
    std::optional<double> marginal;                  // margins below this are MARGINAL; in the rule's unit
    std::optional<double> allowed_uncertainty = {};  // expanded, that the standard allows for (Ucispr)
    std::optional<double> cover_to;  // masks without outer end: how far the trace must reach at least
    std::optional<double> least_observation_s = {};  // how long the signal must have been observed
    // What has no meaning unless somebody states it: a parameter ("gain"), a detail of the unit
    // ("unit.class"), a property of the instrument ("instrument.bandwidth >= 2 GHz").
    std::vector<std::string> needs_stated = {};
    std::string basis;
    Confidence confidence = Confidence::fairly_sure;
    std::string note;
    std::optional<SignOff> sign_off;
    std::string changed_from =
        {};  // "i2c/fast-low" of a rule that a lab's own book states anew; "" otherwise

    // Who signed off another text of it than it has now; "" otherwise.
    std::string lapsed_sign_off = {};

    const LimitLine* line() const { return std::get_if<LimitLine>(&limit); }
    const Mask* mask() const { return std::get_if<Mask>(&limit); }
    // Empty for one whose rows or results are to be looked up: see resolved().
    const Bound* bound() const { return std::get_if<Bound>(&limit); }
    bool looked_up() const { return !rows.empty() || !min_from.empty() || !max_from.empty(); }
};

// Channel numbers of a standard: number k from first to last lies at base + (k - first) spacing.
struct ChannelPlan {
    std::string id;
    int first = 0;
    int last = 0;
    double base_hz = 0;
    double spacing_hz = 0;

    std::optional<double> frequency_hz(int channel) const;
};

struct Rulebook {
    std::string id;  // "cispr-32"
    std::string title;
    std::string standard;
    std::string edition;
    std::string basis;
    std::string layered_on;  // id of the book whose rules hold unless this one states them anew
    std::vector<Rule> rules;
    std::vector<ChannelPlan> plans;

    const Rule* find(std::string_view rule_id) const;
    const ChannelPlan* find_plan(std::string_view plan_id) const;
};

// A rule together with the book it stands in: what a finding cites. Neither is owned.
struct RuleRef {
    const Rulebook* book = nullptr;
    const Rule* rule = nullptr;

    std::string full_id() const { return book->id + "/" + rule->id; }
};

// The default of "marginal" for levels (any decibel unit), unless campaign or rule say otherwise: 3 dB. Other
// units have none.
double default_marginal(Unit unit);

}  // namespace rt
