// HiSLIP (IVI-6.1): messages over one TCP connection, status and device clear over a second.
#pragma once

#include <utility>

#include "lab/session/hislip.hpp"
#include "lab/session/tcp_session.hpp"

namespace rt::lab {

// Asks for synchronised mode, where each answer names its question. A server that insists on overlapped mode
// is spoken to in that: answers come in their order then. Encryption is not supported: a server that insists
// on it is refused.
class HislipSession : public Session {
  public:
    HislipSession(const std::string& host, const std::string& port, const std::string& name,
                  std::chrono::milliseconds timeout);

    void write(std::string_view bytes) override;
    void clear() override;
    bool clears() const override { return true; }
    bool discards_late() const override { return !overlapped_; }
    void lock(const std::string& key, std::chrono::milliseconds timeout) override;
    void unlock() override;
    void to_local() override;
    void trigger() override;
    std::optional<int> status() override;
    bool service_requested() override;
    bool answers(std::chrono::milliseconds timeout) override;
    bool overlapped() const { return overlapped_; }
    void name_peer(const std::string& role) override;

  protected:
    bool marks_ends() const override { return true; }
    std::string read_some(std::chrono::milliseconds timeout, const char* doing) override;
    std::size_t read_into(char* place, std::size_t count, std::chrono::milliseconds timeout,
                          const char* doing) override;

  private:
    // Opens the next message that belongs to what was sent last; false when none comes.
    bool open_message(std::chrono::milliseconds timeout);
    hislip::Header read_header(TcpSession& channel, std::chrono::milliseconds timeout) const;
    std::string payload(TcpSession& channel, const hislip::Header& header,
                        std::chrono::milliseconds timeout) const;
    std::uint8_t end_flags() { return std::exchange(delivered_, false) && !overlapped_ ? 1 : 0; }
    std::uint32_t next_message();
    // The next message of this type on the asynchronous channel; notes service requests before it.
    hislip::Header await(hislip::Type type, std::string* payload = nullptr,
                         std::chrono::milliseconds more = {});

    std::chrono::milliseconds timeout_;
    TcpSession sync_, async_;
    std::uint64_t largest_ = 1 << 20;
    std::uint64_t open_ = 0;  // bytes of the message that is being read
    bool last_ = false;       // it ends the answer
    std::uint32_t next_id_ = hislip::first_message_id, last_id_ = 0;
    bool delivered_ = false;  // a whole response was taken since the last message was sent
    bool requested_ = false, overlapped_ = false, locked_ = false, late_ = false;
};

}  // namespace rt::lab
