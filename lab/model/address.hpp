// Where an instrument is: "tcp://host:port", "serial:/dev/ttyUSB0,115200,8N1" ... taken apart.
#pragma once

#include <cstdint>
#include <memory>
#include <string>
#include <string_view>
#include <vector>

namespace rt::lab {

struct Converter;

struct Address {
    enum class Kind {
        tcp,        // raw socket
        hislip,     // IVI-6.1
        vxi11,      // VXI-11, TCP/IP instrument protocol
        usb,        // USBTMC, without a driver of the kernel
        gpib,       // behind a converter
        serial,     // a serial line
        device,     // a character device such as /dev/usbtmc0
        here,       // the program itself
        simulated,  // started with the run; `name` is the transport: tcp, hislip, vxi11, usb or gpib
        files,      // recorded captures, by file-name pattern
        program,    // an external program sets the unit
        by_hand,    // the operator sets it
    };

    Kind kind = Kind::tcp;
    std::string text;        // as written
    std::string host, port;  // "" for a port that is asked for (VXI-11)
    std::string name;        // HiSLIP sub-address, VXI-11 device, converter, transport of a simulated one
    std::string path;        // device, pattern or program
    unsigned baud = 115200;
    unsigned data_bits = 8, stop_bits = 1;
    char parity = 'N';                                              // N, E or O
    enum class Flow { none, lines, characters } flow = Flow::none;  // RTS and CTS, XON and XOFF
    std::uint16_t vendor = 0, product = 0;                          // USB
    std::string serial_number;                                      // USB; "" for the only one
    int number = 0;                                                 // on the GPIB, 0 to 30
    std::shared_ptr<const Converter> converter;                     // to the GPIB

    // True when messages can be exchanged with it.
    bool speaks() const { return kind <= Kind::simulated; }
};

// What stands between a raw socket (or a serial line) and the GPIB, in its own words. {address} stands for an
// instrument's number.
struct Converter {
    std::string name;
    Address line;                       // tcp or serial
    std::vector<std::string> setup;     // once after connecting
    std::string select;                 // before something is said to another instrument than before
    std::string read;                   // asks for an answer; "" where answers come by themselves
    std::string poll;                   // asks for the status byte; "" where it cannot
    std::string clear, trigger, local;  // selected device clear, group execute trigger, go to local
};

// The transports of simulated instruments: "simulated" and "simulated:NAME".
const std::vector<std::string>& simulated_transports();

// Throws Error(input) that says what can be written.
Address parse_address(std::string_view text);

}  // namespace rt::lab
