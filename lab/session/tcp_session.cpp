#include "lab/session/tcp_session.hpp"

#include <poll.h>
#include <sys/socket.h>

#include <cerrno>
#include <cstring>

#include "core/base/error.hpp"

namespace rt::lab {

using std::chrono::milliseconds;
using std::chrono::steady_clock;

TcpSession::TcpSession(const std::string& host, const std::string& port, milliseconds timeout)
    : Session("instrument at " + host + ":" + port),
      socket_(connect_tcp(host, port, timeout, peer())),
      timeout_(timeout) {}

void TcpSession::require_open(const char* doing) const {
    if (!socket_) fail_bench(peer() + ": the connection is over since nothing came in time (" + doing + ")");
}

void TcpSession::write(std::string_view bytes) {
    require_open("sending");
    const auto deadline = steady_clock::now() + timeout_;
    while (!bytes.empty()) {
        const auto count = ::send(socket_.get(), bytes.data(), bytes.size(), MSG_NOSIGNAL | MSG_DONTWAIT);
        if (count > 0) {
            bytes.remove_prefix(static_cast<std::size_t>(count));
            continue;
        }
        if (errno != EAGAIN && errno != EWOULDBLOCK && errno != EINTR)
            fail_bench(peer() + ": " + std::strerror(errno) + " (sending)");
        const auto left = std::chrono::duration_cast<milliseconds>(deadline - steady_clock::now());
        pollfd entry{socket_.get(), POLLOUT, 0};
        if (left.count() <= 0 || ::poll(&entry, 1, static_cast<int>(left.count())) == 0) {
            socket_ = OpenFile();
            fail_timeout(timeout_, "sending");
        }
    }
}

bool TcpSession::readable() {
    return answers(milliseconds(0));
}

bool TcpSession::answers(milliseconds timeout) {
    if (has_kept()) return true;
    pollfd entry{socket_.get(), POLLIN, 0};
    return socket_ && ::poll(&entry, 1, static_cast<int>(timeout.count())) > 0;
}

std::size_t TcpSession::receive(char* place, std::size_t most, milliseconds timeout, const char* doing) {
    require_open(doing);
    const auto deadline = steady_clock::now() + timeout;
    for (;;) {
        const auto count = ::recv(socket_.get(), place, most, MSG_DONTWAIT);
        if (count > 0) return static_cast<std::size_t>(count);
        if (count == 0) fail_closed(doing);
        if (errno != EAGAIN && errno != EWOULDBLOCK && errno != EINTR)
            fail_bench(peer() + ": " + std::strerror(errno) + " (" + doing + ")");
        const auto left = std::chrono::duration_cast<milliseconds>(deadline - steady_clock::now());
        pollfd entry{socket_.get(), POLLIN, 0};
        if (left.count() <= 0 || ::poll(&entry, 1, static_cast<int>(left.count())) == 0) {
            socket_ = OpenFile();
            return 0;
        }
    }
}

std::string TcpSession::read_some(milliseconds timeout, const char* doing) {
    std::string out(65536, '\0');
    out.resize(receive(out.data(), out.size(), timeout, doing));
    return out;
}

std::size_t TcpSession::read_into(char* place, std::size_t count, milliseconds timeout, const char* doing) {
    return receive(place, count, timeout, doing);
}

}  // namespace rt::lab
