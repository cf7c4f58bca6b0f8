#include "lab/simulate/server.hpp"

#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/read.hpp>
#include <boost/asio/read_until.hpp>
#include <boost/asio/write.hpp>
#include <thread>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/hislip.hpp"

namespace rt::lab {

namespace asio = boost::asio;
using asio::ip::tcp;

constexpr std::size_t longest_message = 1 << 16;

// The instrument with its faults. All clients of a server share its thread, so it sees one message at a time.
struct Served {
    std::shared_ptr<SimulatedInstrument> instrument;
    FaultScript faults;
};

// One client of the raw socket: messages and answers are lines.
class LineConnection : public std::enable_shared_from_this<LineConnection> {
  public:
    LineConnection(tcp::socket socket, std::shared_ptr<Served> served)
        : socket_(std::move(socket)), served_(std::move(served)) {}

    void read() {
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
        // A browser that a page sends here speaks HTTP; nothing of what follows is for an instrument.
        if (std::exchange(first_, false) && message.find(" HTTP/") != std::string::npos) return;
        Reply reply = served_->faults.reply(*served_->instrument, message);
        if (reply.drop) return;
        if (!reply.text) return read();
        answer_ = std::move(*reply.text) + (reply.cut ? "" : "\n");
        asio::async_write(socket_, asio::buffer(answer_),
                          [self = shared_from_this()](const auto& error, std::size_t) {
                              if (!error) self->read();
                          });
    }

    tcp::socket socket_;
    std::shared_ptr<Served> served_;
    std::string buffer_, answer_;
    bool first_ = true;
};

// One channel of a HiSLIP client (IVI-6.1): the first message says which of the two it is.
class HislipConnection : public std::enable_shared_from_this<HislipConnection> {
  public:
    HislipConnection(tcp::socket socket, std::shared_ptr<Served> served, unsigned short& sessions,
                     std::map<unsigned short, std::weak_ptr<HislipConnection>>& asynchronous)
        : socket_(std::move(socket)),
          served_(std::move(served)),
          sessions_(sessions),
          asynchronous_(asynchronous) {}

    void read() {
        asio::async_read(socket_, asio::buffer(head_),
                         [self = shared_from_this()](const auto& error, std::size_t) {
                             if (!error) self->read_payload();
                         });
    }

  private:
    using Type = hislip::Type;

    void read_payload() {
        if (!hislip::parse({head_.data(), head_.size()}, header_))
            return say(Type::fatal_error, 1, 0, "no header");
        if (header_.length > longest_message) return say(Type::fatal_error, 4, 0, "message too large");
        payload_.resize(header_.length);
        asio::async_read(socket_, asio::buffer(payload_),
                         [self = shared_from_this()](const auto& error, std::size_t) {
                             if (!error) self->take();
                         });
    }

    void take() {
        switch (header_.type) {
            case Type::initialize:
                session_ = ++sessions_;
                return say(Type::initialize_response, 0, hislip::protocol_version << 16 | session_);
            case Type::async_initialize:
                session_ = static_cast<unsigned short>(header_.parameter);
                asynchronous_[session_] = weak_from_this();
                return say(Type::async_initialize_response, 0, 'R' << 8 | 'T');
            case Type::async_maximum_message_size: {
                std::string size;
                hislip::put(size, longest_message, 8);
                return say(Type::async_maximum_message_size_response, 0, 0, size);
            }
            case Type::data:
                message_ += payload_;
                return read();
            case Type::data_end:
                message_ += payload_;
                return answer();
            case Type::device_clear_complete:
                message_.clear();
                return say(Type::device_clear_acknowledge, 0, 0);
            case Type::async_device_clear:
                return say(Type::async_device_clear_acknowledge, 0, 0);
            case Type::async_status_query:
                return say(Type::async_status_response, status_byte(), 0);
            case Type::async_lock:
                return say(Type::async_lock_response, 1, 0);
            case Type::async_lock_info:
                return say(Type::async_lock_info_response, 0, 0);
            case Type::async_remote_local_control:
                return say(Type::async_remote_local_response, 0, 0);
            case Type::trigger:
                return read();
            default:
                return say(Type::error, 1, 0, "unknown message");
        }
    }

    std::uint8_t status_byte() const {
        const auto text = served_->instrument->handle("*STB?");
        return static_cast<std::uint8_t>(text ? to_double(*text).value_or(0) : 0);
    }

    void answer() {
        std::string message = std::exchange(message_, {});
        while (!message.empty() && (message.back() == '\n' || message.back() == '\r')) message.pop_back();
        const bool before = status_byte() & 64;
        Reply reply = served_->faults.reply(*served_->instrument, message);
        if (reply.drop) return;
        if (!before && (status_byte() & 64)) {
            if (const auto channel = asynchronous_[session_].lock()) channel->request_service();
        }
        if (!reply.text) return read();
        say(reply.cut ? Type::data : Type::data_end, 0, header_.parameter,
            *reply.text + (reply.cut ? "" : "\n"));
    }

    void request_service() {
        // Small enough to go out whole; the channel is otherwise silent while its client waits.
        boost::system::error_code ignored;
        asio::write(socket_, asio::buffer(hislip::message(Type::async_service_request, status_byte(), 0)),
                    ignored);
    }

    void say(Type type, std::uint8_t control, std::uint32_t parameter, std::string_view payload = {}) {
        out_ = hislip::message(type, control, parameter, payload);
        asio::async_write(socket_, asio::buffer(out_),
                          [self = shared_from_this(), type](const auto& error, std::size_t) {
                              if (!error && type != Type::fatal_error) self->read();
                          });
    }

    tcp::socket socket_;
    std::shared_ptr<Served> served_;
    unsigned short& sessions_;
    std::map<unsigned short, std::weak_ptr<HislipConnection>>& asynchronous_;
    unsigned short session_ = 0;
    std::array<char, hislip::header_size> head_;
    hislip::Header header_;
    std::string payload_, message_, out_;
};

struct InstrumentServer::State {
    std::shared_ptr<Served> served;
    Transport transport = Transport::tcp;
    asio::io_context io;
    tcp::acceptor acceptor{io};
    unsigned short sessions = 0;
    std::map<unsigned short, std::weak_ptr<HislipConnection>> asynchronous;
    std::jthread thread;

    void accept() {
        acceptor.async_accept([this](const auto& error, tcp::socket socket) {
            if (error) return;
            boost::system::error_code ignored;
            socket.set_option(tcp::no_delay(true), ignored);
            if (transport == Transport::hislip) {
                std::make_shared<HislipConnection>(std::move(socket), served, sessions, asynchronous)->read();
            } else {
                std::make_shared<LineConnection>(std::move(socket), served)->read();
            }
            accept();
        });
    }

    ~State() {
        io.stop();
        if (thread.joinable()) thread.join();
    }
};

InstrumentServer::InstrumentServer(std::shared_ptr<SimulatedInstrument> instrument, unsigned short port,
                                   Transport transport, std::vector<PlannedFault> faults)
    : state_(std::make_unique<State>()) {
    state_->served = std::make_shared<Served>(Served{std::move(instrument), FaultScript(std::move(faults))});
    state_->transport = transport;
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

std::string InstrumentServer::address() const {
    return (state_->transport == Transport::hislip ? "hislip://" : "tcp://") + host() + ":" + port();
}

}  // namespace rt::lab
