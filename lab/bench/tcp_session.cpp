#include "lab/bench/tcp_session.hpp"

#include <array>
#include <boost/asio/connect.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/write.hpp>

#include "lab/bench/asio_wait.hpp"

namespace rt {

namespace asio = boost::asio;
using std::chrono::milliseconds;

struct TcpSession::State {
    asio::io_context io;
    asio::ip::tcp::socket socket{io};
    milliseconds timeout{};
    std::array<char, 65536> chunk;
};

TcpSession::TcpSession(const std::string& host, const std::string& port, milliseconds timeout)
    : Session("instrument at " + host + ":" + port), state_(std::make_unique<State>()) {
    state_->timeout = timeout;
    boost::system::error_code error;
    asio::ip::tcp::resolver resolver(state_->io);
    const auto found = resolver.resolve(host, port, error);
    if (error) fail_bench(peer() + ": the host name is not known (" + error.message() + ")");
    asio::async_connect(state_->socket, found,
                        [&](const boost::system::error_code& e, const auto&) { error = e; });
    const Waited waited = wait_for(state_->io, state_->socket, timeout, error, peer(), "connecting");
    if (waited == Waited::timed_out) fail_timeout(timeout, "connecting");
    state_->socket.set_option(asio::ip::tcp::no_delay(true), error);
}

TcpSession::~TcpSession() = default;

void TcpSession::write(std::string_view bytes) {
    boost::system::error_code error;
    asio::async_write(state_->socket, asio::buffer(bytes), [&](const auto& e, std::size_t) { error = e; });
    const Waited waited = wait_for(state_->io, state_->socket, state_->timeout, error, peer(), "sending");
    if (waited == Waited::timed_out) fail_timeout(state_->timeout, "sending");
}

bool TcpSession::readable() {
    boost::system::error_code error;
    return state_->socket.available(error) > 0 && !error;
}

std::string TcpSession::read_some(milliseconds timeout, const char* doing) {
    boost::system::error_code error;
    std::size_t length = 0;
    state_->socket.async_read_some(asio::buffer(state_->chunk),
                                   [&](const auto& e, std::size_t n) { error = e, length = n; });
    switch (wait_for(state_->io, state_->socket, timeout, error, peer(), doing)) {
        case Waited::timed_out:
            return {};
        case Waited::closed:
            fail_closed(doing);
        case Waited::done:
            break;
    }
    return {state_->chunk.data(), length};
}

}  // namespace rt
