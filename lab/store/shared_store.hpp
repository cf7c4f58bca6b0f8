// The same tally for a lab with many benches: runs in a PostgreSQL database. Captures stay in the run
// folders; the store knows them by their hashes.
#pragma once

#include <filesystem>
#include <memory>
#include <string>

#include "lab/store/finding_query.hpp"
#include "lab/store/trend.hpp"

namespace rt::lab {

enum class Pushed {
    fresh,     // the run was not there
    same,      // it was there, with the same seal: nothing to do
    replaced,  // it was there in an earlier state; judgements of that one are gone with it
};

// A finding that a kept run has by other rules.
struct JudgedFinding {
    std::size_t position = 0;  // of its point
    Finding finding;
};

// All of a run's findings judged once more, under a name such as "edition of 2027".
struct Judgement {
    std::string name;
    std::string books;  // the rulebooks with their editions, in words
    std::vector<JudgedFinding> findings;
};

class SharedStore {
  public:
    // `address` as libpq takes it: "postgresql://lab@store.example/tally". Makes the tables where they are
    // not there, and brings those of an earlier version up to now. Throws Error(bench) when it cannot be
    // reached, Error(input) for a schema that is later than this program.
    explicit SharedStore(const std::string& address);
    ~SharedStore();
    SharedStore(const SharedStore&) = delete;
    SharedStore& operator=(const SharedStore&) = delete;

    // All or nothing, in one transaction; memory does not grow with the run. Throws Error(input) for a folder
    // that is no run, or not as it was written.
    Pushed push(const std::filesystem::path& run);
    // In place of an earlier one of this name. Throws Error(input) for a run that is not in the store as it
    // is now.
    void put(const std::filesystem::path& run, const Judgement& judgement);

    std::vector<FoundFinding> find(const FindingQuery& query);
    // Over all that the query finds, however many; its `most` does not count.
    std::vector<TrendGroup> trend(const FindingQuery& query, TrendBy by);
    std::vector<FoundCapture> find_capture(const std::string& hash);

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
