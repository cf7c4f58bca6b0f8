#include <avahi-client/client.h>
#include <avahi-client/lookup.h>
#include <avahi-common/error.h>
#include <avahi-common/simple-watch.h>

#include <memory>

#include "lab/session/look_around.hpp"

namespace rt::lab {
namespace {

std::string scheme_of(const std::string& type) {
    return type == "_hislip._tcp" ? "hislip://" : type == "_vxi-11._tcp" ? "vxi11://" : "tcp://";
}

void resolved(AvahiServiceResolver* resolver, AvahiIfIndex, AvahiProtocol, AvahiResolverEvent event,
              const char* name, const char* type, const char*, const char*, const AvahiAddress* address,
              std::uint16_t port, AvahiStringList*, AvahiLookupResultFlags, void* user) {
    auto& found = *static_cast<std::vector<Sighting>*>(user);
    if (event == AVAHI_RESOLVER_FOUND) {
        char text[AVAHI_ADDRESS_STR_MAX];
        avahi_address_snprint(text, sizeof text, address);
        const std::string host = address->proto == AVAHI_PROTO_INET6 ? "[" + std::string(text) + "]" : text;
        // The port mapper of VXI-11 is asked for the port.
        const std::string scheme = scheme_of(type);
        const Sighting seen{scheme + host + (scheme == "vxi11://" ? "" : ":" + std::to_string(port)),
                            "name in the network", name};
        bool known = false;
        for (const auto& other : found) known = known || other.address == seen.address;
        if (!known) found.push_back(seen);
    }
    avahi_service_resolver_free(resolver);
}

void browsed(AvahiServiceBrowser* browser, AvahiIfIndex interface, AvahiProtocol protocol,
             AvahiBrowserEvent event, const char* name, const char* type, const char* domain,
             AvahiLookupResultFlags, void* user) {
    if (event != AVAHI_BROWSER_NEW) return;
    avahi_service_resolver_new(avahi_service_browser_get_client(browser), interface, protocol, name, type,
                               domain, AVAHI_PROTO_INET, static_cast<AvahiLookupFlags>(0), resolved, user);
}

}  // namespace

std::vector<Sighting> look_by_name(std::chrono::milliseconds time, Blind& blind) {
    std::vector<Sighting> found;
    const std::unique_ptr<AvahiSimplePoll, decltype(&avahi_simple_poll_free)> poll(avahi_simple_poll_new(),
                                                                                   avahi_simple_poll_free);
    int error = 0;
    AvahiClient* client = poll ? avahi_client_new(
                                     avahi_simple_poll_get(poll.get()), static_cast<AvahiClientFlags>(0),
                                     [](AvahiClient*, AvahiClientState, void*) {}, nullptr, &error)
                               : nullptr;
    if (!client) {
        blind.push_back(std::string("by name: Avahi is not to be reached (") + avahi_strerror(error) + ")");
        return found;
    }
    const std::unique_ptr<AvahiClient, decltype(&avahi_client_free)> held(client, avahi_client_free);
    for (const char* type : {"_hislip._tcp", "_vxi-11._tcp", "_scpi-raw._tcp"}) {
        if (!avahi_service_browser_new(client, AVAHI_IF_UNSPEC, AVAHI_PROTO_UNSPEC, type, nullptr,
                                       static_cast<AvahiLookupFlags>(0), browsed, &found))
            blind.push_back(std::string("by name: ") + type + " (" +
                            avahi_strerror(avahi_client_errno(client)) + ")");
    }
    const auto end = std::chrono::steady_clock::now() + time;
    constexpr int step_ms = 50;
    while (std::chrono::steady_clock::now() < end) {
        if (avahi_simple_poll_iterate(poll.get(), step_ms) != 0) break;
    }
    return found;
}

}  // namespace rt::lab
