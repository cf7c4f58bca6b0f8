// A character device that takes and gives messages, such as /dev/usbtmc0.
#pragma once

#include "lab/bench/session.hpp"

namespace rt::lab {

class DeviceSession : public Session {
  public:
    // Throws Error(bench) when the device cannot be opened.
    DeviceSession(const std::string& path, std::chrono::milliseconds timeout);
    ~DeviceSession() override;
    DeviceSession(const DeviceSession&) = delete;
    DeviceSession& operator=(const DeviceSession&) = delete;

    void write(std::string_view bytes) override;

  protected:
    std::string read_some(std::chrono::milliseconds timeout, const char* doing) override;

  private:
    // False when the time is over.
    bool wait(short what, std::chrono::milliseconds timeout, const char* doing) const;
    [[noreturn]] void fail(const char* doing) const;

    int file_;
    std::chrono::milliseconds timeout_;
};

}  // namespace rt::lab
