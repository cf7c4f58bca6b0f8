// A raw TCP connection to an instrument.
#pragma once

#include "lab/session/connect.hpp"
#include "lab/session/session.hpp"

namespace rt::lab {

class TcpSession : public Session {
  public:
    // Throws Error(bench) naming host, port and reason when nobody answers in time.
    TcpSession(const std::string& host, const std::string& port, std::chrono::milliseconds timeout);

    void write(std::string_view bytes) override;
    // True when something can be read at once.
    bool readable();
    bool answers(std::chrono::milliseconds timeout) override;
    bool looks_only() const override { return true; }

  protected:
    std::string read_some(std::chrono::milliseconds timeout, const char* doing) override;
    std::size_t read_into(char* place, std::size_t count, std::chrono::milliseconds timeout,
                          const char* doing) override;

  private:
    // Bytes at once or within `timeout`; after a time-out the connection is over, so that what comes late is
    // lost.
    std::size_t receive(char* place, std::size_t count, std::chrono::milliseconds timeout, const char* doing);
    void require_open(const char* doing) const;

    OpenFile socket_;
    std::chrono::milliseconds timeout_;
};

}  // namespace rt::lab
