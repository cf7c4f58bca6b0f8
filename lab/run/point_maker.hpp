// One point: unit and instruments set, captured, checked, corrected, kept, measured, judged.
#pragma once

#include <filesystem>
#include <map>
#include <optional>
#include <string>

#include "core/signal/capture.hpp"
#include "lab/run/calibrations.hpp"
#include "lab/run/instruments.hpp"
#include "lab/run/listener.hpp"
#include "lab/run/recorded.hpp"
#include "lab/run/setter.hpp"
#include "lab/run/watch_keeper.hpp"
#include "lab/tally/tally.hpp"

namespace rt::lab {

// Thrown when a person ends a test or the run in the middle of a point.
struct Interruption {
    RunListener::Reply reply;  // skip or stop
};

// What a point is measured for: a test and a sweep with the point in it.
struct PointJob {
    const Test* test;
    const Instrument* instrument;
    const Sweep* sweep;
    const Point* point;
    PointKind kind = PointKind::point;
    std::string parent = {};  // id of the point that a trial is made for
};

class PointMaker {
  public:
    PointMaker(const Plan& plan, const std::filesystem::path& folder, Tally& tally, BenchConnection& bench,
               Calibrations& calibrations, RunListener& listener);

    // Everything but the verdicts of watches. Trouble with an instrument is met with its retries, then thrown
    // as Error(bench). `position` names the capture's file.
    PointRecord make(const PointJob& job, std::size_t position, WatchKeeper& watches);
    // The conclusion of a search.
    PointRecord conclude(const PointJob& job, std::size_t position, const ThresholdSearch& search,
                         const std::vector<PointRecord>& trials);
    // What the test sets of its supply, then off, the time the supply is to stay off, on, and until the unit
    // answers again.
    void power_cycle(const Test& test);
    void note(const std::string& kind, const std::string& text);

  private:
    // The test being measured provides what this path is made of.
    bool makes_path(const std::string& role) const;
    void prompt_axes(const PointJob& job);
    void set_up(const PointJob& job);
    // What was switched on anew since the last point has lost what it was told: it is told again, zeroed, and
    // what it feeds counts as unknown.
    // True when there was any.
    bool look_for_restarts();
    void restarted(const std::string& role);
    // Connected anew; what it fed or was set to is no longer known.
    void connect_anew(const std::string& role, WatchKeeper& watches);
    // The capture of a point, tried again after trouble. `doubt` says why it may not be judged all the same.
    Capture take(const PointJob& job, const Parameters& parameters, const CaptureSetup& setup,
                 WatchKeeper& watches, std::string& doubt);
    // Brought to the unit through the signal path; gives why that could not be done.
    std::string correct(const PointJob& job, Capture& capture);
    Capture capture(const PointJob& job, const Parameters& parameters, const CaptureSetup& setup);
    Capture recorded(const PointJob& job, const Parameters& parameters);
    CaptureRecord keep(const PointRecord& record, const Capture& capture) const;
    CaptureRecord keep(const PointRecord& record, const std::string& table, const char* kind) const;
    void judge_all(const PointJob& job, const Parameters& parameters, Outcome outcome, PointRecord& record);
    void attach_picture(const PointJob& job, PointRecord& record, WatchKeeper& watches);
    std::string file_name(const PointRecord& record, const std::string& ending) const;

    const std::filesystem::path& folder_;
    Tally& tally_;
    BenchConnection& bench_;
    Calibrations& calibrations_;
    RunListener& listener_;
    Setter setter_;
    std::map<std::string, std::string> prompted_;  // slow axes as a person has set them
    RecordedCaptures recorded_;
    const Test* now_ = nullptr;
    bool unit_known_ = false;
};

// The record's head: id, test, label, axis values.
PointRecord head_of(const PointJob& job, std::size_t position);

}  // namespace rt::lab
