#include "core/signal/devices.hpp"

#include <cctype>
#include <cmath>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

std::string NearbyDevice::text() const {
    return address + (name.empty() ? "" : " (" + name + ")");
}

const char* allows(const NearbyDevice& device) {
    return device.connects && device.scanned ? "connect, scan"
           : device.connects                 ? "connect"
           : device.scanned                  ? "scan"
                                             : "neither";
}

const char* counting_method(const NearbyDevice& device) {
    return device.scanned ? "scan requests" : device.connects ? "connection" : "none";
}

void require_valid(const Devices& devices, const std::string& place) {
    std::set<std::string> seen;
    for (const auto& device : devices.found) {
        const std::string& address = device.address;
        bool good = address.size() == 17;
        for (std::size_t i = 0; good && i < address.size(); ++i) {
            const auto letter = static_cast<unsigned char>(address[i]);
            good = i % 3 == 2 ? letter == ':' : std::isxdigit(letter) && !std::isupper(letter);
        }
        if (!good)
            fail_input(place, "the address " + in_quotes(address) + " is none; write c0:5e:77:20:00:02");
        if (!seen.insert(address).second) fail_input(place, "the address " + address + " stands there twice");
        if (device.level_dbm && !(std::abs(*device.level_dbm) < 300))
            fail_input(place, "the level of " + device.text() + " is none");
    }
}

}  // namespace rt
