// Networks in a row, and mixed modes.
#include <fmt/core.h>

#include <cmath>
#include <set>

#include "core/base/error.hpp"
#include "core/network/forms.hpp"
#include "core/network/matrix.hpp"
#include "core/quantity/quantity.hpp"

namespace rt {
namespace {

// [b1; a1] = T [a2; b2] with the first half of the ports as side 1.
PortMatrix chain(const PortMatrix& s, double hz) {
    const auto h = s.rows() / 2;
    const Eigen::FullPivLU<PortMatrix> lu(s.bottomLeftCorner(h, h));
    if (!(lu.rcond() > 1e-13)) fail_signal("nothing goes through at " + format({hz, Unit::hertz}));
    const PortMatrix c = lu.inverse();
    PortMatrix out(2 * h, 2 * h);
    out.topLeftCorner(h, h) = s.topRightCorner(h, h) - s.topLeftCorner(h, h) * c * s.bottomRightCorner(h, h);
    out.topRightCorner(h, h) = s.topLeftCorner(h, h) * c;
    out.bottomLeftCorner(h, h) = -c * s.bottomRightCorner(h, h);
    out.bottomRightCorner(h, h) = c;
    return out;
}

PortMatrix scattering(const PortMatrix& t, double hz) {
    const auto h = t.rows() / 2;
    const Eigen::FullPivLU<PortMatrix> lu(t.bottomRightCorner(h, h));
    if (!(lu.rcond() > 1e-13)) fail_signal("nothing goes through at " + format({hz, Unit::hertz}));
    const PortMatrix d = lu.inverse();
    PortMatrix out(2 * h, 2 * h);
    out.topLeftCorner(h, h) = t.topRightCorner(h, h) * d;
    out.topRightCorner(h, h) = t.topLeftCorner(h, h) - t.topRightCorner(h, h) * d * t.bottomLeftCorner(h, h);
    out.bottomLeftCorner(h, h) = d;
    out.bottomRightCorner(h, h) = -d * t.bottomLeftCorner(h, h);
    return out;
}

enum class Joint { whole, second, first };

Network joined(const Network& a, const Network& b, Joint part) {
    if (a.ports != b.ports || a.ports % 2 != 0)
        fail_input(fmt::format("networks in a row need the same even number of ports, these have {} and {}",
                               a.ports, b.ports));
    require_same_grid(a, "the first", b, "the second");
    const std::size_t half = a.ports / 2;
    Network out = a;
    out.noise.clear(), out.uncertainty.clear();
    out.reference_ohm.resize(a.ports);
    for (std::size_t p = 1; p <= half; ++p) {
        // Where the two meet, and where the result keeps the ports of either.
        const bool fits = part == Joint::whole    ? a.reference(half + p) == b.reference(p)
                          : part == Joint::second ? a.reference(p) == b.reference(p)
                                                  : a.reference(half + p) == b.reference(half + p);
        if (!fits) fail_input("the references differ where the networks are joined: renormalise one first");
        out.reference_ohm[p - 1] = part == Joint::second ? b.reference(half + p) : a.reference(p);
        out.reference_ohm[half + p - 1] = part == Joint::first   ? b.reference(p)
                                          : part == Joint::whole ? b.reference(half + p)
                                                                 : a.reference(half + p);
    }
    if (out.one_reference()) out.reference_ohm.resize(1);
    for (std::size_t i = 0; i < a.frequency_hz.size(); ++i) {
        const double hz = a.frequency_hz[i];
        const PortMatrix s = matrix_at(a.s, i, a.ports), t = matrix_at(b.s, i, b.ports);
        const auto h = eigen_index(half);
        if (part == Joint::whole) {
            // Without chain parameters, so that what lets nothing through can be joined too.
            const PortMatrix one = PortMatrix::Identity(h, h);
            const PortMatrix s11 = s.topLeftCorner(h, h), s12 = s.topRightCorner(h, h);
            const PortMatrix s21 = s.bottomLeftCorner(h, h), s22 = s.bottomRightCorner(h, h);
            const PortMatrix t11 = t.topLeftCorner(h, h), t12 = t.topRightCorner(h, h);
            const PortMatrix t21 = t.bottomLeftCorner(h, h), t22 = t.bottomRightCorner(h, h);
            const Eigen::FullPivLU<PortMatrix> there(one - t11 * s22), back(one - s22 * t11);
            if (!(there.rcond() > 1e-13) || !(back.rcond() > 1e-13))
                fail_signal("the two resonate without loss at " + format({hz, Unit::hertz}));
            PortMatrix m(2 * h, 2 * h);
            m.topLeftCorner(h, h) = s11 + s12 * there.solve(t11 * s21);
            m.topRightCorner(h, h) = s12 * there.solve(t12);
            m.bottomLeftCorner(h, h) = t21 * back.solve(s21);
            m.bottomRightCorner(h, h) = t22 + t21 * back.solve(s22 * t12);
            put_matrix(out.s, i, m);
            continue;
        }
        const PortMatrix ta = chain(s, hz), tb = chain(t, hz);
        // Joint::second: a is the first, b the total; Joint::first: a the total, b the last.
        const Eigen::FullPivLU<PortMatrix> lu(part == Joint::second ? ta : tb);
        const PortMatrix m = part == Joint::second ? PortMatrix(lu.solve(tb)) : PortMatrix(ta * lu.inverse());
        put_matrix(out.s, i, scattering(m, hz));
    }
    return out;
}

// Rows of the orthonormal matrix that makes modes of ports: differential of all pairs, common, single ones.
PortMatrix modes(std::size_t ports, const PortPairs& pairs) {
    PortMatrix m = PortMatrix::Zero(eigen_index(ports), eigen_index(ports));
    std::set<std::size_t> used;
    const double half = std::sqrt(0.5);
    for (std::size_t i = 0; i < pairs.size(); ++i) {
        for (const auto port : {pairs[i].first, pairs[i].second}) {
            if (port < 1 || port > ports)
                fail_input(fmt::format("the data has no port {}, it has {}", port, ports));
            if (!used.insert(port).second) fail_input(fmt::format("port {} is in pairs twice", port));
        }
        const auto a = eigen_index(pairs[i].first - 1), b = eigen_index(pairs[i].second - 1);
        m(eigen_index(i), a) = half, m(eigen_index(i), b) = -half;
        m(eigen_index(pairs.size() + i), a) = half, m(eigen_index(pairs.size() + i), b) = half;
    }
    auto row = eigen_index(2 * pairs.size());
    for (std::size_t port = 1; port <= ports; ++port) {
        if (!used.contains(port)) m(row++, eigen_index(port - 1)) = 1;
    }
    return m;
}

Network turned(const Network& n, const PortMatrix& m) {
    Network out = n;
    out.noise.clear(), out.uncertainty.clear();
    for (std::size_t i = 0; i < n.frequency_hz.size(); ++i)
        put_matrix(out.s, i, m * matrix_at(n.s, i, n.ports) * m.adjoint());
    return out;
}

}  // namespace

Network cascaded(const Network& first, const Network& second) {
    return joined(first, second, Joint::whole);
}
Network behind(const Network& total, const Network& first) {
    return joined(first, total, Joint::second);
}
Network before(const Network& total, const Network& last) {
    return joined(total, last, Joint::first);
}

Network mixed_mode(const Network& n, const PortPairs& pairs) {
    const PortMatrix m = modes(n.ports, pairs);
    Network out = turned(n, m);
    std::vector<double> ohm;
    for (const auto& [a, b] : pairs) {
        if (n.reference(a) != n.reference(b))
            fail_input(
                fmt::format("ports {} and {} of a pair have different references: renormalise first", a, b));
        ohm.push_back(2 * n.reference(a));
    }
    for (const auto& [a, b] : pairs) ohm.push_back(n.reference(a) / 2);
    std::set<std::size_t> used;
    for (const auto& [a, b] : pairs) used.insert({a, b});
    for (std::size_t port = 1; port <= n.ports; ++port) {
        if (!used.contains(port)) ohm.push_back(n.reference(port));
    }
    out.reference_ohm = std::move(ohm);
    return out;
}

Network single_ended(const Network& mixed, const PortPairs& pairs) {
    const PortMatrix m = modes(mixed.ports, pairs);
    Network out = turned(mixed, m.adjoint());
    std::vector<double> ohm(mixed.ports);
    std::set<std::size_t> used;
    for (std::size_t i = 0; i < pairs.size(); ++i) {
        const double each = mixed.reference(i + 1) / 2;
        if (std::abs(2 * mixed.reference(pairs.size() + i + 1) - each) > 1e-9 * each)
            fail_input("a pair's differential reference must be four times its common one");
        ohm[pairs[i].first - 1] = ohm[pairs[i].second - 1] = each;
        used.insert({pairs[i].first, pairs[i].second});
    }
    std::size_t next = 2 * pairs.size();
    for (std::size_t port = 1; port <= mixed.ports; ++port) {
        if (!used.contains(port)) ohm[port - 1] = mixed.reference(++next);
    }
    out.reference_ohm = std::move(ohm);
    if (out.one_reference()) out.reference_ohm.resize(1);
    return out;
}

}  // namespace rt
