#include "lab/bench/serial_session.hpp"

#include <array>
#include <boost/asio/serial_port.hpp>
#include <boost/asio/write.hpp>

#include "lab/bench/asio_wait.hpp"

namespace rt {

namespace asio = boost::asio;
using std::chrono::milliseconds;

struct SerialSession::State {
    asio::io_context io;
    asio::serial_port port{io};
    milliseconds timeout{};
    std::array<char, 4096> chunk;
};

SerialSession::SerialSession(const Address& address, milliseconds timeout)
    : Session("instrument at " + address.path), state_(std::make_unique<State>()) {
    using base = asio::serial_port_base;
    state_->timeout = timeout;
    try {
        auto& port = state_->port;
        port.open(address.path);
        port.set_option(base::baud_rate(address.baud));
        port.set_option(base::character_size(address.data_bits));
        port.set_option(base::parity(address.parity == 'E'   ? base::parity::even
                                     : address.parity == 'O' ? base::parity::odd
                                                             : base::parity::none));
        port.set_option(
            base::stop_bits(address.stop_bits == 2 ? base::stop_bits::two : base::stop_bits::one));
        port.set_option(base::flow_control(base::flow_control::none));
    } catch (const boost::system::system_error& error) {
        fail_bench(peer() + ": " + error.code().message() + " (opening the serial line)");
    }
}

SerialSession::~SerialSession() = default;

void SerialSession::write(std::string_view bytes) {
    boost::system::error_code error;
    asio::async_write(state_->port, asio::buffer(bytes), [&](const auto& e, std::size_t) { error = e; });
    const Waited waited = wait_for(state_->io, state_->port, state_->timeout, error, peer(), "sending");
    if (waited == Waited::timed_out) fail_timeout(state_->timeout, "sending");
}

std::string SerialSession::read_some(milliseconds timeout, const char* doing) {
    boost::system::error_code error;
    std::size_t length = 0;
    state_->port.async_read_some(asio::buffer(state_->chunk),
                                 [&](const auto& e, std::size_t n) { error = e, length = n; });
    switch (wait_for(state_->io, state_->port, timeout, error, peer(), doing)) {
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
