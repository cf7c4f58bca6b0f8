// USBTMC with its subclass USB488: messages over bulk endpoints, status byte, clear, local, trigger.
#pragma once

#include "lab/session/session.hpp"
#include "lab/session/usb_pipe.hpp"

namespace rt::lab {

class UsbtmcSession : public Session {
  public:
    UsbtmcSession(std::unique_ptr<UsbPipe> pipe, std::chrono::milliseconds timeout);

    void write(std::string_view bytes) override;
    void clear() override;
    bool clears() const override { return true; }
    std::optional<int> status() override;
    bool service_requested() override;
    bool answers(std::chrono::milliseconds timeout) override;
    void to_local() override;
    void trigger() override;

  protected:
    bool marks_ends() const override { return true; }
    std::string read_some(std::chrono::milliseconds timeout, const char* doing) override;

  private:
    std::optional<std::string> read_once(std::chrono::milliseconds timeout, const char* doing);
    std::uint8_t next_tag();
    void abort_in(std::uint8_t tag);

    std::unique_ptr<UsbPipe> pipe_;
    std::chrono::milliseconds timeout_;
    std::uint8_t tag_ = 0, status_tag_ = 1;
    bool requested_ = false;
};

}  // namespace rt::lab
