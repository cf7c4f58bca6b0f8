// The simulated instruments of a bench, each behind its own socket, all in one world; and those that the
// program itself is ("here").
#pragma once

#include <map>
#include <memory>
#include <string>
#include <vector>

#include "lab/model/bench.hpp"
#include "lab/simulate/serve/server.hpp"
#include "lab/simulate/stage.hpp"

namespace rt::lab {

class SimulatedBench {
  public:
    // Of those instruments whose address is "simulated". `bench` must live longer.
    explicit SimulatedBench(const Bench& bench) : bench_(bench) {}

    // The server of one instrument, started at the first call; port 0 takes a free one. Throws Error(input)
    // for a description that cannot be read, Error(bench) for a taken port.
    const InstrumentServer& serve(const Instrument& instrument, unsigned short port = 0,
                                  const std::string& listen = "127.0.0.1");

    // Where an instrument answers: its own address, or that of its server, started if need be.
    Address place_of(const Instrument& instrument);

  private:
    Stage& stage();
    const InstrumentServer& serve_here(const Instrument& instrument);

    const Bench& bench_;
    std::shared_ptr<Stage> stage_;
    std::map<std::string, std::unique_ptr<InstrumentServer>> servers_;
};

// Kinds of instruments that are simulated.
std::vector<std::string> simulated_kind_names();

// A simulated instrument of the kind that the dialect says. Throws Error(input) for a kind that nothing
// simulates.
std::shared_ptr<SimulatedInstrument> make_simulated(std::shared_ptr<Stage> stage,
                                                    const Instrument& instrument);

}  // namespace rt::lab
