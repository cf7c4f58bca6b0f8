// A port mapper (RFC 1833, version 2) for simulated VXI-11 instruments: over UDP, also by broadcast, and over
// TCP.
#pragma once

#include <cstdint>
#include <memory>
#include <string>

namespace rt::lab {

class PortMapper {
  public:
    // Answers on port 111 of an address that VXI-11 is at `port`. Throws Error(bench) when that port is
    // taken, or not allowed.
    PortMapper(const std::string& address, std::uint16_t port);
    ~PortMapper();

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
