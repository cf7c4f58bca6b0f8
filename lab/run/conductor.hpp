// The order of a run: prompts, calibrations, points, searches, rechecks, watches.
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <set>
#include <vector>

#include "lab/run/found_values.hpp"
#include "lab/run/grounds.hpp"
#include "lab/run/measured.hpp"
#include "lab/run/owed.hpp"
#include "lab/run/pace.hpp"
#include "lab/run/point_maker.hpp"
#include "lab/run/runner.hpp"
#include "lab/run/stability.hpp"

namespace rt::lab {

class Conductor {
  public:
    Conductor(const Plan& plan, const std::filesystem::path& folder, Tally& tally, BenchConnection& bench,
              RunListener& listener, const RunOptions& options);

    // What an earlier part of the run has measured: its frame here, its points in the tally.
    void know(const RunRecord& earlier);
    RunEnd run();

  private:
    enum class Flow { go, skip_test, stop };

    // A point of an earlier part, as a recheck that follows asks for it.
    struct Earlier {
        std::string test;
        bool trial = false;
        std::uint64_t id = 0;
        std::size_t position = 0;
    };
    void know(const PointRecord& record, std::map<std::string, std::vector<Earlier>>& open);

    void zero_instruments();
    Flow confirm_connections();
    void leave_probes();
    Flow run_stretch(const Stretch& stretch);
    void step_by_hand(const PlannedTest& planned);
    // What comes in at its first point now.
    Outcome look(const PlannedTest& planned);
    Flow prepare(const PlannedTest& planned);
    Flow require_calibrations(const PlannedTest& planned);
    Flow make_calibration(const PlannedTest& provider);
    void finish_test(const PlannedTest& planned);

    Flow run_points(const PlannedTest& planned, const std::vector<Point>& points,
                    const std::vector<std::size_t>& chosen, bool again);
    Flow run_duration(const PlannedTest& planned);
    Flow ask_after(const PlannedTest& planned);
    Flow run_derived(const PlannedTest& planned);
    // Stops, calibrations, prompts and rechecks that come before a point.
    Flow before_point(const PlannedTest& planned);
    // A point; of a search, all its trials.
    Flow visit(const PlannedTest& planned, const Sweep& sweep, const Point& point);  // with what comes before
    Flow one(const PlannedTest& planned, const Sweep& sweep, const Point& point);
    Flow search(const PlannedTest& planned, const Point& point);
    Flow adjust(const PlannedTest& planned, const Point& point);
    Flow try_out(const PlannedTest& planned, const Trial& trial, const Point& point, PointRecord& record);
    // The point where a result is highest over further axes, measured there.
    Flow maximum(const PlannedTest& planned, const Sweep& sweep, const Point& point);
    // Measures and keeps one point, again where a watch, the operator or a fault demands it.
    Flow measure(const PlannedTest& planned, const PointJob& job, PointRecord& out);
    Flow heed_watches(PointRecord& record, bool& again);
    Flow wait_for_watches(const WatchKeeper::Seen& seen);
    // `point` is what a recheck vouches for; none for a check itself.
    // `sweep` is that of the point, where it is not the test's own.
    void add(const PlannedTest* planned, PointRecord record, const Point* point,
             const Sweep* sweep = nullptr);
    Flow visit_again(const Vouched& vouched);

    Flow check(Stability& stability);
    Flow recover(Stability& stability, const std::string& reason);

    bool done(const Point& point) const { return measured_.done(point.id); }
    // What rests on points that were measured again, or lost their verdict, since.
    Flow renew();
    void flush_watches();
    void note_clock(const PointRecord& record);
    Flow interrupted(RunListener::Reply reply);

    const Plan& plan_;
    const std::filesystem::path& folder_;
    Tally& tally_;
    BenchConnection& bench_;
    RunListener& listener_;
    const RunOptions& options_;
    Calibrations calibrations_;
    Measured measured_;
    PointMaker maker_;
    WatchKeeper watches_;
    Pace pace_;
    std::vector<Stability> stabilities_;
    std::size_t position_ = 0;  // of the last point
    std::set<const PlannedTest*> prepared_, skipped_, told_;
    Grounds grounds_;
    FoundValues found_;
    Owed owed_;  // with any point that owes a finding the run is not complete
    std::string last_ended_;
    bool recovering_ = false;
    RunEnd end_;
};

}  // namespace rt::lab
