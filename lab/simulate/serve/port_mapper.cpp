#include "lab/simulate/serve/port_mapper.hpp"

#include <array>
#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <boost/asio/ip/udp.hpp>
#include <boost/asio/read.hpp>
#include <boost/asio/write.hpp>
#include <optional>
#include <thread>

#include "core/base/error.hpp"
#include "lab/session/onc_rpc.hpp"

namespace rt::lab {

namespace asio = boost::asio;
using asio::ip::tcp;
using asio::ip::udp;

namespace {

constexpr std::uint16_t mapper_port = 111;

// The answer without the mark of a record.
std::optional<std::string> answer_to(std::string_view text, std::uint16_t port) {
    const auto call = rpc::parse_call(text);
    constexpr std::uint32_t mapper = 100000, get_port = 3, tcp_protocol = 6;
    if (!call || call->program != mapper) return std::nullopt;
    rpc::Reader in(call->parameters);
    std::string results;
    if (call->procedure == get_port) {
        const bool vxi11 = in.number() == rpc::core_program;
        in.number();
        rpc::put(results, vxi11 && in.number() == tcp_protocol ? port : 0);
    }
    return rpc::reply(call->id, call->procedure == 0 || call->procedure == get_port ? 0 : 3, results)
        .substr(4);
}

class MapperConnection : public std::enable_shared_from_this<MapperConnection> {
  public:
    MapperConnection(tcp::socket socket, std::uint16_t port) : socket_(std::move(socket)), port_(port) {}
    void read() {
        asio::async_read(
            socket_, asio::buffer(mark_), [self = shared_from_this()](const auto& error, std::size_t) {
                const std::uint32_t size = rpc::Reader({self->mark_.data(), 4}).number() & 0x7fffffff;
                if (error || size > 4096) return;
                self->text_.resize(size);
                asio::async_read(
                    self->socket_, asio::buffer(self->text_), [self](const auto& e, std::size_t) {
                        const auto answer = e ? std::nullopt : answer_to(self->text_, self->port_);
                        if (!answer) return;
                        self->text_ = rpc::as_record(*answer);
                        asio::async_write(self->socket_, asio::buffer(self->text_),
                                          [self](const auto& f, std::size_t) {
                                              if (!f) self->read();
                                          });
                    });
            });
    }

  private:
    tcp::socket socket_;
    std::uint16_t port_;
    std::array<char, 4> mark_;
    std::string text_;
};

}  // namespace

struct PortMapper::State {
    std::uint16_t port = 0;
    asio::io_context io;
    tcp::acceptor acceptor{io};
    udp::socket datagrams{io};
    udp::endpoint from;
    std::array<char, 2048> text;
    std::jthread thread;

    void listen() {
        acceptor.async_accept([this](const auto& error, tcp::socket socket) {
            if (error) return;
            std::make_shared<MapperConnection>(std::move(socket), port)->read();
            listen();
        });
    }
    void receive() {
        datagrams.async_receive_from(asio::buffer(text), from, [this](const auto& error, std::size_t size) {
            if (error) return;
            if (const auto answer = answer_to({text.data(), size}, port)) {
                boost::system::error_code ignored;
                datagrams.send_to(asio::buffer(*answer), from, 0, ignored);
            }
            receive();
        });
    }
    ~State() {
        io.stop();
        if (thread.joinable()) thread.join();
    }
};

PortMapper::PortMapper(const std::string& address, std::uint16_t port) : state_(std::make_unique<State>()) {
    state_->port = port;
    try {
        const auto host = asio::ip::make_address(address);
        state_->acceptor.open(tcp::v4());
        state_->acceptor.set_option(tcp::acceptor::reuse_address(true));
        state_->acceptor.bind({host, mapper_port});
        state_->acceptor.listen();
        state_->datagrams.open(udp::v4());
        state_->datagrams.set_option(udp::socket::reuse_address(true));
        state_->datagrams.bind({host, mapper_port});
    } catch (const boost::system::system_error& error) {
        fail_bench("cannot serve a port mapper at " + address + ", port 111: " + error.code().message());
    }
    state_->listen();
    state_->receive();
    state_->thread = std::jthread([state = state_.get()] { state->io.run(); });
}

PortMapper::~PortMapper() = default;

}  // namespace rt::lab
