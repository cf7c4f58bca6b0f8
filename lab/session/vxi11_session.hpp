// VXI-11 (revision 1.0): messages by remote procedure calls; status, locks, triggers, device clear, service
// requests on a channel that the instrument opens.
#pragma once

#include <memory>
#include <string>

#include "lab/session/session.hpp"

namespace rt::lab {

class Vxi11Session : public Session {
  public:
    // `port` "" asks the port mapper of the host (RFC 1833, version 2) where the core channel is.
    Vxi11Session(const std::string& host, const std::string& port, const std::string& device,
                 std::chrono::milliseconds timeout);
    ~Vxi11Session() override;

    void write(std::string_view bytes) override;
    void clear() override;
    bool clears() const override { return true; }
    std::optional<int> status() override;
    // The first call opens the channel on which the instrument tells.
    bool service_requested() override;
    bool answers(std::chrono::milliseconds timeout) override;
    void lock(const std::string& key, std::chrono::milliseconds timeout) override;
    void unlock() override;
    void to_local() override;
    void trigger() override;

  protected:
    bool marks_ends() const override { return true; }
    std::string read_some(std::chrono::milliseconds timeout, const char* doing) override;
    std::size_t read_into(char* place, std::size_t count, std::chrono::milliseconds timeout,
                          const char* doing) override;

  private:
    struct State;
    void simple(unsigned procedure, const char* doing);
    // Of a remote procedure call, whatever its answer says.
    void require_answered(int state, std::chrono::milliseconds timeout, const char* doing) const;
    void require(int error, const char* doing) const;
    void open_interrupts();
    // What came within `timeout`; nothing when the instrument says that nothing did.
    std::optional<std::size_t> read_once(char* place, std::size_t most, std::chrono::milliseconds timeout,
                                         const char* doing);

    std::unique_ptr<State> state_;
};

}  // namespace rt::lab
