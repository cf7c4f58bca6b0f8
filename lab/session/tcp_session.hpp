// A raw TCP connection to an instrument.
#pragma once

#include "lab/session/session.hpp"

namespace rt::lab {

class TcpSession : public Session {
  public:
    // Throws Error(bench) naming host, port and reason when nobody answers in time.
    TcpSession(const std::string& host, const std::string& port, std::chrono::milliseconds timeout);
    ~TcpSession() override;

    void write(std::string_view bytes) override;
    // True when something can be read at once.
    bool readable();
    bool answers(std::chrono::milliseconds timeout) override;

  protected:
    std::string read_some(std::chrono::milliseconds timeout, const char* doing) override;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
