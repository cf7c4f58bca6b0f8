// A raw TCP connection to an instrument. Every wait is bounded.
#pragma once

#include <chrono>
#include <memory>
#include <string>
#include <string_view>

namespace rt {

class TcpSession {
  public:
    // Throws Error(bench) naming host, port and reason when nobody answers in time.
    TcpSession(const std::string& host, const std::string& port, std::chrono::milliseconds timeout);
    ~TcpSession();
    TcpSession(TcpSession&&) noexcept;
    TcpSession& operator=(TcpSession&&) noexcept;

    void write(std::string_view bytes);
    // Up to and without `end`; Error(bench) after `timeout`, on a closed connection or beyond 64 MiB.
    std::string read_until(char end, std::chrono::milliseconds timeout);
    std::string read_exactly(std::size_t count, std::chrono::milliseconds timeout);

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rt
