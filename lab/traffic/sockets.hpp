// Sockets of one end of traffic.
#pragma once

#include <netinet/in.h>

#include <string>

#include "lab/session/connect.hpp"

namespace rt::lab {

struct EndAddress {
    sockaddr_storage address{};
    socklen_t length = 0;
    std::string interface;  // that it must leave by; "" where only an address was named

    std::string host() const;
    unsigned short port() const;
    EndAddress at_port(unsigned short port) const;
};

// Of an address or the name of an interface of this machine. Throws Error(input) for what is neither.
EndAddress end_address(const std::string& where);

// Any address of this machine that frames to that one can leave by.
EndAddress any_like(const EndAddress& to);

// A UDP socket bound there, with as much room as the system gives. Throws Error(bench).
OpenFile bound_socket(const EndAddress& end);

// Port of a bound socket.
unsigned short port_of(const OpenFile& socket);

}  // namespace rt::lab
