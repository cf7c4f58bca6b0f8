#include "lab/session/serial_session.hpp"

#include <poll.h>
#include <termios.h>

#include <boost/asio/serial_port.hpp>

#include "lab/session/bounded_stream.hpp"

namespace rt::lab {

namespace asio = boost::asio;
using std::chrono::milliseconds;

struct SerialSession::State : BoundedStream<asio::serial_port> {};

SerialSession::SerialSession(const Address& address, milliseconds timeout)
    : Session("instrument at " + address.path), state_(std::make_unique<State>()) {
    using base = asio::serial_port_base;
    state_->timeout = timeout;
    try {
        auto& port = state_->stream;
        port.open(address.path);
        port.set_option(base::baud_rate(address.baud));
        port.set_option(base::character_size(address.data_bits));
        port.set_option(base::parity(address.parity == 'E'   ? base::parity::even
                                     : address.parity == 'O' ? base::parity::odd
                                                             : base::parity::none));
        port.set_option(
            base::stop_bits(address.stop_bits == 2 ? base::stop_bits::two : base::stop_bits::one));
        port.set_option(base::flow_control(address.flow == Address::Flow::lines ? base::flow_control::hardware
                                           : address.flow == Address::Flow::characters
                                               ? base::flow_control::software
                                               : base::flow_control::none));
        // What came before belongs to nobody.
        ::tcflush(port.native_handle(), TCIFLUSH);
    } catch (const boost::system::system_error& error) {
        fail_bench(peer() + ": " + error.code().message() + " (opening the serial line)");
    }
}

SerialSession::~SerialSession() = default;

void SerialSession::write(std::string_view bytes) {
    if (state_->write(bytes, peer()) == Waited::timed_out) fail_timeout(state_->timeout, "sending");
}

bool SerialSession::answers(milliseconds timeout) {
    if (has_kept()) return true;
    pollfd entry{state_->stream.native_handle(), POLLIN, 0};
    return ::poll(&entry, 1, static_cast<int>(timeout.count())) > 0;
}

std::string SerialSession::read_some(milliseconds timeout, const char* doing) {
    std::string out;
    if (state_->read(out, timeout, peer(), doing) == Waited::closed) fail_closed(doing);
    return out;
}

}  // namespace rt::lab
