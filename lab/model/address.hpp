// Where an instrument is: "tcp://host:port", "serial:/dev/ttyUSB0,115200,8N1" ... taken apart.
#pragma once

#include <string>
#include <string_view>

namespace rt::lab {

struct Address {
    enum class Kind {
        tcp,        // raw socket
        hislip,     // IVI-6.1
        serial,     // a serial line
        device,     // a character device such as /dev/usbtmc0
        simulated,  // started with the run; `name` is the transport, "tcp" or "hislip"
        files,      // recorded captures, by file-name pattern
        program,    // an external program sets the unit
        by_hand,    // the operator sets it
    };

    Kind kind = Kind::tcp;
    std::string host, port;
    std::string name;  // HiSLIP sub-address, or transport of a simulated instrument
    std::string path;  // device, pattern or program
    unsigned baud = 115200;
    unsigned data_bits = 8, stop_bits = 1;
    char parity = 'N';  // N, E or O

    // True when messages can be exchanged with it.
    bool speaks() const { return kind <= Kind::simulated; }
};

// Throws Error(input) that says what can be written.
Address parse_address(std::string_view text);

}  // namespace rt::lab
