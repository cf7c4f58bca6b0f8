// What searches and adjustments came to: outcomes, and tables of their trials.
#pragma once

#include <string>
#include <vector>

#include "core/outcome/outcome.hpp"
#include "core/sweep/adjust.hpp"
#include "core/sweep/maximum.hpp"
#include "core/sweep/search.hpp"
#include "lab/model/record.hpp"

namespace rt::lab {

Outcome outcome_of(const Search& what, const ThresholdSearch& search, const std::vector<PointRecord>& trials);
std::string table_of(const Search& what, const std::vector<PointRecord>& trials);

Outcome outcome_of(const Adjust& what, const Adjustment& adjustment, const std::vector<PointRecord>& trials);
std::string table_of(const Adjust& what, const std::vector<PointRecord>& trials);

// Where it is highest, and how high by the trials: highest_NAME, and a result of the name of each axis.
Outcome outcome_of(const Maximise& what, const MaximumSearch& search, const std::vector<PointRecord>& trials);
std::string table_of(const Maximise& what, const std::vector<PointRecord>& trials);

}  // namespace rt::lab
