// What happens at the bench for one point: prompts, settings, captures, what goes wrong with instruments, and
// the correction of captures by their signal paths.
#pragma once

#include <map>
#include <string>
#include <vector>

#include "core/rules/circumstances.hpp"
#include "core/signal/capture.hpp"
#include "lab/run/calibrations.hpp"
#include "lab/run/given.hpp"
#include "lab/run/instruments.hpp"
#include "lab/run/listener.hpp"
#include "lab/run/recorded.hpp"
#include "lab/run/setter.hpp"
#include "lab/run/soaks.hpp"
#include "lab/run/watch_keeper.hpp"
#include "lab/tally/tally.hpp"

namespace rt::lab {

// What a point is measured for: a test and a sweep with the point in it.
struct PointJob {
    const Test* test;
    const Instrument* instrument;  // null for what is made of earlier tests alone
    const Sweep* sweep;
    const Point* point;
    PointKind kind = PointKind::point;
    std::string parent = {};        // id of the point that a trial is made for
    std::vector<Given> given = {};  // inputs from other tests
    TextPairs adjusted = {};  // values of settings that come from calibrations, by the calibration's name
    // Gain tables that settings come from, by name: whole, or row after row.
    std::vector<std::pair<std::string, std::vector<std::string>>> tables = {};
    std::string blocked = {};   // why nothing can be measured here; "" when it can
    Circumstances around = {};  // where limits are looked up
};

// A capture of the bench as an input of the procedure.
struct Taken {
    std::string input;  // "" for the only one
    Capture capture;
};

class Taker {
  public:
    Taker(const Plan& plan, BenchConnection& bench, Calibrations& calibrations, RunListener& listener,
          Tally& tally);

    // All captures of a point that come from the bench, corrected by their paths. Trouble with an instrument
    // is met with its retries, then thrown as Error(bench). `doubt` says why they may not be judged all the
    // same.
    std::vector<Taken> take_all(const PointJob& job, const Parameters& parameters, const CaptureSetup& setup,
                                WatchKeeper& watches, std::string& doubt);
    // What comes in at a point now, without prompts, soaks and retries.
    Capture look(const PointJob& job, const CaptureSetup& setup);
    // Its settings, with others above them.
    void set_up_with(const PointJob& job, const TextPairs& above) { set_up(job, nullptr, above); }
    // What the test sets of its supply, then off, the time the supply is to stay off, on, and until the unit
    // answers again.
    void power_cycle(const Test& test);
    // What the test reads for its parameters, asked now. What cannot be read is noted and stays unknown.
    void read_into(const Test& test, Parameters& parameters);
    // The settings that a test has at all its points, but for those that come from calibrations.
    void set_up(const Test& test);
    void note(const std::string& kind, const std::string& text);
    // The test being measured provides what this path is made of.
    bool makes_path(const std::string& role) const;
    // Pictures that a stage gave while a person looked, since they were asked for last.
    std::vector<std::string> take_looks() { return std::exchange(looks_, {}); }
    // An instrument that was connected anew: what it was set to is no longer known.
    void forget(const std::string& role) {
        setter_.forget(role);
        soaks_.forget(role);
    }

  private:
    // One capture that is wanted of the bench.
    struct Wanted {
        std::string input;
        const Take* take;  // null for the test's own state
        const Instrument* instrument;
        CaptureSetup setup;
        bool first;  // of the procedure's inputs: the one that its check looks at
    };

    std::vector<Wanted> wanted_of(const PointJob& job, const Parameters& parameters,
                                  const CaptureSetup& setup) const;
    void ask(const std::string& test, const std::string& text);
    void prompt_axes(const PointJob& job);
    void set_up(const PointJob& job, const Take* take, const TextPairs& above = {});
    // A gain table to the unit and back, whole or row after row. What it had before is told, and put back
    // when it has not taken the new one: Error(bench).
    void write_table(const SettingTarget& target, const std::vector<std::string>& parts);
    // Brings up each link of the test that does not stand. Whether those stand that must hold.
    bool associate(const PointJob& job, const Take* take);
    bool associate(const PointJob& job, const Take* take, const Association& wanted);
    bool stands(const Association& wanted);
    // The link that must hold and does not stand any more; null for none.
    const Association* lost(const Test& test);
    // What was switched on anew since the last point has lost what it was told: it is told again, zeroed, and
    // what it feeds counts as unknown. True when there was any.
    bool look_for_restarts();
    std::string vouch();
    void restarted(const std::string& role);
    // Connected anew; what it fed or was set to is no longer known.
    void connect_anew(const std::string& role, WatchKeeper& watches);
    void abort(WatchKeeper& watches);
    // One of them, tried again after trouble.
    Capture take(const PointJob& job, const Wanted& wanted, const Parameters& parameters,
                 WatchKeeper& watches, std::string& doubt);
    // Brought to the unit through the signal path; gives why that could not be done.
    std::string correct(const std::string& role, Capture& capture);
    Capture read_by_hand(const PointJob& job, const Instrument& instrument);
    Capture acquired(const PointJob& job, const Wanted& wanted, std::string& doubt);
    Capture capture(const PointJob& job, const Wanted& wanted, const Parameters& parameters,
                    std::string& doubt);
    // A person looks at what was set up: true to set it up and take the capture again.
    bool looked_at(const PointJob& job, std::string& doubt);
    void set_up_again(const PointJob& job, const Take* take);
    Capture recorded(const PointJob& job, const Instrument& instrument, const Parameters& parameters);

    Tally& tally_;
    BenchConnection& bench_;
    Calibrations& calibrations_;
    RunListener& listener_;
    Setter setter_;
    std::map<std::string, std::string> prompted_;  // slow axes as the operator has set them
    RecordedCaptures recorded_;
    const Test* now_ = nullptr;
    std::map<std::string, std::vector<std::string>> written_;  // gain tables, by role and setting
    bool unit_known_ = false;
    Soaks soaks_;
    std::vector<std::string> looks_;
};

}  // namespace rt::lab
