// The tally: the record of a run in one SQLite file, tally.sqlite. Its tables are described in docs/tally.md.
#pragma once

#include <filesystem>
#include <memory>

#include "lab/tally/record.hpp"

namespace rt {

inline constexpr int tally_schema = 1;  // PRAGMA user_version
inline constexpr const char* tally_file = "tally.sqlite";

class Tally {
  public:
    // Throws Error(input) if the folder holds a tally already or cannot be made.
    static Tally create(const std::filesystem::path& folder);
    // Throws Error(input) for a folder without a tally, one that SQLite cannot read, or another schema.
    static Tally open(const std::filesystem::path& folder);

    ~Tally();
    Tally(Tally&&) noexcept;

    // Everything known before the first point, in one transaction.
    void begin(const RunRecord& run);
    // One point with its capture, results and findings: one durable transaction. When this returns, the point
    // survives a power cut.
    void add(const PointRecord& point);
    void add(const EventRecord& event);
    void set_fact(const std::string& name, const std::string& value);

    RunRecord read();

  private:
    struct State;
    explicit Tally(std::unique_ptr<State> state);
    std::unique_ptr<State> state_;
};

// Now, UTC, as 2026-05-04T08:15:30.123Z.
std::string utc_now();
// Today's local date as 2026-05-04.
std::string today();

}  // namespace rt
