// HiSLIP (IVI-6.1): messages over one TCP connection, status and device clear over a second.
#pragma once

#include "lab/bench/hislip.hpp"
#include "lab/bench/tcp_session.hpp"

namespace rt::lab {

// Works in synchronised mode, whatever the server prefers.
class HislipSession : public Session {
  public:
    HislipSession(const std::string& host, const std::string& port, const std::string& name,
                  std::chrono::milliseconds timeout);

    void write(std::string_view bytes) override;
    void clear() override;
    std::optional<int> status() override;
    bool service_requested() override;
    bool answers(std::chrono::milliseconds timeout) override { return sync_.answers(timeout); }
    void name_peer(const std::string& role) override;

  protected:
    bool marks_ends() const override { return true; }
    std::string read_some(std::chrono::milliseconds timeout, const char* doing) override;

  private:
    hislip::Header read_header(TcpSession& channel, std::chrono::milliseconds timeout) const;
    std::string payload(TcpSession& channel, const hislip::Header& header,
                        std::chrono::milliseconds timeout) const;
    // The next message of this type on the asynchronous channel; notes service requests before it.
    hislip::Header await(hislip::Type type, std::string* payload = nullptr);

    std::chrono::milliseconds timeout_;
    TcpSession sync_, async_;
    std::uint64_t largest_ = 1 << 20;
    std::uint32_t next_id_ = hislip::first_message_id, last_id_ = 0;
    bool delivered_ = false;  // a whole response was taken since the last message was sent
    bool requested_ = false;
};

}  // namespace rt::lab
