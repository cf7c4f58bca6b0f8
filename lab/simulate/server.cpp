#include "lab/simulate/server.hpp"

#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/read_until.hpp>
#include <boost/asio/write.hpp>
#include <thread>

#include "core/base/error.hpp"

namespace rt {

namespace asio = boost::asio;
using asio::ip::tcp;

namespace {

// One client. All clients of a server share its thread, so the instrument sees one message at a time.
class Connection : public std::enable_shared_from_this<Connection> {
  public:
    Connection(tcp::socket socket, std::shared_ptr<SimulatedInstrument> instrument)
        : socket_(std::move(socket)), instrument_(std::move(instrument)) {}

    void read() {
        constexpr std::size_t longest_message = 1 << 16;
        asio::async_read_until(socket_, asio::dynamic_buffer(buffer_, longest_message), '\n',
                               [self = shared_from_this()](const auto& error, std::size_t length) {
                                   if (!error) self->answer(length);
                               });
    }

  private:
    void answer(std::size_t length) {
        std::string message = buffer_.substr(0, length - 1);
        buffer_.erase(0, length);
        if (message.ends_with('\r')) message.pop_back();
        auto text = instrument_->handle(message);
        if (!text) return read();
        answer_ = std::move(*text) + "\n";
        asio::async_write(socket_, asio::buffer(answer_),
                          [self = shared_from_this()](const auto& error, std::size_t) {
                              if (!error) self->read();
                          });
    }

    tcp::socket socket_;
    std::shared_ptr<SimulatedInstrument> instrument_;
    std::string buffer_, answer_;
};

}  // namespace

struct InstrumentServer::State {
    std::shared_ptr<SimulatedInstrument> instrument;
    asio::io_context io;
    tcp::acceptor acceptor{io};
    std::jthread thread;

    void accept() {
        acceptor.async_accept([this](const auto& error, tcp::socket socket) {
            if (error) return;
            boost::system::error_code ignored;
            socket.set_option(tcp::no_delay(true), ignored);
            std::make_shared<Connection>(std::move(socket), instrument)->read();
            accept();
        });
    }

    ~State() {
        io.stop();
        if (thread.joinable()) thread.join();
    }
};

InstrumentServer::InstrumentServer(std::shared_ptr<SimulatedInstrument> instrument, unsigned short port)
    : state_(std::make_unique<State>()) {
    state_->instrument = std::move(instrument);
    try {
        const tcp::endpoint endpoint(asio::ip::address_v4::loopback(), port);
        state_->acceptor.open(endpoint.protocol());
        state_->acceptor.set_option(tcp::acceptor::reuse_address(true));
        state_->acceptor.bind(endpoint);
        state_->acceptor.listen();
    } catch (const boost::system::system_error& error) {
        fail_bench("cannot serve on port " + std::to_string(port) + ": " + error.code().message());
    }
    state_->accept();
    state_->thread = std::jthread([state = state_.get()] { state->io.run(); });
}

InstrumentServer::~InstrumentServer() = default;
InstrumentServer::InstrumentServer(InstrumentServer&&) noexcept = default;

std::string InstrumentServer::port() const {
    return std::to_string(state_->acceptor.local_endpoint().port());
}

}  // namespace rt
