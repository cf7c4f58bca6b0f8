// Waiting until what changes slowly has settled: chambers, chucks, whatever the operator sets.
#pragma once

#include <map>
#include <set>
#include <string>

#include "core/sweep/sweep.hpp"
#include "lab/run/instruments.hpp"
#include "lab/run/listener.hpp"

namespace rt::lab {

// Whether nothing of the bench takes time: all simulated in no time, or recorded.
bool rehearsed(const Bench& bench);

class Soaks {
  public:
    Soaks(BenchConnection& bench, RunListener& listener) : bench_(bench), listener_(listener) {}

    // Waits the soak time of each axis whose value is another than the last that was soaked. Gives what was
    // waited for, "temperature 85 degC, 10 min; stage.temperature reads 85.04", or nothing. Throws
    // Interruption when the run is to end.
    std::string wait(const Sweep& sweep, const Point& point);
    // What lost its settings soaks again.
    void forget(const std::string& role);

  private:
    void wait(const std::string& what, double seconds);
    std::string reading_of(const Axis& axis) const;

    BenchConnection& bench_;
    RunListener& listener_;
    struct Soaked {
        std::string value;
        std::set<std::string> roles;
    };
    std::map<std::string, Soaked> soaked_;  // by axis
};

}  // namespace rt::lab
