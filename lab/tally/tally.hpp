// The tally: the record of a run in one SQLite file, tally.sqlite. Its tables are described in docs/tally.md.
#pragma once

#include <filesystem>
#include <functional>
#include <memory>

#include "lab/model/record.hpp"

namespace rt::lab {

inline constexpr int tally_schema = 6;         // PRAGMA user_version
inline constexpr int oldest_tally_schema = 3;  // that can be read
inline constexpr const char* tally_file = "tally.sqlite";

class Tally {
  public:
    // A new run. `prepare` is called once the folder is ours, and gives everything known before the first
    // point: facts, tests, instruments, files. A run killed before that is kept has not begun and leaves the
    // folder free. Throws Error(input) if the folder holds a run already, cannot be made or written, or is
    // being written.
    static Tally create(const std::filesystem::path& folder, const std::function<RunRecord()>& prepare);
    // To read. A folder that cannot be written is read as it is. Throws Error(input) for a folder without a
    // tally, one that SQLite cannot read, or a schema that is not known.
    static Tally open(const std::filesystem::path& folder);
    // The same, to carry the run on. Throws Error(input) while another process does, for a run begun with an
    // older schema, and for one that was altered (chain.hpp).
    static Tally open_to_write(const std::filesystem::path& folder);

    ~Tally();
    Tally(Tally&&) noexcept;

    // One point with its capture, results and findings: one durable transaction. When this returns, the point
    // survives a power cut. Earlier attempts at the same id become superseded by it. `samples` of watches go
    // with it.
    void add(const PointRecord& point, const std::vector<SampleRecord>& samples = {});
    void add(const CalibrationRecord& calibration);
    void add(const std::vector<SampleRecord>& samples);
    // Takes the verdicts of these points (by position) back.
    void void_points(const std::vector<std::size_t>& positions, Cause cause, const std::string& reason);
    // Sets these points (by position) aside: the run measures them again.
    void supersede(const std::vector<std::size_t>& positions, const std::string& reason);
    // The bench is another one from here on: its files, the event that says so, what the head says of it, and
    // the points that are measured again for it, all or nothing.
    struct Correction {
        std::vector<FileRecord> files;
        EventRecord event;
        RunHead::Texts facts;
        std::vector<std::size_t> again;  // positions
    };
    void correct(const Correction& what, const std::string& reason);
    void add(const EventRecord& event);
    // Who answered; replaces what was known of a role.
    void put_instruments(const std::vector<InstrumentRecord>& instruments);
    void set_fact(const std::string& name, const std::string& value);
    void set_state(RunState state) { set_fact("state", name(state)); }

    // The tables themselves, for what is made of them elsewhere. Throws as open() does.
    static void look_at(const std::filesystem::path& folder,
                        const std::function<void(class Database&)>& look);

    // From which state of the chain it is carried on, for the event that says so.
    std::string state_text();
    RunRecord read();
    // All of it but its points, and these one after another, superseded ones too: memory does not grow with
    // the run.
    RunRecord read_frame();
    void each_point(const std::function<void(PointRecord&&)>& take);
    // Verdicts of all points that are not superseded, and how many points these are, without reading them.
    VerdictCounts counts();
    std::size_t points();

  private:
    struct State;
    explicit Tally(std::unique_ptr<State> state);
    static Tally open(const std::filesystem::path& folder, int more_flags);
    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
