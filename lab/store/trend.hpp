// Margins over many runs, group by group: a unit type over months, a rule over units, bench against bench.
#pragma once

#include <optional>
#include <string>
#include <vector>

#include "lab/report/figure.hpp"
#include "lab/store/finding_query.hpp"

namespace rt::lab {

enum class TrendBy { day, month, year, unit, model, bench, rule, test };
inline constexpr const char* trend_names[] = {"day",   "month", "year", "unit",
                                              "model", "bench", "rule", "test"};
const char* name(TrendBy by);

struct TrendGroup {
    std::string key;         // "2026-05", a serial number, a bench ...
    Unit unit = Unit::none;  // of its margins
    std::size_t runs = 0;
    VerdictCounts verdicts;
    // Of the margins that are there: the smallest, those that a quarter, half and three quarters do not
    // exceed (the first such value of the list), the greatest.
    std::optional<double> lowest, quarter, median, three_quarters, highest;
};

// The unit of a margin against a limit in `unit`: decibels for levels.
Unit margin_unit_of(Unit unit);

// Groups by key, then unit, in their order.
std::vector<TrendGroup> trend_of(const std::vector<FoundFinding>& found, TrendBy by);

// Medians with the middle half, and the smallest margin of each group; 0 is the limit. Throws Error(input)
// where margins have several units, or there are none.
Figure trend_figure(const std::vector<TrendGroup>& groups, TrendBy by, const std::string& title);

}  // namespace rt::lab
