// The instruments of a run: simulated ones are started, those needed are connected and identified.
#pragma once

#include <functional>
#include <map>
#include <memory>
#include <string>
#include <vector>

#include "lab/bench/instrument_role.hpp"
#include "lab/model/record.hpp"
#include "lab/run/plan.hpp"
#include "lab/simulate/instruments/bench.hpp"

namespace rt::lab {

class BenchConnection {
  public:
    // Connects what the plan needs. Throws Error(bench).
    explicit BenchConnection(const Plan& plan, TrafficLog* traffic = nullptr);

    // Throws Error(bench) for a role that has no messages. Notes it as the one in use.
    InstrumentRole& role(const std::string& role);
    // The same from another thread: without noting it.
    InstrumentRole& peek(const std::string& role) { return roles_.at(role); }
    // Roles of instruments that are connected.
    std::vector<std::string> speaking() const {
        std::vector<std::string> out;
        for (const auto& [role, session] : roles_) out.push_back(role);
        return out;
    }
    bool speaks(const std::string& role) const { return roles_.contains(role); }
    // The role asked for last: the one to blame when something fails.
    const std::string& in_use() const { return in_use_; }
    void use(const std::string& role) { in_use_ = role; }
    // A new connection to an instrument that failed.
    void reconnect(const std::string& role);
    const std::vector<InstrumentRecord>& identified() const { return identified_; }
    const Bench& bench() const { return bench_; }

  private:
    InstrumentRole connect(const Instrument& instrument);

    const Bench& bench_;
    TrafficLog* traffic_;
    SimulatedBench simulated_;
    std::map<std::string, InstrumentRole> roles_;
    std::string in_use_;
    std::vector<InstrumentRecord> identified_;
};

}  // namespace rt::lab
