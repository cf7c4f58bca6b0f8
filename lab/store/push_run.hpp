// A run's rows on their way into the shared store.
#pragma once

#include <pqxx/pqxx>

#include "lab/model/record.hpp"
#include "lab/store/shared_store.hpp"
#include "lab/tally/sqlite.hpp"

namespace rt::lab {

// Everything of a run but its row in `run`. Points go in some thousands at a time. Tells how many rows these
// were.
std::size_t put_rows(pqxx::work& work, long long run, const RunRecord& frame, Database& tally);

// Findings of a judgement.
void put_findings(pqxx::work& work, long long run, long long judgement,
                  const std::vector<JudgedFinding>& findings);

}  // namespace rt::lab
