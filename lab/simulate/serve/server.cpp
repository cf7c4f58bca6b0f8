#include "lab/simulate/serve/server.hpp"

#include <boost/asio/io_context.hpp>
#include <boost/asio/ip/tcp.hpp>
#include <thread>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/simulate/serve/served.hpp"

namespace rt::lab {

namespace asio = boost::asio;
using asio::ip::tcp;

std::uint8_t Served::status_byte() const {
    const auto text = instrument->handle("*STB?");
    return static_cast<std::uint8_t>(text ? to_double(*text).value_or(0) : 0);
}

std::size_t message_length(std::string_view buffer) {
    bool quoted = false;
    for (std::size_t at = 0; at < buffer.size(); ++at) {
        if (buffer[at] == '"') quoted = !quoted;
        if (buffer[at] == '\n') return at + 1;
        if (quoted || buffer[at] != '#' || at + 1 >= buffer.size()) continue;
        if (buffer[at + 1] < '1' || buffer[at + 1] > '9') continue;
        const auto digits = static_cast<std::size_t>(buffer[at + 1] - '0');
        if (buffer.size() < at + 2 + digits) return 0;
        const auto size = to_double(buffer.substr(at + 2, digits));
        if (!size || *size < 0) continue;
        at += 1 + digits + static_cast<std::size_t>(*size);
    }
    return 0;
}

Reply Served::reply(std::string message) {
    if (message.ends_with('\n')) message.pop_back();
    // The last byte of a block stays.
    if (message.ends_with('\r') && message.find('#') == std::string::npos) message.pop_back();
    return faults.reply(*instrument, message);
}

struct InstrumentServer::State {
    std::shared_ptr<Served> served;
    Transport transport = Transport::tcp;
    asio::io_context io;
    tcp::acceptor acceptor{io};
    std::shared_ptr<HislipChannels> channels = make_hislip_channels();
    std::jthread thread;

    void accept() {
        acceptor.async_accept([this](const auto& error, tcp::socket socket) {
            if (error) return;
            boost::system::error_code ignored;
            socket.set_option(tcp::no_delay(true), ignored);
            serve(std::move(socket));
            accept();
        });
    }

    void serve(tcp::socket socket) {
        switch (transport) {
            case Transport::tcp:
                return serve_lines(std::move(socket), served);
            case Transport::hislip:
            case Transport::hislip_overlapped:
                return serve_hislip(std::move(socket), served, channels,
                                    transport == Transport::hislip_overlapped);
            case Transport::vxi11:
                return serve_vxi11(std::move(socket), served);
            case Transport::usb:
                return serve_usb(std::move(socket), served);
            case Transport::gpib:
                return serve_converter(std::move(socket), served);
        }
    }

    ~State() {
        io.stop();
        if (thread.joinable()) thread.join();
    }
};

InstrumentServer::InstrumentServer(std::shared_ptr<SimulatedInstrument> instrument, unsigned short port,
                                   Transport transport, std::vector<PlannedFault> faults,
                                   const std::string& listen)
    : state_(std::make_unique<State>()) {
    state_->served = std::make_shared<Served>(Served{std::move(instrument), FaultScript(std::move(faults))});
    state_->transport = transport;
    try {
        const tcp::endpoint endpoint(asio::ip::make_address(listen), port);
        state_->acceptor.open(endpoint.protocol());
        state_->acceptor.set_option(tcp::acceptor::reuse_address(true));
        state_->acceptor.bind(endpoint);
        state_->acceptor.listen();
    } catch (const boost::system::system_error& error) {
        fail_bench("cannot serve at " + listen + ", port " + std::to_string(port) + ": " +
                   error.code().message());
    }
    state_->accept();
    state_->thread = std::jthread([state = state_.get()] { state->io.run(); });
}

InstrumentServer::~InstrumentServer() = default;
InstrumentServer::InstrumentServer(InstrumentServer&&) noexcept = default;

std::string InstrumentServer::host() const {
    return state_->acceptor.local_endpoint().address().to_string();
}

std::string InstrumentServer::port() const {
    return std::to_string(state_->acceptor.local_endpoint().port());
}

std::string InstrumentServer::address() const {
    switch (state_->transport) {
        case Transport::hislip:
        case Transport::hislip_overlapped:
            return "hislip://" + host() + ":" + port();
        case Transport::vxi11:
            return "vxi11://" + host() + ":" + port();
        default:
            return "tcp://" + host() + ":" + port();
    }
}

Address InstrumentServer::place() const {
    Address out = parse_address(address());
    if (state_->transport == Transport::usb) {
        out.kind = Address::Kind::usb;
    } else if (state_->transport == Transport::gpib) {
        auto converter = std::make_shared<Converter>();
        converter->name = "simulated converter";
        converter->line = out;
        converter->select = "@address {address}";
        converter->read = "@read", converter->poll = "@poll", converter->clear = "@clear";
        converter->trigger = "@trigger", converter->local = "@local";
        out.kind = Address::Kind::gpib;
        out.number = simulated_gpib_address;
        out.converter = std::move(converter);
    }
    return out;
}

Transport transport_of(const std::string& name) {
    if (name == "hislip") return Transport::hislip;
    if (name == "vxi11") return Transport::vxi11;
    if (name == "usb") return Transport::usb;
    return name == "gpib" ? Transport::gpib : Transport::tcp;
}

}  // namespace rt::lab
