// Serves a simulated instrument on a real TCP socket of the loopback address.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "lab/simulate/fault_script.hpp"

namespace rt::lab {

enum class Transport { tcp, hislip };

class InstrumentServer {
  public:
    // Port 0 takes a free one. Throws Error(bench) when the port is taken.
    explicit InstrumentServer(std::shared_ptr<SimulatedInstrument> instrument, unsigned short port = 0,
                              Transport transport = Transport::tcp, std::vector<PlannedFault> faults = {});
    ~InstrumentServer();  // ends all connections
    InstrumentServer(InstrumentServer&&) noexcept;

    std::string host() const { return "127.0.0.1"; }
    std::string port() const;
    // As a bench file writes it: "tcp://127.0.0.1:5025".
    std::string address() const;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
