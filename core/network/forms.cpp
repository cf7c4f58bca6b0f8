#include "core/network/forms.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <set>

#include "core/base/error.hpp"
#include "core/network/matrix.hpp"
#include "core/quantity/quantity.hpp"

namespace rt {
namespace {

// X with X b = a.
PortMatrix divided(const PortMatrix& a, const PortMatrix& b, const char* what, double hz) {
    const Eigen::FullPivLU<PortMatrix> lu(b.transpose());
    if (!(lu.rcond() > 1e-13)) fail_signal(std::string(what) + " at " + format({hz, Unit::hertz}));
    return lu.solve(a.transpose()).transpose();
}

PortMatrix root_of_references(const Network& n) {
    PortMatrix out = PortMatrix::Zero(eigen_index(n.ports), eigen_index(n.ports));
    for (std::size_t p = 0; p < n.ports; ++p)
        out(eigen_index(p), eigen_index(p)) = std::sqrt(n.reference(p + 1));
    return out;
}

const char* name_of(Form form) {
    switch (form) {
        case Form::impedance:
            return "impedance";
        case Form::admittance:
            return "admittance";
        case Form::hybrid:
            return "hybrid";
        case Form::inverse_hybrid:
            return "inverse hybrid";
        case Form::chain:
            return "chain";
        case Form::wave_chain:
            return "wave chain";
        case Form::scattering:
            return "scattering";
    }
    return "";
}

bool for_two_ports(Form form) {
    return form != Form::impedance && form != Form::admittance && form != Form::scattering;
}

// V1, I1, V2, I2 as sums of a1, a2: rows of a 4 x 2 matrix. V = sqrt(R) (a + b), I = (a - b) / sqrt(R).
Eigen::Matrix<Complex, 4, 2> ports_of(const Two& s, double r1, double r2) {
    Eigen::Matrix<Complex, 4, 2> out;
    const double u1 = std::sqrt(r1), u2 = std::sqrt(r2);
    out << u1 * (1.0 + s.a), u1 * s.b, (1.0 - s.a) / u1, -s.b / u1, u2 * s.c, u2 * (1.0 + s.d), -s.c / u2,
        (1.0 - s.d) / u2;
    return out;
}

// Which of V1, I1, V2, I2 stand left and right of the equation, and the sign of the last right one.
struct Sides {
    int left[2], right[2];
    double last = 1;
};

Sides sides_of(Form form) {
    if (form == Form::hybrid) return {{0, 3}, {1, 2}};
    if (form == Form::inverse_hybrid) return {{1, 2}, {0, 3}};
    return {{0, 1}, {2, 3}, -1};  // chain
}

PortMatrix two_port_form(const Two& s, double r1, double r2, Form form, double hz) {
    const auto ports = ports_of(s, r1, r2);
    const Sides sides = sides_of(form);
    PortMatrix left(2, 2), right(2, 2);
    for (int i = 0; i < 2; ++i)
        left.row(i) = ports.row(sides.left[i]), right.row(i) = ports.row(sides.right[i]);
    right.row(1) *= sides.last;
    const std::string what = std::string("there are no ") + name_of(form) + " parameters";
    return divided(left, right, what.c_str(), hz);
}

// left = X right, with waves: (l a + m b) = X (r a + t b) solved for b = S a.
Two from_two_port_form(const PortMatrix& x, double r1, double r2, Form form, double hz) {
    const Sides sides = sides_of(form);
    Eigen::Matrix<Complex, 4, 2> of_a = Eigen::Matrix<Complex, 4, 2>::Zero(), of_b = of_a;
    const double u[2] = {std::sqrt(r1), std::sqrt(r2)};
    for (int p = 0; p < 2; ++p) {
        of_a(2 * p, p) = of_b(2 * p, p) = u[p];
        of_a(2 * p + 1, p) = 1 / u[p], of_b(2 * p + 1, p) = -1 / u[p];
    }
    PortMatrix la(2, 2), lb(2, 2), ra(2, 2), rb(2, 2);
    for (int i = 0; i < 2; ++i) {
        la.row(i) = of_a.row(sides.left[i]), lb.row(i) = of_b.row(sides.left[i]);
        ra.row(i) = of_a.row(sides.right[i]), rb.row(i) = of_b.row(sides.right[i]);
    }
    ra.row(1) *= sides.last, rb.row(1) *= sides.last;
    const Eigen::FullPivLU<PortMatrix> lu(lb - x * rb);
    if (!(lu.rcond() > 1e-13))
        fail_signal("there are no scattering parameters at " + format({hz, Unit::hertz}));
    const PortMatrix s = lu.solve(x * ra - la);
    return {s(0, 0), s(0, 1), s(1, 0), s(1, 1)};
}

void require_two(Form form, std::size_t ports) {
    if (for_two_ports(form) && ports != 2)
        fail_input(fmt::format("{} parameters are of two ports, the data has {}", name_of(form), ports));
}

}  // namespace

std::vector<Complex> matrices(const Network& n, Form form) {
    require_two(form, n.ports);
    if (form == Form::scattering) return n.s;
    std::vector<Complex> out(n.s.size());
    const PortMatrix one = PortMatrix::Identity(eigen_index(n.ports), eigen_index(n.ports));
    const PortMatrix root = root_of_references(n), inverse_root = root.inverse();
    for (std::size_t i = 0; i < n.frequency_hz.size(); ++i) {
        const double hz = n.frequency_hz[i];
        if (for_two_ports(form) && form != Form::wave_chain) {
            put_matrix(out, i, two_port_form(two_at(n, i), n.reference(1), n.reference(2), form, hz));
            continue;
        }
        if (form == Form::wave_chain) {
            const Two s = two_at(n, i);
            if (s.c == 0.0) fail_signal("there are no wave chain parameters at " + format({hz, Unit::hertz}));
            const Two t = chain_of(s);
            PortMatrix m(2, 2);
            m << t.a, t.b, t.c, t.d;
            put_matrix(out, i, m);
            continue;
        }
        const PortMatrix s = matrix_at(n.s, i, n.ports);
        if (form == Form::impedance)
            put_matrix(out, i,
                       root * divided(one + s, one - s, "there are no impedance parameters", hz) * root);
        else
            put_matrix(out, i,
                       inverse_root * divided(one - s, one + s, "there are no admittance parameters", hz) *
                           inverse_root);
    }
    return out;
}

Network network_of(Form form, std::vector<double> frequency_hz, const std::vector<Complex>& values,
                   std::size_t ports, std::vector<double> reference_ohm) {
    require_two(form, ports);
    Network n;
    n.ports = ports;
    n.frequency_hz = std::move(frequency_hz);
    n.reference_ohm = std::move(reference_ohm);
    n.s.resize(values.size());
    const PortMatrix one = PortMatrix::Identity(eigen_index(ports), eigen_index(ports));
    const PortMatrix root = root_of_references(n), inverse_root = root.inverse();
    for (std::size_t i = 0; i < n.frequency_hz.size(); ++i) {
        const double hz = n.frequency_hz[i];
        const PortMatrix x = matrix_at(values, i, ports);
        if (form == Form::scattering) {
            put_matrix(n.s, i, x);
        } else if (form == Form::wave_chain) {
            if (x(1, 1) == 0.0)
                fail_signal("there are no scattering parameters at " + format({hz, Unit::hertz}));
            put(n, i, scattering_of({x(0, 0), x(0, 1), x(1, 0), x(1, 1)}));
        } else if (for_two_ports(form)) {
            put(n, i, from_two_port_form(x, n.reference(1), n.reference(2), form, hz));
        } else if (form == Form::impedance) {
            const PortMatrix z = inverse_root * x * inverse_root;
            put_matrix(n.s, i, divided(z - one, z + one, "there are no scattering parameters", hz));
        } else {
            const PortMatrix y = root * x * root;
            put_matrix(n.s, i, divided(one - y, one + y, "there are no scattering parameters", hz));
        }
    }
    return n;
}

// b' = k (b - g a) and a' = k (a - g b) with g = (R' - R) / (R' + R), k = (R + R') / (2 sqrt(R R')).
Network renormalised(const Network& n, std::vector<double> reference_ohm) {
    if (reference_ohm.size() != 1 && reference_ohm.size() != n.ports)
        fail_input(fmt::format("{} reference resistances for {} ports", reference_ohm.size(), n.ports));
    for (const double ohm : reference_ohm) {
        if (!(ohm > 0) || !std::isfinite(ohm)) fail_input("a reference resistance must be above 0 ohm");
    }
    Network out = n;
    out.reference_ohm = std::move(reference_ohm);
    if (out.one_reference()) out.reference_ohm.resize(1);
    const auto ports = eigen_index(n.ports);
    PortMatrix g = PortMatrix::Zero(ports, ports), k = g, one_over_k = g;
    bool same = true;
    for (std::size_t p = 1; p <= n.ports; ++p) {
        const double from = n.reference(p), to = out.reference(p);
        same = same && from == to;
        const auto i = eigen_index(p - 1);
        g(i, i) = (to - from) / (to + from);
        k(i, i) = (to + from) / (2 * std::sqrt(to * from)), one_over_k(i, i) = 1.0 / k(i, i);
    }
    if (same) return out;
    out.uncertainty.clear();
    for (auto& point : out.noise) {
        // The optimum source keeps its impedance.
        const double from = n.reference(1), to = out.reference(1);
        const Complex up = 1.0 + point.optimum, down = 1.0 - point.optimum;
        point.optimum = (from * up - to * down) / (from * up + to * down);
    }
    const PortMatrix one = PortMatrix::Identity(ports, ports);
    for (std::size_t i = 0; i < n.frequency_hz.size(); ++i) {
        const PortMatrix s = matrix_at(n.s, i, n.ports);
        put_matrix(out.s, i,
                   k * divided(s - g, one - g * s, "no reference can be put in place", n.frequency_hz[i]) *
                       one_over_k);
    }
    return out;
}

Network reordered(const Network& n, const std::vector<std::size_t>& order) {
    std::set<std::size_t> seen;
    if (order.empty()) fail_input("no ports are named");
    for (const auto port : order) {
        if (port < 1 || port > n.ports)
            fail_input(fmt::format("the data has no port {}, it has {}", port, n.ports));
        if (!seen.insert(port).second) fail_input(fmt::format("port {} is named twice", port));
    }
    Network out = n;
    out.ports = order.size();
    out.s.clear(), out.uncertainty.clear();
    if (order != std::vector<std::size_t>{1, 2}) out.noise.clear();
    out.reference_ohm.clear();
    for (const auto port : order) out.reference_ohm.push_back(n.reference(port));
    for (std::size_t i = 0; i < n.frequency_hz.size(); ++i) {
        for (const auto to : order) {
            for (const auto from : order) {
                out.s.push_back(n.at(i, to, from));
                if (!n.uncertainty.empty())
                    out.uncertainty.push_back(n.uncertainty[(i * n.ports + to - 1) * n.ports + from - 1]);
            }
        }
    }
    if (out.one_reference()) out.reference_ohm.resize(1);
    return out;
}

void require_same_grid(const Network& a, std::string_view name_a, const Network& b, std::string_view name_b) {
    const auto describe = [](const Network& n) {
        return fmt::format("{} from {} to {}", n.frequency_hz.size(),
                           format({n.frequency_hz.front(), Unit::hertz}),
                           format({n.frequency_hz.back(), Unit::hertz}));
    };
    bool same = a.frequency_hz.size() == b.frequency_hz.size();
    double hz = 0;
    for (std::size_t i = 0; same && i < a.frequency_hz.size(); ++i) {
        hz = a.frequency_hz[i];
        same = std::abs(hz - b.frequency_hz[i]) <= 1e-9 * std::abs(hz);
    }
    if (same) return;
    fail_input(fmt::format(
        "{} and {} have different frequencies ({} and {}{}): measure both on one grid", name_a, name_b,
        describe(a), describe(b),
        a.frequency_hz.size() == b.frequency_hz.size() ? ", apart at " + format({hz, Unit::hertz}) : ""));
}

}  // namespace rt
