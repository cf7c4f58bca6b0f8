#include "core/network/solve_terms.hpp"

#include <Eigen/Dense>

namespace rt {

// Unknowns D, S and D S - T in D + G M S - G (D S - T) = M.
PortTerms solve_port(std::span<const Complex> actual, std::span<const Complex> read) {
    const auto rows = static_cast<Eigen::Index>(actual.size());
    Eigen::Matrix<Complex, Eigen::Dynamic, 3> left(rows, 3);
    Eigen::Matrix<Complex, Eigen::Dynamic, 1> right(rows);
    for (Eigen::Index i = 0; i < rows; ++i) {
        const auto g = actual[static_cast<std::size_t>(i)], m = read[static_cast<std::size_t>(i)];
        left.row(i) << 1.0, g * m, -g;
        right(i) = m;
    }
    const Eigen::Matrix<Complex, 3, 1> x = left.colPivHouseholderQr().solve(right);
    return {x(0), x(1), x(0) * x(1) - x(2)};
}

Two without_switch(const Two& m, Complex forward, Complex backward) {
    const Complex bc = m.b * m.c, down = 1.0 - bc * forward * backward;
    return {(m.a - bc * forward) / down, (m.b - m.a * m.b * backward) / down,
            (m.c - m.d * m.c * forward) / down, (m.d - bc * backward) / down};
}

TermValues twelve_terms(const PortTerms& one, const PortTerms& two, Complex joint, Complex forward,
                        Complex backward) {
    TermValues out{};
    const Complex back = one.tracking * two.tracking / joint;
    const Complex f = 1.0 - two.directivity * forward, r = 1.0 - one.directivity * backward;
    out[directivity] = one.directivity, out[source_match] = one.source_match;
    out[reflection_tracking] = one.tracking;
    out[load_match] = two.source_match + two.tracking * forward / f;
    out[transmission_tracking] = joint / f;
    out[reverse + directivity] = two.directivity, out[reverse + source_match] = two.source_match;
    out[reverse + reflection_tracking] = two.tracking;
    out[reverse + load_match] = one.source_match + one.tracking * backward / r;
    out[reverse + transmission_tracking] = back / r;
    return out;
}

TermValues terms_by_thru(const PortTerms& one, const PortTerms& two, const Two& m, const Two& t,
                         Complex x_forward, Complex x_backward) {
    const auto side = [](const PortTerms& p, Complex m11, Complex m21, Complex t11, Complex t21, Complex t12,
                         Complex t22) {
        const Complex up = m11 - p.directivity, in = up / (p.tracking + p.source_match * up);
        const Complex load = (in - t11) / (t12 * t21 + t22 * (in - t11));
        const Complex den =
            (1.0 - p.source_match * t11) * (1.0 - load * t22) - p.source_match * load * t12 * t21;
        return std::pair{load, m21 * den / t21};
    };
    const auto [f_load, f_track] = side(one, m.a, m.c - x_forward, t.a, t.c, t.b, t.d);
    const auto [r_load, r_track] = side(two, m.d, m.b - x_backward, t.d, t.b, t.c, t.a);
    return {one.directivity, one.source_match, one.tracking, f_load, f_track, x_forward,
            two.directivity, two.source_match, two.tracking, r_load, r_track, x_backward};
}

// M21 / M12 = (e10 e32) / (e23 e01), and the product of both is that of the reflection trackings.
Complex joint_by_thru(const PortTerms& one, const PortTerms& two, const Two& m, Complex near) {
    const Complex root = std::sqrt(m.c / m.b * one.tracking * two.tracking);
    // With box A = [D T; 1 S] and so on the corrected S21 goes with 1 / root.
    const Two a = {one.source_match * one.directivity - one.tracking, -one.directivity, one.source_match,
                   -1.0};
    const Two b = {two.source_match * two.directivity - two.tracking, -two.source_match, two.directivity,
                   -1.0};
    // Chain parameters times e10 and e32, so that T = root inv(a) T_M inv(b).
    const Two t = inverse(a) * chain_of(m) * inverse(b);
    const Complex through = 1.0 / (root * t.d);
    return std::abs(through - near) <= std::abs(through + near) ? root : -root;
}

namespace {

// [b1; a1] = T [a2; b2] seen with the reflection w at port 2.
Complex through_chain(const Two& t, Complex w) {
    return (t.a + t.b * w) / (t.c + t.d * w);
}

// Box A known but for its size e10, and what it makes with the rest of the chain.
LineTerms completed(const PortTerms& one, const Two& through, Complex reflection) {
    const Two a{one.tracking - one.source_match * one.directivity, one.directivity, -one.source_match, 1.0};
    const Two b = inverse(a) * through;
    LineTerms out;
    out.one = one;
    out.joint = 1.0 / b.d;
    out.two.directivity = -b.c / b.d;
    out.two.source_match = b.b / b.d;
    out.two.tracking = out.two.source_match * out.two.directivity + b.a / b.d;
    out.reflection = reflection;
    return out;
}

}  // namespace

LineTerms solve_thru_line(const Two& through, const Two& line, Complex turn, Complex reflect_1,
                          Complex reflect_2, Complex reflect_near, Complex& eigen) {
    // A diag(x, 1/x) inv(A), x = exp(-gamma dl): columns of A are its eigenvectors.
    const Two q = line * inverse(through);
    const Complex half = (q.a + q.d) / 2.0, root = std::sqrt(half * half - q.determinant());
    Complex x = half + root, y = half - root;
    if (std::abs(x - turn) + std::abs(y - 1.0 / turn) > std::abs(y - turn) + std::abs(x - 1.0 / turn))
        std::swap(x, y);
    eigen = std::sqrt(x / y);
    if (std::abs(eigen - turn) > std::abs(eigen + turn)) eigen = -eigen;
    // Its columns are (T - D S, -S) and (D, 1) but for their sizes. Of both rows that give a column's ratio
    // the surer one is taken.
    const Complex z = std::abs(x - q.d) >= std::abs(q.b) ? q.c / (x - q.d) : (x - q.a) / q.b;
    const Complex d = std::abs(y - q.a) >= std::abs(q.c) ? q.b / (y - q.a) : (y - q.d) / q.c;
    // A reading less the directivity, on the other column: (T - D S) G, and seen through port 2 (T - D S) /
    // G.
    const auto plain = [&](Complex read) { return (read - d) / (1.0 - z * read); };
    const Complex h1 = plain(reflect_1), h2 = plain(through_chain(through, reflect_2));
    Complex size = std::sqrt(h1 * h2);
    if (std::abs(h1 / size - reflect_near) > std::abs(h1 / size + reflect_near)) size = -size;
    const Complex match = -z * size;
    return completed({d, match, size + d * match}, through, h1 / size);
}

LineTerms solve_line_match(const Two& through, Complex once, Complex match, Complex match_1, Complex match_2,
                           Complex reflect_1, Complex reflect_2, Complex reflect_near) {
    const Complex squared = once * once;
    // Seen through the line, what ends port 2 is E / G at port 1.
    const Complex v_match = through_chain(through, match_2), v_reflect = through_chain(through, reflect_2);
    const Complex cross =
        (match_1 - reflect_1) * (v_match - v_reflect) / ((match_1 - v_reflect) * (v_match - reflect_1));
    const Complex k = std::sqrt(cross / squared);
    Complex g = (match + k * squared) / (1.0 + k * match);
    const Complex other = (match - k * squared) / (1.0 - k * match);
    if (std::abs(other - reflect_near) < std::abs(g - reflect_near)) g = other;
    const std::array actual{match, g, squared / g}, read{match_1, reflect_1, v_reflect};
    const PortTerms one = solve_port(actual, read);
    // M = A L B: the chain without the line's half that belongs to neither box.
    LineTerms out = completed(one, through, g);
    out.two.source_match /= squared, out.two.tracking /= squared, out.joint /= once;
    return out;
}

}  // namespace rt
