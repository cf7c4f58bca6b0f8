#include "lab/session/look_around.hpp"

#include <arpa/inet.h>
#include <ifaddrs.h>
#include <net/if.h>
#include <poll.h>
#include <sys/socket.h>

#include <algorithm>
#include <cstring>
#include <filesystem>
#include <memory>
#include <optional>

#include "core/base/error.hpp"
#include "lab/session/connect.hpp"
#include "lab/session/onc_rpc.hpp"
#include "lab/session/usb_pipe.hpp"

namespace rt::lab {
namespace {

using std::chrono::milliseconds;

std::optional<sockaddr_in> broadcast_of(const std::string& interface, std::string& why) {
    ifaddrs* list = nullptr;
    if (::getifaddrs(&list) != 0) {
        why = std::strerror(errno);
        return std::nullopt;
    }
    const std::unique_ptr<ifaddrs, decltype(&::freeifaddrs)> held(list, &::freeifaddrs);
    why = "there is no such interface";
    for (const ifaddrs* at = list; at; at = at->ifa_next) {
        if (interface != at->ifa_name) continue;
        why = "it has no broadcast address of IPv4";
        if (!at->ifa_addr || at->ifa_addr->sa_family != AF_INET || !(at->ifa_flags & IFF_BROADCAST) ||
            !at->ifa_broadaddr)
            continue;
        sockaddr_in out{};
        std::memcpy(&out, at->ifa_broadaddr, sizeof out);
        return out;
    }
    return std::nullopt;
}

// RFC 1833, 3.2: PMAPPROC_GETPORT of the port mapper, for VXI-11 over TCP.
std::string port_question(std::uint32_t id) {
    std::string out;
    constexpr std::uint32_t mapper = 100000, version = 2, get_port = 3, tcp = 6;
    for (const std::uint32_t word :
         {id, 0u, 2u, mapper, version, get_port, 0u, 0u, 0u, 0u, rpc::core_program, 1u, tcp, 0u})
        rpc::put(out, word);
    return out;
}

}  // namespace

std::vector<Sighting> look_by_broadcast(const std::string& interface, milliseconds time, Blind& blind) {
    std::vector<Sighting> found;
    std::string why;
    auto everybody = broadcast_of(interface, why);
    if (!everybody) {
        blind.push_back("by broadcast on " + interface + ": " + why);
        return found;
    }
    constexpr std::uint16_t mapper_port = 111;
    everybody->sin_port = htons(mapper_port);
    const OpenFile socket(::socket(AF_INET, SOCK_DGRAM | SOCK_CLOEXEC, 0));
    const int on = 1;
    ::setsockopt(socket.get(), SOL_SOCKET, SO_BROADCAST, &on, sizeof on);
    constexpr std::uint32_t id = 0x52540001;
    const std::string question = port_question(id);
    if (::sendto(socket.get(), question.data(), question.size(), 0, reinterpret_cast<sockaddr*>(&*everybody),
                 sizeof *everybody) < 0) {
        blind.push_back("by broadcast on " + interface + ": " + std::strerror(errno));
        return found;
    }
    const auto end = std::chrono::steady_clock::now() + time;
    for (;;) {
        const auto left = std::chrono::duration_cast<milliseconds>(end - std::chrono::steady_clock::now());
        pollfd entry{socket.get(), POLLIN, 0};
        if (left.count() <= 0 || ::poll(&entry, 1, static_cast<int>(left.count())) <= 0) break;
        char text[512];
        sockaddr_in from{};
        socklen_t length = sizeof from;
        const auto count =
            ::recvfrom(socket.get(), text, sizeof text, 0, reinterpret_cast<sockaddr*>(&from), &length);
        if (count <= 0) continue;
        rpc::Reader in({text, static_cast<std::size_t>(count)});
        const bool ours = in.number() == id, reply = in.number() == 1, accepted = in.number() == 0;
        in.number(), in.bytes();  // verifier
        const bool success = in.number() == 0;
        const std::uint32_t port = in.number();
        if (!in.ok() || !ours || !reply || !accepted || !success || port == 0 || port > 65535) continue;
        char host[INET_ADDRSTRLEN];
        ::inet_ntop(AF_INET, &from.sin_addr, host, sizeof host);
        found.push_back({"vxi11://" + std::string(host), "broadcast on " + interface, ""});
    }
    return found;
}

std::vector<Sighting> look_at_usb(Blind& blind) {
    std::vector<Sighting> found;
    try {
        for (const auto& device : usb_instruments()) found.push_back({device.address, "USB", device.name});
    } catch (const Error& error) {
        blind.push_back(std::string("USB: ") + error.what());
    }
    std::error_code ignored;
    for (const auto& entry : std::filesystem::directory_iterator("/dev", ignored)) {
        const std::string name = entry.path().filename().string();
        if (name.starts_with("usbtmc"))
            found.push_back({"device:/dev/" + name, "USB, driver of the kernel", ""});
    }
    return found;
}

std::vector<Sighting> look_at_serial_lines() {
    std::vector<Sighting> found;
    std::error_code ignored;
    for (const auto& entry : std::filesystem::directory_iterator("/dev", ignored)) {
        const std::string name = entry.path().filename().string();
        const bool line = name.starts_with("ttyUSB") || name.starts_with("ttyACM");
        if (line) found.push_back({"serial:/dev/" + name + ",115200,8N1", "serial line", ""});
    }
    for (const auto& entry : std::filesystem::directory_iterator("/dev/serial/by-id", ignored)) {
        const auto target = std::filesystem::read_symlink(entry.path(), ignored).filename().string();
        for (auto& seen : found) {
            if (seen.address.find("/dev/" + target + ",") != std::string::npos)
                seen.called = entry.path().filename().string();
        }
    }
    std::sort(found.begin(), found.end(),
              [](const Sighting& a, const Sighting& b) { return a.address < b.address; });
    return found;
}

}  // namespace rt::lab
