// The simulated instruments of a bench, each behind its own socket, all seeing the same unit.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "lab/formats/bench_file.hpp"
#include "lab/simulate/server.hpp"

namespace rt {

class SimulatedBench {
  public:
    // Of those instruments whose address is "simulated". `bench` must live longer.
    explicit SimulatedBench(const Bench& bench) : bench_(bench) {}

    // Starts one instrument; port 0 takes a free one. Throws Error(input) for a description that cannot be
    // read, Error(bench) for a taken port.
    const InstrumentServer& serve(const Instrument& instrument, unsigned short port = 0);

  private:
    const Bench& bench_;
    std::shared_ptr<SimulatedUnit> unit_;
    std::vector<std::unique_ptr<InstrumentServer>> servers_;
};

}  // namespace rt
