// Forms of network parameters against closed forms and against one another.
#include "core/network/forms.hpp"

#include <doctest/doctest.h>

#include "core/base/error.hpp"
#include "tests/core/made_network.hpp"

using namespace rt;
using namespace made;

namespace {

const std::vector<double> hz = grid(1e9, 10e9, 19);

double apart(const std::vector<Complex>& a, const std::vector<Complex>& b) {
    REQUIRE(a.size() == b.size());
    double worst = 0;
    for (std::size_t i = 0; i < a.size(); ++i) worst = std::max(worst, std::abs(a[i] - b[i]));
    return worst;
}

Network wild_network(unsigned seed, std::size_t ports, std::vector<double> references = {50}) {
    Wild wild(seed);
    Network out = network(hz, ports, [&](double) {
        std::vector<Complex> s;
        for (std::size_t i = 0; i < ports * ports; ++i)
            s.push_back(wild.within(0.9 / static_cast<double>(ports)));
        return s;
    });
    out.reference_ohm = std::move(references);
    return out;
}

Complex capacitor(double f) {
    return 1.0 / Complex(0, 2 * std::numbers::pi * f * 1e-12);
}

}  // namespace

TEST_CASE("impedance, admittance, hybrid and chain parameters are those of the text book") {
    // A T of three impedances has Z = [za + zc, zc; zc, zb + zc]; its chain matrix follows from products.
    const auto tee = [&](double f) {
        const Complex za(10, f / 1e9), zb(20, -3), zc = capacitor(f);
        const Complex s11 = za + zc, s22 = zb + zc;
        const Complex den = (s11 + 50.0) * (s22 + 50.0) - zc * zc;
        return std::vector<Complex>{((s11 - 50.0) * (s22 + 50.0) - zc * zc) / den, 100.0 * zc / den,
                                    100.0 * zc / den, ((s11 + 50.0) * (s22 - 50.0) - zc * zc) / den};
    };
    const Network n = network(hz, 2, tee);
    const auto z = matrices(n, Form::impedance), y = matrices(n, Form::admittance),
               h = matrices(n, Form::hybrid);
    const auto g = matrices(n, Form::inverse_hybrid), a = matrices(n, Form::chain);
    for (std::size_t i = 0; i < hz.size(); ++i) {
        const Complex za(10, hz[i] / 1e9), zb(20, -3), zc = capacitor(hz[i]);
        const Complex z11 = za + zc, z22 = zb + zc, det = z11 * z22 - zc * zc;
        const double near = 1e-9 * std::abs(zc);
        CHECK(std::abs(z[4 * i] - z11) < near);
        CHECK(std::abs(z[4 * i + 1] - zc) < near);
        CHECK(std::abs(z[4 * i + 3] - z22) < near);
        CHECK(std::abs(y[4 * i] - z22 / det) < 1e-12);
        CHECK(std::abs(y[4 * i + 2] + zc / det) < 1e-12);
        CHECK(std::abs(h[4 * i] - det / z22) < 1e-9);
        CHECK(std::abs(h[4 * i + 1] - zc / z22) < 1e-11);
        CHECK(std::abs(h[4 * i + 2] + zc / z22) < 1e-11);
        CHECK(std::abs(h[4 * i + 3] - 1.0 / z22) < 1e-11);
        CHECK(std::abs(g[4 * i] - 1.0 / z11) < 1e-11);
        CHECK(std::abs(g[4 * i + 3] - det / z11) < 1e-9);
        CHECK(std::abs(a[4 * i] - z11 / zc) < 1e-10);
        CHECK(std::abs(a[4 * i + 1] - det / zc) < 1e-8);
        CHECK(std::abs(a[4 * i + 2] - 1.0 / zc) < 1e-10);
        CHECK(std::abs(a[4 * i + 3] - z22 / zc) < 1e-10);
    }
}

TEST_CASE("every form leads back to the same parameters, on any references and numbers of ports") {
    for (const Form form : {Form::impedance, Form::admittance, Form::hybrid, Form::inverse_hybrid,
                            Form::chain, Form::wave_chain, Form::scattering}) {
        const bool two_only = form != Form::impedance && form != Form::admittance && form != Form::scattering;
        for (const std::size_t ports : {1, 2, 3, 5}) {
            if (two_only && ports != 2) continue;
            std::vector<double> references{50};
            if (ports == 2) references = {30, 75};
            if (ports == 3) references = {10, 50, 100};
            const Network n = wild_network(7, ports, references);
            CAPTURE(static_cast<int>(form));
            CAPTURE(ports);
            CHECK(apart(network_of(form, hz, matrices(n, form), ports, references).s, n.s) < 1e-11);
        }
    }
}

TEST_CASE("another reference is reached as through the impedances, and back; open and short stay such") {
    const Network n = wild_network(3, 3, {50, 25, 75});
    const std::vector<double> other{10, 120, 50};
    const Network there = renormalised(n, other);
    CHECK(apart(there.s, network_of(Form::impedance, hz, matrices(n, Form::impedance), 3, other).s) < 1e-11);
    CHECK(apart(renormalised(there, {50, 25, 75}).s, n.s) < 1e-12);
    for (const double end : {1.0, -1.0}) {
        const Network ideal = network(hz, 1, [&](double) { return std::vector<Complex>{end}; });
        CHECK(apart(renormalised(ideal, {5}).s, ideal.s) < 1e-15);
    }
    CHECK_THROWS_WITH_AS(renormalised(n, {0}), "a reference resistance must be above 0 ohm", Error);
    CHECK_THROWS_AS(renormalised(n, {50, 50}), Error);
}

TEST_CASE("networks in a row: two series impedances are one, a line and its half leave the other half") {
    const auto z = [](Complex one) { return network(hz, 2, [&](double) { return series(one); }); };
    CHECK(apart(cascaded(z({10, 5}), z({20, -8})).s, z({30, -3}).s) < 1e-14);
    const auto line = [](double ns) {
        return network(hz, 2, [&](double f) {
            const Complex t = std::polar(0.9, -2 * std::numbers::pi * f * ns * 1e-9);
            return std::vector<Complex>{0, t, t, 0};
        });
    };
    // The chain of different two-ports, by their chain parameters.
    const Network a = wild_network(1, 2), b = wild_network(2, 2), both = cascaded(a, b);
    const auto ta = matrices(a, Form::wave_chain), tb = matrices(b, Form::wave_chain),
               tc = matrices(both, Form::wave_chain);
    for (std::size_t i = 0; i < hz.size(); ++i)
        CHECK(std::abs(tc[4 * i + 1] - ta[4 * i] * tb[4 * i + 1] - ta[4 * i + 1] * tb[4 * i + 3]) <
              1e-10 * std::abs(tc[4 * i + 3]));
    CHECK(apart(behind(both, a).s, b.s) < 1e-10);
    CHECK(apart(before(both, b).s, a.s) < 1e-10);
    CHECK(apart(behind(line(1), line(0.3)).s,
                cascaded(line(0.7), network(hz, 2,
                                            [](double) {
                                                return std::vector<Complex>{0, 1 / 0.9, 1 / 0.9, 0};
                                            }))
                    .s) < 1e-12);
    // Four ports, two and two.
    const Network p = wild_network(4, 4), q = wild_network(5, 4);
    CHECK(apart(behind(cascaded(p, q), p).s, q.s) < 1e-9);
    CHECK(apart(before(cascaded(p, q), q).s, p.s) < 1e-9);
    // An open end lets nothing through, and can stand in a row, but nothing can be told behind it.
    const Network gap = network(hz, 2, [](double) { return std::vector<Complex>{1, 0, 0, 1}; });
    CHECK(apart(cascaded(a, gap).s, cascaded(a, gap).s) == 0);
    CHECK_THROWS_WITH_AS(behind(a, gap), doctest::Contains("nothing goes through"), Error);
    Network shifted = b;
    shifted.frequency_hz[3] += 1e3;
    CHECK_THROWS_WITH_AS(cascaded(a, shifted), doctest::Contains("different frequencies"), Error);
    Network other = b;
    other.reference_ohm = {75};
    CHECK_THROWS_WITH_AS(cascaded(a, other), doctest::Contains("renormalise"), Error);
}

TEST_CASE("mixed modes of two lines that do not touch, and back") {
    // Both lines alike: the differential mode passes as either does, and nothing converts.
    const Network pair = network(hz, 4, [](double f) {
        const Complex t = std::polar(0.8, -f / 1e9), r(0.1, 0.05);
        std::vector<Complex> s(16);
        s[0] = s[5] = s[10] = s[15] = r;
        s[2] = s[8] = s[7] = s[13] = t;  // 1 to 3, 2 to 4
        return s;
    });
    const PortPairs pairs{{1, 2}, {3, 4}};
    const Network mixed = mixed_mode(pair, pairs);
    CHECK(mixed.reference_ohm == std::vector<double>{100, 100, 25, 25});
    for (std::size_t i = 0; i < hz.size(); ++i) {
        CHECK(std::abs(mixed.at(i, 2, 1) - pair.at(i, 3, 1)) < 1e-14);  // SDD21
        CHECK(std::abs(mixed.at(i, 4, 3) - pair.at(i, 3, 1)) < 1e-14);  // SCC21
        CHECK(std::abs(mixed.at(i, 3, 1)) < 1e-14);                     // SCD11
    }
    const Network wild = wild_network(9, 5);
    const PortPairs some{{2, 5}, {1, 4}};
    CHECK(apart(single_ended(mixed_mode(wild, some), some).s, wild.s) < 1e-13);
    CHECK(single_ended(mixed_mode(wild, some), some).reference_ohm == std::vector<double>{50});
    CHECK_THROWS_AS(mixed_mode(wild, {{1, 2}, {2, 3}}), Error);
    CHECK_THROWS_AS(mixed_mode(wild, {{1, 6}}), Error);
}

TEST_CASE("ports change places, and some of them are left out") {
    const Network n = wild_network(11, 3, {10, 20, 30});
    const Network turned = reordered(n, {3, 1});
    CHECK(turned.ports == 2);
    CHECK(turned.reference_ohm == std::vector<double>{30, 10});
    CHECK(turned.at(4, 1, 2) == n.at(4, 3, 1));
    CHECK(turned.at(4, 2, 2) == n.at(4, 1, 1));
    CHECK_THROWS_WITH_AS(reordered(n, {1, 1}), "port 1 is named twice", Error);
    CHECK_THROWS_WITH_AS(reordered(n, {4}), "the data has no port 4, it has 3", Error);
}
