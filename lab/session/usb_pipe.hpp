// What a USBTMC instrument is spoken to through: its endpoints. By libusb, or a stand-in behind a socket.
#pragma once

#include <chrono>
#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

#include "lab/model/address.hpp"

namespace rt::lab {

class UsbPipe {
  public:
    enum class Target : std::uint8_t { interface = 1, bulk_in = 2, bulk_out = 3 };
    // Of a class request that gives `length` bytes back.
    struct Request {
        Target target = Target::interface;
        std::uint8_t number = 0;
        std::uint16_t value = 0;
        std::uint16_t length = 1;
    };

    virtual ~UsbPipe() = default;
    // "instrument at 1234:5678": for messages.
    virtual std::string name() const = 0;
    // All throw Error(bench) when the device is gone; a time-out is told by the answer.
    virtual bool out(std::string_view bytes, std::chrono::milliseconds timeout) = 0;
    // One transfer of at most so many bytes; "" when nothing comes.
    virtual std::string in(std::size_t most, std::chrono::milliseconds timeout) = 0;
    virtual std::string control(const Request& request, std::chrono::milliseconds timeout) = 0;
    // A notification of the interrupt endpoint; "" without one.
    virtual std::string notification(std::chrono::milliseconds timeout) = 0;
};

// Throws Error(bench) when no such device is there, or several are and no serial number is given.
std::unique_ptr<UsbPipe> open_usb(const Address& address, std::chrono::milliseconds timeout);

// USBTMC devices that are connected, as addresses and what they call themselves.
struct UsbInstrument {
    std::string address, name;
};
// Throws Error(bench) where USB cannot be looked at.
std::vector<UsbInstrument> usb_instruments();

// Numbers of USBTMC (revision 1.0) and its subclass USB488.
namespace usbtmc {
enum Message : std::uint8_t { message_out = 1, request_in = 2, message_in = 2, trigger = 128 };
enum Control : std::uint8_t {
    initiate_abort_out = 1,
    check_abort_out = 2,
    initiate_abort_in = 3,
    check_abort_in = 4,
    initiate_clear = 5,
    check_clear = 6,
    get_capabilities = 7,
    read_status_byte = 128,
    remote_enable = 160,
    go_to_local = 161,
    local_lockout = 162,
};
enum Status : std::uint8_t { success = 1, pending = 2, failed = 0x80, not_in_progress = 0x81 };
inline constexpr std::size_t head_size = 12;

// Table 1: the head of every message; `attributes` bit 0 is the end of a message.
inline std::string head(Message message, std::uint8_t tag, std::uint32_t size, std::uint8_t attributes) {
    std::string out{static_cast<char>(message), static_cast<char>(tag), static_cast<char>(~tag), 0};
    for (int shift = 0; shift < 32; shift += 8) out += static_cast<char>(size >> shift & 0xff);
    out += static_cast<char>(attributes);
    out.append(3, '\0');
    return out;
}
inline std::uint32_t size_of(std::string_view head) {
    std::uint32_t out = 0;
    for (std::size_t i = 0; i < 4; ++i)
        out |= std::uint32_t{static_cast<unsigned char>(head[4 + i])} << (8 * i);
    return out;
}
inline std::string padded(std::string bytes) {
    bytes.append((4 - bytes.size() % 4) % 4, '\0');
    return bytes;
}
}  // namespace usbtmc

}  // namespace rt::lab
