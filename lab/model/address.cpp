#include "lab/model/address.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {
namespace {

[[noreturn]] void fail(std::string_view text, const std::string& why) {
    fail_input(in_quotes(text) + " is no address" + why +
               ": write \"tcp://host:port\", \"hislip://host\", \"vxi11://host\", \"usb:1234:5678\", "
               "\"gpib:CONVERTER,9\", \"serial:/dev/ttyUSB0,115200,8N1\", \"device:/dev/usbtmc0\", "
               "\"simulated\", \"here\", \"files:PATTERN\", \"program:FILE\" or \"by hand\"");
}

void require_port(std::string_view text, const std::string& port) {
    const auto number = to_double(port);
    if (!number || *number < 1 || *number > 65535 || *number != static_cast<unsigned short>(*number)) {
        fail(text, ", its port is not 1 to 65535");
    }
}

// "host:port", "host", "[::1]:5025".
void read_host(std::string_view whole, std::string_view text, const char* default_port, Address& out) {
    const auto bracket = text.rfind(']');
    const auto colon = text.rfind(':');
    const bool port =
        colon != std::string_view::npos && (bracket == std::string_view::npos ? true : colon > bracket);
    out.host = std::string(text.substr(0, port ? colon : text.size()));
    if (out.host.size() > 2 && out.host.front() == '[') out.host = out.host.substr(1, out.host.size() - 2);
    out.port = port ? std::string(text.substr(colon + 1)) : default_port ? default_port : "";
    if (out.host.empty()) fail(whole, ", it names no host");
    if (!port && !default_port) return;
    if (out.port.empty()) fail(whole, ", it names no port");
    require_port(whole, out.port);
}

void read_serial(std::string_view whole, std::string_view rest, Address& out) {
    const auto parts = split(rest, ',');
    out.path = std::string(trim(parts[0]));
    if (out.path.empty()) fail(whole, ", it names no device");
    if (parts.size() > 1) {
        const auto baud = to_double(trim(parts[1]));
        if (!baud || *baud < 50 || *baud > 4e6) fail(whole, ", its rate is no number of bits a second");
        out.baud = static_cast<unsigned>(*baud);
    }
    if (parts.size() > 2) {
        const auto frame = trim(parts[2]);
        if (frame.size() != 3 || frame[0] < '5' || frame[0] > '8' ||
            std::string_view("NEO").find(frame[1]) == std::string_view::npos || frame[2] < '1' ||
            frame[2] > '2') {
            fail(whole, ", its frame is not of the form 8N1");
        }
        out.data_bits = static_cast<unsigned>(frame[0] - '0');
        out.parity = frame[1];
        out.stop_bits = static_cast<unsigned>(frame[2] - '0');
    }
    if (parts.size() > 3) {
        const auto flow = trim(parts[3]);
        if (flow != "rts" && flow != "xon")
            fail(whole, ", its flow control is neither rts (lines) nor xon (characters)");
        out.flow = flow == "rts" ? Address::Flow::lines : Address::Flow::characters;
    }
}

// "host[:port][/name]".
void read_network(std::string_view whole, std::string_view rest, const char* port, const char* name,
                  Address& out) {
    const auto slash = rest.find('/');
    out.name = slash == std::string_view::npos ? name : std::string(rest.substr(slash + 1));
    read_host(whole, rest.substr(0, slash), port, out);
}

// "1234:5678" or "1234:5678:SERIAL", in hexadecimal digits.
void read_usb(std::string_view whole, std::string_view rest, Address& out) {
    const auto parts = split(rest, ':');
    const auto id = [&](std::string_view digits) {
        if (digits.size() != 4 ||
            digits.find_first_not_of("0123456789abcdefABCDEF") != std::string_view::npos)
            fail(whole, ", vendor and product are four hexadecimal digits each");
        return static_cast<std::uint16_t>(std::stoul(std::string(digits), nullptr, 16));
    };
    if (parts.size() < 2 || parts.size() > 3) fail(whole, ", it is not of the form usb:1234:5678:SERIAL");
    out.vendor = id(parts[0]), out.product = id(parts[1]);
    if (parts.size() == 3) out.serial_number = std::string(parts[2]);
}

void read_gpib(std::string_view whole, std::string_view rest, Address& out) {
    const auto parts = split(rest, ',');
    const auto number = parts.size() == 2 ? to_double(trim(parts[1])) : std::nullopt;
    if (!number || *number < 0 || *number > 30 || *number != static_cast<int>(*number))
        fail(whole, ", it is not of the form gpib:CONVERTER,9 with 0 to 30");
    out.name = std::string(trim(parts[0]));
    out.number = static_cast<int>(*number);
}

}  // namespace

const std::vector<std::string>& simulated_transports() {
    static const std::vector<std::string> names{"tcp", "hislip", "vxi11", "usb", "gpib"};
    return names;
}

Address parse_address(std::string_view text) {
    using enum Address::Kind;
    Address out;
    out.text = text;
    const auto after = [&](std::string_view scheme) { return text.substr(scheme.size()); };
    if (text == "simulated" || text.starts_with("simulated:")) {
        out.kind = simulated;
        out.name = text == "simulated" ? "tcp" : after("simulated:");
        const auto& known = simulated_transports();
        if (std::find(known.begin(), known.end(), out.name) == known.end())
            fail(text, ", a simulated instrument is reached by tcp, hislip, vxi11, usb or gpib");
    } else if (text == "here") {
        out.kind = here;
    } else if (text == "by hand") {
        out.kind = by_hand;
    } else if (text.starts_with("tcp://")) {
        read_host(text, after("tcp://"), "", out);
    } else if (text.starts_with("hislip://")) {
        out.kind = hislip;
        read_network(text, after("hislip://"), "4880", "hislip0", out);
    } else if (text.starts_with("vxi11://")) {
        out.kind = vxi11;
        read_network(text, after("vxi11://"), nullptr, "inst0", out);
    } else if (text.starts_with("usb:")) {
        out.kind = usb;
        read_usb(text, after("usb:"), out);
    } else if (text.starts_with("gpib:")) {
        out.kind = gpib;
        read_gpib(text, after("gpib:"), out);
    } else if (text.starts_with("serial:")) {
        out.kind = serial;
        read_serial(text, after("serial:"), out);
    } else if (text.starts_with("device:") || text.starts_with("files:") || text.starts_with("program:")) {
        out.kind = text[0] == 'd' ? device : text[0] == 'f' ? files : program;
        out.path = std::string(trim(text.substr(text.find(':') + 1)));
        if (out.path.empty()) fail(text, ", nothing stands behind the colon");
    } else {
        fail(text, "");
    }
    return out;
}

}  // namespace rt::lab
