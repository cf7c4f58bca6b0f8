#include "lab/bench/tcp_session.hpp"

#include <boost/asio/connect.hpp>
#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/read.hpp>
#include <boost/asio/read_until.hpp>
#include <boost/asio/write.hpp>

#include "core/base/error.hpp"

namespace rt {

namespace asio = boost::asio;
using std::chrono::milliseconds;

namespace {

constexpr std::size_t most_bytes = std::size_t{64} << 20;

std::string seconds(milliseconds time) {
    std::string text = std::to_string(static_cast<double>(time.count()) / 1000);
    text.erase(text.find_last_not_of('0') + 1);
    if (text.back() == '.') text.pop_back();
    return text + " s";
}

}  // namespace

struct TcpSession::State {
    asio::io_context io;
    asio::ip::tcp::socket socket{io};
    std::string buffer;
    std::string peer;
    milliseconds write_timeout{};

    // Runs what was started until it is done. On a time-out the socket is closed, which ends it.
    void finish(milliseconds timeout, const boost::system::error_code& error, const char* doing) {
        io.restart();
        io.run_for(timeout);
        if (!io.stopped()) {
            boost::system::error_code ignored;
            socket.close(ignored);
            io.run();
            fail_bench(peer + " did not answer within " + seconds(timeout) + " (" + doing + ")");
        }
        if (!error) return;
        if (error == asio::error::not_found) fail_bench(peer + " sent an endless answer");
        const bool ended = error == asio::error::eof;
        fail_bench(peer + (ended ? " closed the connection" : ": " + error.message()) + " (" + doing + ")");
    }
};

TcpSession::TcpSession(const std::string& host, const std::string& port, milliseconds timeout)
    : state_(std::make_unique<State>()) {
    state_->peer = "instrument at " + host + ":" + port;
    state_->write_timeout = timeout;
    boost::system::error_code error;
    asio::ip::tcp::resolver resolver(state_->io);
    const auto found = resolver.resolve(host, port, error);
    if (error) fail_bench(state_->peer + ": the host name is not known (" + error.message() + ")");
    asio::async_connect(state_->socket, found,
                        [&](const boost::system::error_code& e, const auto&) { error = e; });
    state_->finish(timeout, error, "connecting");
    state_->socket.set_option(asio::ip::tcp::no_delay(true), error);
}

TcpSession::~TcpSession() = default;
TcpSession::TcpSession(TcpSession&&) noexcept = default;
TcpSession& TcpSession::operator=(TcpSession&&) noexcept = default;

void TcpSession::write(std::string_view bytes) {
    boost::system::error_code error;
    asio::async_write(state_->socket, asio::buffer(bytes), [&](const auto& e, std::size_t) { error = e; });
    state_->finish(state_->write_timeout, error, "sending");
}

std::string TcpSession::read_until(char end, milliseconds timeout) {
    boost::system::error_code error;
    std::size_t length = 0;
    asio::async_read_until(state_->socket, asio::dynamic_buffer(state_->buffer, most_bytes), end,
                           [&](const auto& e, std::size_t n) { error = e, length = n; });
    state_->finish(timeout, error, "waiting for an answer");
    std::string line = state_->buffer.substr(0, length - 1);
    state_->buffer.erase(0, length);
    return line;
}

std::string TcpSession::read_exactly(std::size_t count, milliseconds timeout) {
    if (count > most_bytes)
        fail_bench(state_->peer + " announced " + std::to_string(count) + " bytes, too many");
    if (state_->buffer.size() < count) {
        boost::system::error_code error;
        const std::size_t missing = count - state_->buffer.size();
        asio::async_read(state_->socket, asio::dynamic_buffer(state_->buffer),
                         asio::transfer_exactly(missing), [&](const auto& e, std::size_t) { error = e; });
        state_->finish(timeout, error, "waiting for data");
    }
    std::string bytes = state_->buffer.substr(0, count);
    state_->buffer.erase(0, count);
    return bytes;
}

}  // namespace rt
