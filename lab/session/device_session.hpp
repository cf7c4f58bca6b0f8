// A character device that takes and gives messages, such as /dev/usbtmc0.
#pragma once

#include "lab/session/session.hpp"

namespace rt::lab {

class DeviceSession : public Session {
  public:
    // Throws Error(bench) when the device cannot be opened.
    DeviceSession(const std::string& path, std::chrono::milliseconds timeout);
    ~DeviceSession() override;
    DeviceSession(const DeviceSession&) = delete;
    DeviceSession& operator=(const DeviceSession&) = delete;

    void write(std::string_view bytes) override;
    // What the kernel's driver for USBTMC offers beside messages; nothing at other devices.
    void clear() override;
    bool clears() const override { return usbtmc_; }
    std::optional<int> status() override;
    bool answers(std::chrono::milliseconds timeout) override;
    void to_local() override;
    void trigger() override;

  protected:
    std::string read_some(std::chrono::milliseconds timeout, const char* doing) override;

  private:
    // False when the time is over.
    bool wait(short what, std::chrono::milliseconds timeout, const char* doing) const;
    [[noreturn]] void fail(const char* doing) const;

    int file_;
    bool usbtmc_ = false;
    std::chrono::milliseconds timeout_;
};

}  // namespace rt::lab
