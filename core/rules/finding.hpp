// One result against one rule.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "core/quantity/quantity.hpp"

namespace rt {

enum class Verdict { pass, marginal, fail, none };

const char* name(Verdict verdict);  // "PASS", "MARGINAL", "FAIL", "NONE"
std::optional<Verdict> parse_verdict(std::string_view text);

// Without a verdict (NONE) limit, value and margin are empty: there is no number that could look valid.
struct Finding {
    std::string rule;  // "cispr-32/mains-b-qp"
    std::string title;
    std::string clause;
    Unit unit = Unit::db;  // of limit, value and margin (a margin between levels is in dB)
    std::optional<double> limit;
    std::optional<double> value;
    std::optional<double> margin;  // positive inside the limit
    Verdict verdict = Verdict::none;
    std::string reason;          // why NONE; for others what the verdict rests on, may be empty
    std::optional<Quantity> at;  // where on the trace
    bool at_offset = false;      // `at` counts from the carrier (masks)
    std::size_t points_judged = 0;
    std::size_t points_beyond = 0;
    // With a declared uncertainty, in the unit of the margin: expanded (k = 2); by how much the limit was
    // tightened; and the chance that a value that passes is in truth beyond the limit.
    std::optional<double> uncertainty, guard, wrong_pass;
    std::vector<std::string> deviations;  // "not per the standard": what was changed

    Unit margin_unit() const { return is_decibel(unit) ? Unit::db : unit; }
};

// Significant digits that value and limit need, so that they differ by as much as two digits of the margin.
int digits_of(const Finding& finding);

// Value and limit with their unit as a person writes them: "53.20 dBµV", "51.990 MHz", "3"; "-" without one.
// The limit says on which side it stands: "≤ 50.00 dBµV".
std::string value_text(const Finding& finding);
std::string limit_text(const Finding& finding);

// The margin with its unit: "2.36 dB", "110 ns"; "-" without one.
std::string margin_text(const Finding& finding);

struct VerdictCounts {
    std::size_t pass = 0, marginal = 0, fail = 0, none = 0;

    void add(Verdict verdict, std::size_t times = 1);
    void add(const VerdictCounts& others);
    // The one that a reader must hear of first; NONE where nothing was judged.
    Verdict worst() const;
    std::size_t total() const { return pass + marginal + fail + none; }
};

// Where on the trace: "7.37 MHz", or "fc − 3.9 MHz" for an offset; "" without a place.
std::string place_text(const Finding& finding);

// FAIL before NONE before MARGINAL before PASS, then by margin: the order in which people want to read them.
bool reads_before(const Finding& a, const Finding& b);

}  // namespace rt
