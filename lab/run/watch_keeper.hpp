// Watches side quantities through a run: in the background at intervals, and on demand.
#pragma once

#include <condition_variable>
#include <functional>
#include <mutex>
#include <optional>
#include <set>
#include <string>
#include <thread>
#include <vector>

#include "lab/clock.hpp"
#include "lab/model/record.hpp"
#include "lab/model/watch.hpp"
#include "lab/run/instruments.hpp"

namespace rt::lab {

class WatchKeeper {
  public:
    WatchKeeper(const std::vector<Watch>& watches, BenchConnection& bench);
    ~WatchKeeper();

    // Asks all watches now; the first call also begins the background reading. Throws Error(bench).
    void look();
    // A watch that has been outside its limits since the last call of take_worst(), with what was seen. The
    // gravest first: stop, void, pause, note.
    struct Seen {
        const Watch* watch;
        double value;
        std::string text;  // "supply-current 212 mA, in order is at most 200 mA"
    };
    std::optional<Seen> take_worst();
    // Roles that did not answer in the background since the last call: they must be connected anew.
    std::set<std::string> take_lost();
    // True while the last reading of every watch is in order.
    bool all_inside() const;
    // Samples and events since the last call, for the tally. An event ends when its watch is inside again.
    std::vector<SampleRecord> take_samples();
    std::vector<EventRecord> take_events();
    // Ends the events that still last.
    void close_events();
    // Holds the background reading back while an instrument is being connected anew.
    std::unique_lock<std::mutex> hold() { return std::unique_lock(bench_mutex_); }

  private:
    struct State {
        const Watch* watch;
        std::optional<double> last;
        std::optional<Seen> outside;  // since take_worst
        std::string since;            // begin of the present event, "" when inside
        double extreme = 0;
        Stopwatch last_asked{};
        double wait_s = 0;  // from then to the next time
        double due_in() const { return wait_s - last_asked.seconds(); }
    };
    void read(State& state);
    void note(State& state, double value);
    void keep_looking(std::stop_token stop);
    Seen seen(const Watch& watch, double value) const;

    BenchConnection& bench_;
    std::vector<State> states_;
    std::vector<SampleRecord> samples_;
    std::vector<EventRecord> events_;
    std::set<std::string> lost_;
    mutable std::mutex mutex_;  // of the readings
    std::mutex bench_mutex_;    // of the instruments
    std::condition_variable_any wake_;
    std::jthread thread_;
};

}  // namespace rt::lab
