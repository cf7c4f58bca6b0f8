// Findings as JUnit XML, for programs that watch test runs.
#pragma once

#include <string>

#include "lab/model/record.hpp"

namespace rt::lab {

// One suite a test, one case a finding. FAIL is a failure, NONE an error (it could not be judged), MARGINAL
// and PASS pass; value, limit and margin stand in the case's output. Characters that XML does not have are
// left out.
std::string junit_xml(const RunRecord& run);

}  // namespace rt::lab
