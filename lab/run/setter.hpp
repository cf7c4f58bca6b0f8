// Brings unit and instruments into the state that a point needs, sending only what differs from before.
#pragma once

#include <functional>
#include <map>
#include <string>
#include <utility>
#include <vector>

#include "lab/model/test.hpp"
#include "lab/run/instruments.hpp"

namespace rt::lab {

class Setter {
  public:
    // `by_hand` asks the operator to set the unit; `path` gives the loss between a source and the unit at a
    // frequency.
    Setter(BenchConnection& bench, std::function<void(const std::string&)> by_hand,
           std::function<double(const std::string& role, double hz)> path);

    // Begins everything, frequencies first, and waits for all of it: what turns or settles by itself does so
    // at the same time. Levels of sources are raised by the loss of their path. Throws Error(bench).
    // `whole`: these are all settings of a point, so that signals which generators play can be made from
    // them; otherwise these stay as they are.
    void apply(std::vector<std::pair<SettingTarget, std::string>> wanted, bool whole = false);
    // What a role has is no longer known; nor, of a supply, what the unit has.
    void forget(const std::string& role);
    // Whether this was set and still holds, for all that is known.
    void forget(const std::string& role, const std::string& setting) { present_[role].erase(setting); }
    bool has(const SettingTarget& target, const std::string& value) const;
    // Why something is not as it was set: a turntable that says it is elsewhere. Empty when all is.
    std::string doubt() const;

  private:
    struct Begun {
        SettingTarget target;
        std::string value;
    };
    std::size_t rank_of(const SettingTarget& target) const;
    void lift_before(const SettingTarget& target, const std::string& value, std::vector<Begun>& begun);
    void finish(std::vector<Begun>& begun);
    std::string settle(const std::string& role, const std::vector<Begun>& own);
    void send(const SettingTarget& target, const std::string& value);
    void play(std::vector<std::pair<SettingTarget, std::string>>& wanted);
    void play(const Instrument& instrument, const std::map<std::string, std::string>& settings);
    void set_by_program(const Instrument& unit, const std::string& setting, const std::string& value);

    BenchConnection& bench_;
    std::function<void(const std::string&)> by_hand_;
    std::function<double(const std::string&, double)> path_;
    std::map<std::string, std::map<std::string, std::string>> present_;  // by role and setting, as sent
    std::map<std::string, std::string> doubts_;                          // by role
    // What follows from the samples that a role plays, and what its level is set higher for them.
    struct Played {
        std::vector<std::pair<std::string, std::string>> implied;
        double above_db = 0;
    };
    std::map<std::string, Played> played_;  // by role
};

}  // namespace rt::lab
