#include "lab/traffic/receiver.hpp"

#include <sys/socket.h>
#include <sys/uio.h>

#include <algorithm>
#include <array>
#include <atomic>
#include <cerrno>
#include <cstring>
#include <ctime>
#include <thread>
#include <vector>

#include "lab/clock.hpp"
#include "lab/traffic/arrivals.hpp"
#include "lab/traffic/sender.hpp"
#include "lab/traffic/sockets.hpp"

namespace rt::lab {
namespace {

constexpr std::size_t receive_group = 128;  // frames in one call at most
constexpr std::size_t kept_octets = 64;     // of each: the head is enough
constexpr std::size_t control_octets = 128;

// What the system says beside a frame: when it came, and how many were dropped so far.
void read_control(msghdr& head, std::int64_t& at_ns, std::uint64_t& dropped) {
    for (cmsghdr* c = CMSG_FIRSTHDR(&head); c; c = CMSG_NXTHDR(&head, c)) {
        if (c->cmsg_level != SOL_SOCKET) continue;
        if (c->cmsg_type == SCM_TIMESTAMPNS) {
            timespec time{};
            std::memcpy(&time, CMSG_DATA(c), sizeof time);
            at_ns = static_cast<std::int64_t>(time.tv_sec) * 1000000000 + time.tv_nsec;
        } else if (c->cmsg_type == SO_RXQ_OVFL) {
            std::uint32_t count = 0;
            std::memcpy(&count, CMSG_DATA(c), sizeof count);
            dropped = std::max<std::uint64_t>(dropped, count);
        }
    }
}

}  // namespace

struct FrameReceiver::State {
    OpenFile socket;
    std::string host;
    unsigned short port = 0;
    Arrivals arrivals;
    std::atomic<std::uint64_t> received = 0;
    std::atomic<bool> stop = false;
    std::uint64_t dropped = 0;
    std::thread thread;

    State(std::uint32_t flow, std::uint64_t octets, std::uint64_t frames, double step_s, ClockOffset clock)
        : arrivals(flow, octets, frames, step_s, clock) {}

    void listen() {
        std::vector<std::array<std::byte, kept_octets>> payloads(receive_group);
        std::vector<std::array<char, control_octets>> controls(receive_group);
        std::array<iovec, receive_group> parts{};
        std::array<mmsghdr, receive_group> messages{};
        for (std::size_t i = 0; i < receive_group; ++i) {
            parts[i] = {payloads[i].data(), kept_octets};
            messages[i].msg_hdr.msg_iov = &parts[i];
            messages[i].msg_hdr.msg_iovlen = 1;
        }
        while (!stop) {
            for (std::size_t i = 0; i < receive_group; ++i) {
                messages[i].msg_hdr.msg_control = controls[i].data();
                messages[i].msg_hdr.msg_controllen = control_octets;
            }
            // The true length is told though the rest is left behind.
            const int came =
                ::recvmmsg(socket.get(), messages.data(), receive_group, MSG_WAITFORONE | MSG_TRUNC, nullptr);
            if (came <= 0) continue;  // the wait of the socket is over
            const std::int64_t now = realtime_ns();
            for (std::size_t i = 0; i < static_cast<std::size_t>(came); ++i) {
                std::int64_t at_ns = now;
                read_control(messages[i].msg_hdr, at_ns, dropped);
                const std::size_t length = messages[i].msg_len;
                arrivals.take({payloads[i].data(), std::min(length, kept_octets)}, length, at_ns);
            }
            received = arrivals.received();
        }
    }
};

FrameReceiver::FrameReceiver(const std::string& where, std::uint32_t flow, std::uint64_t octets,
                             std::uint64_t frames, double step_s, ClockOffset clock, unsigned short port)
    : state_(std::make_unique<State>(flow, octets, frames, step_s, clock)) {
    const EndAddress end = end_address(where).at_port(port);
    state_->socket = bound_socket(end);
    state_->host = end.host();
    state_->port = port_of(state_->socket);
    const timeval wait{0, 20000};
    ::setsockopt(state_->socket.get(), SOL_SOCKET, SO_RCVTIMEO, &wait, sizeof wait);
    state_->thread = std::thread([state = state_.get()] { state->listen(); });
}

FrameReceiver::~FrameReceiver() {
    finish(0, 0);
}

std::string FrameReceiver::host() const {
    return state_->host;
}

unsigned short FrameReceiver::port() const {
    return state_->port;
}

std::uint64_t FrameReceiver::received() const {
    return state_->received;
}

void FrameReceiver::finish(std::uint64_t wanted, double patience_s) {
    if (!state_->thread.joinable()) return;
    const Stopwatch watch;
    while (state_->received < wanted && watch.seconds() < patience_s) clock().sleep(0.005);
    state_->stop = true;
    state_->thread.join();
}

void FrameReceiver::fill(TrafficFlow& flow, std::int64_t begun_ns, bool same_clock) const {
    state_->arrivals.fill(flow, begun_ns, same_clock);
    flow.tool_lost = state_->dropped;
}

}  // namespace rt::lab
