// Instruments that can be found: by their names in the network, by a broadcast, on USB, on serial lines.
#pragma once

#include <chrono>
#include <string>
#include <vector>

namespace rt::lab {

struct Sighting {
    std::string address;  // as a bench file writes it
    std::string by;       // "name in the network", "broadcast on eth0", "USB", "serial line"
    std::string called;   // what it calls itself there
};

// What could not be looked at, each in words: no daemon, no such interface.
using Blind = std::vector<std::string>;

// _hislip._tcp, _vxi-11._tcp and _scpi-raw._tcp by mDNS (RFC 6762) through Avahi.
std::vector<Sighting> look_by_name(std::chrono::milliseconds time, Blind& blind);
// Port mappers that know VXI-11, asked by a broadcast on one interface (VXI-11, B.1; RFC 1833).
std::vector<Sighting> look_by_broadcast(const std::string& interface, std::chrono::milliseconds time,
                                        Blind& blind);
// USBTMC devices, with a driver of the kernel or without.
std::vector<Sighting> look_at_usb(Blind& blind);
// Serial lines that are there; nothing is said on them.
std::vector<Sighting> look_at_serial_lines();

}  // namespace rt::lab
