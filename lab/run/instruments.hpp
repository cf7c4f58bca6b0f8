// The instruments of a run: simulated ones are started, all are connected and identified.
#pragma once

#include <map>
#include <memory>
#include <optional>
#include <string>
#include <vector>

#include "lab/bench/roles.hpp"
#include "lab/run/plan.hpp"
#include "lab/simulate/bench.hpp"
#include "lab/tally/record.hpp"

namespace rt {

class BenchConnection {
  public:
    // Connects what the plan needs. Throws Error(bench).
    explicit BenchConnection(const Plan& plan, TrafficLog* traffic = nullptr);

    AnalyserRole& analyser(const std::string& role) { return analysers_.at(role); }
    UnitRole& unit() { return *unit_; }
    const std::vector<InstrumentRecord>& identified() const { return identified_; }

  private:
    ScpiSession connect(const Instrument& instrument);
    void note(const Instrument& instrument, const std::string& identity);

    const Bench& bench_;
    TrafficLog* traffic_;
    SimulatedBench simulated_;
    std::map<std::string, AnalyserRole> analysers_;
    std::optional<UnitRole> unit_;
    std::vector<InstrumentRecord> identified_;
};

}  // namespace rt
