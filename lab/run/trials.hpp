// What searches and adjustments came to: outcomes, and tables of their trials.
#pragma once

#include <string>
#include <vector>

#include "core/outcome/outcome.hpp"
#include "core/sweep/adjust.hpp"
#include "core/sweep/search.hpp"
#include "lab/model/record.hpp"

namespace rt::lab {

Outcome outcome_of(const Search& what, const ThresholdSearch& search, const std::vector<PointRecord>& trials);
std::string table_of(const Search& what, const std::vector<PointRecord>& trials);

Outcome outcome_of(const Adjust& what, const Adjustment& adjustment, const std::vector<PointRecord>& trials);
std::string table_of(const Adjust& what, const std::vector<PointRecord>& trials);

}  // namespace rt::lab
