// Writing Touchstone.
#include <cmath>
#include <numbers>

#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"
#include "lab/formats/touchstone.hpp"

namespace rt::lab {
namespace {

std::string one_line(std::string text) {
    for (char& c : text) {
        if (static_cast<unsigned char>(c) < ' ') c = ' ';
    }
    return text;
}

std::string remarks(const Network& n) {
    std::string out;
    if (n.distrust) out += "! distrust: " + one_line(*n.distrust) + "\n";
    if (n.source_dbm) out += "! source level: " + format_exact({*n.source_dbm, Unit::dbm}) + "\n";
    if (n.attenuator_db) out += "! source attenuator: " + format_exact({*n.attenuator_db, Unit::db}) + "\n";
    for (const auto& step : n.done) out += "! done: " + one_line(step) + "\n";
    return out;
}

std::string data(const Network& n, bool row_order) {
    std::string out;
    for (std::size_t i = 0; i < n.frequency_hz.size(); ++i) {
        out += exact(n.frequency_hz[i]);
        std::size_t on_line = 0;
        for (std::size_t a = 1; a <= n.ports; ++a) {
            for (std::size_t b = 1; b <= n.ports; ++b) {
                // At most four parameters stand on a line, and each row of larger networks on its own.
                if (n.ports > 2 && on_line == 4) out += "\n", on_line = 0;
                const auto v = row_order ? n.at(i, a, b) : n.at(i, b, a);
                out += " " + exact(v.real()) + " " + exact(v.imag());
                ++on_line;
            }
            if (n.ports > 2) out += "\n", on_line = 0;
        }
        if (n.ports <= 2) out += "\n";
        if (n.uncertainty.empty()) continue;
        out += "! standard uncertainty:";
        const std::size_t all = n.ports * n.ports;
        for (std::size_t k = 0; k < all; ++k) out += " " + exact(n.uncertainty[i * all + k]);
        out += "\n";
    }
    return out;
}

}  // namespace

bool needs_version_two(const Network& n) {
    return !n.done.empty() || !n.one_reference() || !n.noise.empty();
}

std::string touchstone(const Network& n) {
    if (!needs_version_two(n))
        return remarks(n) + "# HZ S RI R " + exact(n.reference(1)) + "\n" + data(n, n.ports != 2);
    std::string out = "[Version] 2.0\n" + remarks(n) + "# HZ S RI R " + exact(n.reference(1)) +
                      "\n[Number of Ports] " + std::to_string(n.ports) + "\n";
    if (n.ports == 2) out += "[Two-Port Data Order] 12_21\n";
    out += "[Number of Frequencies] " + std::to_string(n.frequency_hz.size()) + "\n";
    if (!n.noise.empty()) out += "[Number of Noise Frequencies] " + std::to_string(n.noise.size()) + "\n";
    out += "[Reference]";
    for (std::size_t p = 1; p <= n.ports; ++p) out += " " + exact(n.reference(p));
    out += "\n[Network Data]\n" + data(n, true);
    if (!n.noise.empty()) out += "[Noise Data]\n";
    for (const auto& point : n.noise) {
        out += exact(point.frequency_hz) + " " + exact(point.minimum_figure_db) + " " +
               exact(std::abs(point.optimum)) + " " +
               exact(std::arg(point.optimum) * 180 / std::numbers::pi) + " " + exact(point.resistance_ohm) +
               "\n";
    }
    return out + "[End]\n";
}

}  // namespace rt::lab
