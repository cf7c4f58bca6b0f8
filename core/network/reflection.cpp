#include "core/network/reflection.hpp"

#include <fmt/core.h>

#include "core/base/error.hpp"

namespace rt {

Reflections reflections(const Network& network, const ReflectionPorts& ports) {
    for (const std::size_t port : {ports.a, ports.b}) {
        if (port > network.ports) {
            fail_input(fmt::format("the data has no port {}, it has {}", port, network.ports));
        }
    }
    if (ports.a == 0) fail_input("ports count from 1");
    if (ports.a == ports.b) fail_input("a pair needs two different ports");
    const bool pair = ports.b > 0;
    if (pair && network.reference(ports.a) != network.reference(ports.b))
        fail_input("the ports of the pair count from different references: renormalise the data first");
    const double own = network.reference(ports.a) * (pair ? 2 : 1);
    Reflections out;
    out.reference_ohm = ports.reference_ohm > 0 ? ports.reference_ohm : own;
    for (std::size_t i = 0; i < network.frequency_hz.size(); ++i) {
        std::complex<double> seen = network.at(i, ports.a, ports.a);
        if (pair) {
            const auto ab = network.at(i, ports.a, ports.b), ba = network.at(i, ports.b, ports.a);
            const auto bb = network.at(i, ports.b, ports.b);
            out.mode_conversion.push_back((seen - ab + ba - bb) / 2.0);
            seen = (seen - ab - ba + bb) / 2.0;
        }
        if (out.reference_ohm != own) {
            // Z / own = (1 + s) / (1 - s), seen from the other resistance; an open line stays one.
            const double ratio = out.reference_ohm / own;
            const auto up = 1.0 + seen, down = 1.0 - seen;
            seen = (up - ratio * down) / (up + ratio * down);
        }
        out.reflection.push_back(seen);
    }
    return out;
}

}  // namespace rt
