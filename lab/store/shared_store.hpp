// The same tally for a lab with many benches: runs in a PostgreSQL database. Captures stay in the run
// folders; the store has their hashes.
#pragma once

#include <memory>
#include <string>

#include "lab/store/finding_query.hpp"
#include "lab/tally/run_data.hpp"

namespace rt::lab {

enum class Pushed {
    fresh,     // the run was not there
    same,      // it was there, with the same seal: nothing to do
    replaced,  // it was there in an earlier state
};

class SharedStore {
  public:
    // `address` as libpq takes it: "postgresql://lab@store.example/tally". Makes the tables where they are
    // not there. Throws Error(bench) when it cannot be reached, Error(input) for a schema of another
    // version.
    explicit SharedStore(const std::string& address);
    ~SharedStore();
    SharedStore(const SharedStore&) = delete;
    SharedStore& operator=(const SharedStore&) = delete;

    // All or nothing, in one transaction.
    Pushed push(const RunData& run);
    std::vector<FoundFinding> find(const FindingQuery& query);

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
