// The chain of hashes over a tally: each entry's hash covers the one before and what was written with it, so
// that nothing can be altered, left out or put in between unseen. Where it ends is noted beside it as well,
// so that its end cannot be cut off unseen.
#pragma once

#include <filesystem>
#include <memory>
#include <string>
#include <vector>

#include "lab/tally/sqlite.hpp"

namespace rt::lab {

class Chain {
  public:
    explicit Chain(Database& database);
    ~Chain();

    // Files and tests of the run, at its beginning.
    void begin();
    // Rows just written, by their key: a point (position), an event or calibration (number).
    void link(const std::string& kind, std::size_t key);
    // Readings of watches up to the last one written.
    void link_samples();
    // What may change later, with what it is now: a fact, an instrument, the standing of a point.
    void link_state(const std::string& kind, const std::string& key, const std::string& text);

  private:
    struct State;
    std::unique_ptr<State> state_;
};

// The last hash; "" of an empty chain.
std::string chain_seal(Database& database);

// How an event says from which state of the chain a run is carried on.
std::string resumed_from(Database& database);

// Row by row as text; what link_state() keeps of an instrument or a point's standing.
std::string instrument_text(Database& database, const std::string& role);
std::string standing_text(const std::string& standing, const std::string& cause, const std::string& reason);

// The end of the chain after every transaction, as lines "ENTRIES HASH" in a file of its own: `tally.seals`.
// One that was killed between the two may lack its last line.
class SealList {
  public:
    explicit SealList(const std::filesystem::path& folder);
    // A new run: whatever stands there is from one that had not begun.
    void begin() const;
    void note(Database& database) const;

  private:
    std::filesystem::path file_;
    mutable std::size_t noted_ = 0;  // last entry that a line was written for
};

struct Verification {
    std::vector<std::string> altered;  // what does not fit, each in a line
    std::vector<std::string> outside;  // files in the folder that the chain does not cover, each with why
    std::size_t entries = 0, files = 0;
    std::string seal;  // the last hash: stands for everything before
};

// The chain and all tables under it, without the files. Never throws for what was altered.
Verification verify_chain(Database& database, const std::filesystem::path& folder);

// Throws Error(input) with the first thing that is not as it was written.
void require_unaltered(Database& database, const std::filesystem::path& folder);

// Throws Error(input): the run has something, said in `what`, that is not as it was written.
[[noreturn]] void fail_altered(const std::filesystem::path& folder, const std::string& what);

// Goes through the chain, and through all files of the run folder that the tally names.
Verification verify_run(const std::filesystem::path& folder);

}  // namespace rt::lab
