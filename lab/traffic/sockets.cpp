#include "lab/traffic/sockets.hpp"

#include <arpa/inet.h>
#include <fmt/core.h>
#include <ifaddrs.h>
#include <net/if.h>
#include <sys/socket.h>

#include <array>
#include <cerrno>
#include <cstring>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {

std::string EndAddress::host() const {
    std::array<char, INET6_ADDRSTRLEN> text{};
    if (address.ss_family == AF_INET) {
        sockaddr_in v4{};
        std::memcpy(&v4, &address, sizeof v4);
        ::inet_ntop(AF_INET, &v4.sin_addr, text.data(), text.size());
    } else {
        sockaddr_in6 v6{};
        std::memcpy(&v6, &address, sizeof v6);
        ::inet_ntop(AF_INET6, &v6.sin6_addr, text.data(), text.size());
    }
    return text.data();
}

unsigned short EndAddress::port() const {
    sockaddr_in v4{};
    std::memcpy(&v4, &address, sizeof v4);  // the port stands at the same place in both
    return ntohs(v4.sin_port);
}

EndAddress EndAddress::at_port(unsigned short port) const {
    EndAddress out = *this;
    sockaddr_in v4{};
    std::memcpy(&v4, &out.address, sizeof v4);
    v4.sin_port = htons(port);
    std::memcpy(&out.address, &v4, sizeof v4);
    return out;
}

EndAddress end_address(const std::string& where) {
    EndAddress out;
    sockaddr_in v4{};
    sockaddr_in6 v6{};
    v4.sin_family = AF_INET, v6.sin6_family = AF_INET6;
    if (::inet_pton(AF_INET, where.c_str(), &v4.sin_addr) == 1) {
        std::memcpy(&out.address, &v4, sizeof v4);
        out.length = sizeof v4;
        return out;
    }
    if (::inet_pton(AF_INET6, where.c_str(), &v6.sin6_addr) == 1) {
        std::memcpy(&out.address, &v6, sizeof v6);
        out.length = sizeof v6;
        return out;
    }
    ifaddrs* all = nullptr;
    if (::getifaddrs(&all) != 0) fail_bench("the interfaces of this machine cannot be listed");
    std::string names;
    bool known = false;
    for (const ifaddrs* one = all; one; one = one->ifa_next) {
        const std::string name = one->ifa_name;
        if ((" " + names + " ").find(" " + name + " ") == std::string::npos)
            names += (names.empty() ? "" : " ") + name;
        if (name != where) continue;
        known = true;
        if (out.length > 0 || !one->ifa_addr || one->ifa_addr->sa_family != AF_INET) continue;
        std::memcpy(&out.address, one->ifa_addr, sizeof v4);
        out.length = sizeof v4, out.interface = name;
    }
    ::freeifaddrs(all);
    if (known && out.length == 0) fail_input("the interface " + where + " has no IPv4 address");
    if (!known)
        fail_input(in_quotes(where) + " is neither an address nor an interface of this machine; it has " +
                   names);
    return out;
}

EndAddress any_like(const EndAddress& to) {
    return end_address(to.address.ss_family == AF_INET ? "0.0.0.0" : "::");
}

OpenFile bound_socket(const EndAddress& end) {
    OpenFile out(::socket(end.address.ss_family, SOCK_DGRAM | SOCK_CLOEXEC, 0));
    const auto fail = [&](const std::string& what) {
        fail_bench(fmt::format("{} at {}: {}", what, end.host(), std::strerror(errno)));
    };
    if (out.get() < 0) fail("no socket");
    const auto set = [&](int level, int option, int value) {
        return ::setsockopt(out.get(), level, option, &value, sizeof value) == 0;
    };
    // The first needs a privilege and goes beyond the system's bound.
    constexpr int room = 64 << 20;
    if (!set(SOL_SOCKET, SO_RCVBUFFORCE, room)) set(SOL_SOCKET, SO_RCVBUF, room);
    if (!set(SOL_SOCKET, SO_SNDBUFFORCE, room / 16)) set(SOL_SOCKET, SO_SNDBUF, room / 16);
    set(SOL_SOCKET, SO_TIMESTAMPNS, 1);
    set(SOL_SOCKET, SO_RXQ_OVFL, 1);
    if (end.address.ss_family == AF_INET) set(IPPROTO_IP, IP_MTU_DISCOVER, IP_PMTUDISC_DO);
    if (!end.interface.empty() && ::setsockopt(out.get(), SOL_SOCKET, SO_BINDTODEVICE, end.interface.data(),
                                               static_cast<socklen_t>(end.interface.size())) != 0)
        fail("cannot be bound to the interface " + end.interface);
    if (::bind(out.get(), reinterpret_cast<const sockaddr*>(&end.address), end.length) != 0)
        fail("cannot listen");
    return out;
}

unsigned short port_of(const OpenFile& socket) {
    EndAddress out;
    out.length = sizeof out.address;
    ::getsockname(socket.get(), reinterpret_cast<sockaddr*>(&out.address), &out.length);
    return out.port();
}

}  // namespace rt::lab
