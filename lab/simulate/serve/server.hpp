// Serves a simulated instrument on a real TCP socket of the loopback address.
#pragma once

#include <memory>
#include <string>
#include <vector>

#include "lab/model/address.hpp"
#include "lab/simulate/fault_script.hpp"

namespace rt::lab {

enum class Transport {
    tcp,
    hislip,
    hislip_overlapped,  // a server that insists on this mode
    vxi11,
    usb,   // a stand-in for a USB device: its transfers come over the socket
    gpib,  // a converter with the instrument behind it
};
// Of a name of simulated_transports().
Transport transport_of(const std::string& name);

inline constexpr int simulated_gpib_address = 9;

class InstrumentServer {
  public:
    // Port 0 takes a free one. Throws Error(bench) when the port is taken.
    explicit InstrumentServer(std::shared_ptr<SimulatedInstrument> instrument, unsigned short port = 0,
                              Transport transport = Transport::tcp, std::vector<PlannedFault> faults = {},
                              const std::string& listen = "127.0.0.1");
    ~InstrumentServer();  // ends all connections
    InstrumentServer(InstrumentServer&&) noexcept;

    std::string host() const;
    std::string port() const;
    // As a bench file writes it: "tcp://127.0.0.1:5025". Of a stand-in or a converter the socket it listens
    // on.
    std::string address() const;
    // For a session.
    Address place() const;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
