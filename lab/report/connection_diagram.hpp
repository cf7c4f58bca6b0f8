// How a bench is connected, as a drawing and as text.
#pragma once

#include <set>
#include <string>
#include <vector>

#include "lab/model/bench.hpp"

namespace rt::lab {

// One line an instrument: what stands between it and the port of the unit.
struct Connection {
    std::string port;                // of the unit, or what the bench says it is connected to
    std::vector<std::string> parts;  // "cable C-17 (0.8 dB)"
    std::string role, name, serial, address;
};

// Of the instruments in these roles; all when empty.
std::vector<Connection> connections(const Bench& bench, const std::set<std::string>& roles);

// "antenna ── cable C-17 (0.8 dB) ── analyser  Simulated signal analyser, A-2207"
std::vector<std::string> diagram_text(const std::vector<Connection>& list);

// A drawing: the unit with its ports on the left, what stands between, the instruments on the right.
std::string diagram_svg(const std::vector<Connection>& list, const std::string& unit,
                        const std::string& bench);

}  // namespace rt::lab
