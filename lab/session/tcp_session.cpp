#include "lab/session/tcp_session.hpp"

#include <poll.h>

#include <boost/asio/connect.hpp>
#include <boost/asio/ip/tcp.hpp>

#include "lab/session/bounded_stream.hpp"

namespace rt::lab {

namespace asio = boost::asio;
using std::chrono::milliseconds;

struct TcpSession::State : BoundedStream<asio::ip::tcp::socket> {};

TcpSession::TcpSession(const std::string& host, const std::string& port, milliseconds timeout)
    : Session("instrument at " + host + ":" + port), state_(std::make_unique<State>()) {
    state_->timeout = timeout;
    boost::system::error_code error;
    asio::ip::tcp::resolver resolver(state_->io);
    const auto found = resolver.resolve(host, port, error);
    if (error) fail_bench(peer() + ": the host name is not known (" + error.message() + ")");
    asio::async_connect(state_->stream, found,
                        [&](const boost::system::error_code& e, const auto&) { error = e; });
    const Waited waited = state_->finish(timeout, error, peer(), "connecting");
    if (waited == Waited::timed_out) fail_timeout(timeout, "connecting");
    state_->stream.set_option(asio::ip::tcp::no_delay(true), error);
}

TcpSession::~TcpSession() = default;

void TcpSession::write(std::string_view bytes) {
    if (state_->write(bytes, peer()) == Waited::timed_out) fail_timeout(state_->timeout, "sending");
}

bool TcpSession::readable() {
    boost::system::error_code error;
    return has_kept() || (state_->stream.available(error) > 0 && !error);
}

bool TcpSession::answers(milliseconds timeout) {
    if (has_kept()) return true;
    pollfd entry{state_->stream.native_handle(), POLLIN, 0};
    return ::poll(&entry, 1, static_cast<int>(timeout.count())) != 0;
}

std::string TcpSession::read_some(milliseconds timeout, const char* doing) {
    std::string out;
    if (state_->read(out, timeout, peer(), doing) == Waited::closed) fail_closed(doing);
    return out;
}

}  // namespace rt::lab
