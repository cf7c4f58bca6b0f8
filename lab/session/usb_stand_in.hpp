// A USBTMC device that is not there: its transfers go over a socket to a simulated instrument.
#pragma once

#include "lab/session/onc_rpc.hpp"
#include "lab/session/tcp_session.hpp"
#include "lab/session/usb_pipe.hpp"

namespace rt::lab {

// Each exchange is a letter, a length (four bytes, highest first) and what belongs to it; so is the answer.
// 'O' bulk-OUT; 'I' bulk-IN, how many bytes at most and how many milliseconds; 'C' a class request: target,
// number, value, length; 'N' the interrupt endpoint, milliseconds.
class UsbStandIn : public UsbPipe {
  public:
    UsbStandIn(const Address& address, std::chrono::milliseconds timeout)
        : name_("instrument at " + address.text), socket_(address.host, address.port, timeout) {}

    std::string name() const override { return name_; }
    bool out(std::string_view bytes, std::chrono::milliseconds timeout) override {
        exchange('O', std::string(bytes), timeout);
        return true;
    }
    std::string in(std::size_t most, std::chrono::milliseconds timeout) override {
        return exchange('I', number(most) + number(static_cast<std::size_t>(timeout.count())), timeout);
    }
    std::string control(const Request& request, std::chrono::milliseconds timeout) override {
        std::string text{static_cast<char>(request.target), static_cast<char>(request.number)};
        text += number(request.value) + number(request.length);
        return exchange('C', text, timeout);
    }
    std::string notification(std::chrono::milliseconds timeout) override {
        return exchange('N', number(static_cast<std::size_t>(timeout.count())), timeout);
    }

    static std::string number(std::size_t value) {
        std::string out;
        rpc::put(out, static_cast<std::uint32_t>(value));
        return out;
    }
    static std::size_t number_of(std::string_view bytes) { return rpc::Reader(bytes).number(); }

  private:
    std::string exchange(char kind, const std::string& text, std::chrono::milliseconds timeout) {
        socket_.write(kind + number(text.size()) + text);
        // The device counts the time itself; the socket is given some more.
        const auto most = timeout + std::chrono::milliseconds(1000);
        const std::string head = socket_.read_exactly(5, most);
        const std::size_t size = number_of(std::string_view(head).substr(1));
        return size ? socket_.read_exactly(size, most) : "";
    }

    std::string name_;
    TcpSession socket_;
};

}  // namespace rt::lab
