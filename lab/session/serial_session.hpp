// A serial line.
#pragma once

#include "lab/model/address.hpp"
#include "lab/session/session.hpp"

namespace rt::lab {

class SerialSession : public Session {
  public:
    // Raw, without flow control. Throws Error(bench) when the device cannot be opened or set.
    SerialSession(const Address& address, std::chrono::milliseconds timeout);
    ~SerialSession() override;

    void write(std::string_view bytes) override;
    bool answers(std::chrono::milliseconds timeout) override;
    bool looks_only() const override { return true; }

  protected:
    std::string read_some(std::chrono::milliseconds timeout, const char* doing) override;

  private:
    struct State;
    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
