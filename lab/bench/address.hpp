// "tcp://host:port" taken apart.
#pragma once

#include <string>

namespace rt {

struct Endpoint {
    std::string host, port;
};

// `address` was checked when its bench was read.
inline Endpoint endpoint_of(const std::string& address) {
    const std::string rest = address.substr(std::string("tcp://").size());
    const auto colon = rest.rfind(':');
    return {rest.substr(0, colon), rest.substr(colon + 1)};
}

}  // namespace rt
