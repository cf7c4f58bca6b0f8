// Reflections of known loads.
#include "core/network/reflection.hpp"

#include <cmath>
#include <complex>

#include "core/base/error.hpp"
#include "tests/about.hpp"
#include "tests/core/procedures.hpp"

using namespace rt;
using Complex = std::complex<double>;

namespace {

// One port that ends in a resistance, in a system of `reference`.
Network ended_in(double ohm, double reference = 50) {
    Network n;
    n.ports = 1;
    n.reference_ohm = {reference};
    for (const double hz : {1e6, 10e6, 100e6}) {
        n.frequency_hz.push_back(hz);
        n.s.push_back((ohm - reference) / (ohm + reference));
    }
    return n;
}

// Two conductors with a resistance between them and one from each to ground, by their admittances.
Network pair_of(double between, double ground_a, double ground_b) {
    const double g = 1 / between, ya = g + 1 / ground_a, yb = g + 1 / ground_b, y0 = 1.0 / 50;
    // S = (Y0 - Y)(Y0 + Y)^-1
    const double p = y0 + ya, q = -g, r = y0 + yb, det = p * r - q * q;
    const double a = y0 - ya, b = g, d = y0 - yb;
    Network n;
    n.ports = 2;
    n.frequency_hz = {1e6, 2e6};
    for (int i = 0; i < 2; ++i) {
        n.s.push_back((a * r - b * q) / det);
        n.s.push_back((-a * q + b * p) / det);
        n.s.push_back((b * r - d * q) / det);
        n.s.push_back((-b * q + d * p) / det);
    }
    return n;
}

}  // namespace

TEST_CASE("return loss of a resistance, in its own and in another system") {
    CHECK(value(run("network.return-loss", ended_in(75)), "least_return_loss") ==
          about(-20 * std::log10(25.0 / 125)));
    // A differential port measured in 50 ohm, judged in 100 ohm.
    CHECK(value(run("network.return-loss", ended_in(120), {{"reference", "100 ohm"}}), "least_return_loss") ==
          about(-20 * std::log10(20.0 / 220)));
    CHECK(value(run("network.return-loss", ended_in(1e12), {{"reference", "100 ohm"}}),
                "least_return_loss") == about(0).epsilon(1e-6));
}

TEST_CASE("a pair is judged by its mixed-mode parameters") {
    // 80 ohm between both conductors, far from ground: differential 80 ohm.
    const auto even = run("network.return-loss", pair_of(80, 1e9, 1e9), {{"ports", "1-2"}});
    CHECK(value(even, "least_return_loss") == about(-20 * std::log10(20.0 / 180)).epsilon(1e-6));
    CHECK(value(even, "least_mode_conversion_loss") > 120);
    // Unequal grounds turn differential into common waves. Closed form: with a and b driven by +-v/2 behind
    // 50 ohm, the common part of what comes back.
    const Network uneven = pair_of(100, 200, 400);
    const auto seen = reflections(uneven, {1, 2, 0});
    const Complex expected =
        (uneven.at(0, 1, 1) - uneven.at(0, 1, 2) + uneven.at(0, 2, 1) - uneven.at(0, 2, 2)) / 2.0;
    CHECK(std::abs(seen.mode_conversion[0] - expected) < 1e-12);
    CHECK(std::abs(seen.mode_conversion[0]) > 0.01);
}

TEST_CASE("what cannot be a passive port, or is not there, is refused") {
    Network loud = ended_in(75);
    for (auto& s : loud.s) s = 1.2;
    const auto out = run("network.return-loss", loud);
    REQUIRE(out.invalid);
    CHECK(out.invalid->find("more power comes back") == 0);
    CHECK_THROWS_WITH(run("network.return-loss", ended_in(75), {{"ports", "1-2"}}),
                      "the data has no port 2, it has 1");
    CHECK_THROWS_AS(run("network.return-loss", ended_in(75), {{"ports", "x"}}), Error);
    CHECK_THROWS_AS(run("network.return-loss", waveform_in_memory(std::vector<double>(100), 1)), Error);
    Network doubtful = ended_in(75);
    doubtful.distrust = "source unlevelled";
    CHECK(run("network.return-loss", doubtful).invalid == "source unlevelled");
}
