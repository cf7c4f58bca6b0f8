#include "core/network/quality.hpp"

#include <Eigen/Dense>
#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/dsp/fft.hpp"
#include "core/network/two.hpp"
#include "core/stats/median.hpp"

namespace rt {

std::vector<double> largest_singular_values(const Network& n) {
    using Rows = Eigen::Matrix<Complex, Eigen::Dynamic, Eigen::Dynamic, Eigen::RowMajor>;
    std::vector<double> out;
    out.reserve(n.frequency_hz.size());
    const auto ports = static_cast<Eigen::Index>(n.ports);
    for (std::size_t i = 0; i < n.frequency_hz.size(); ++i) {
        if (n.ports == 1) {
            out.push_back(std::abs(n.s[i]));
            continue;
        }
        if (n.ports == 2) {
            // Eigenvalues of S^H S from its trace and determinant.
            const Two s = two_at(n, i);
            const double trace = std::norm(s.a) + std::norm(s.b) + std::norm(s.c) + std::norm(s.d);
            const double det = std::norm(s.determinant());
            out.push_back(std::sqrt((trace + std::sqrt(std::max(0.0, trace * trace - 4 * det))) / 2));
            continue;
        }
        const Eigen::Map<const Rows> m(n.s.data() + i * n.ports * n.ports, ports, ports);
        out.push_back(Eigen::JacobiSVD<Eigen::MatrixXcd>(m).singularValues()(0));
    }
    return out;
}

std::vector<double> reciprocity_errors(const Network& n) {
    std::vector<double> out(n.frequency_hz.size());
    for (std::size_t i = 0; i < out.size(); ++i)
        for (std::size_t a = 1; a <= n.ports; ++a)
            for (std::size_t b = a + 1; b <= n.ports; ++b)
                out[i] = std::max(out[i], std::abs(n.at(i, a, b) - n.at(i, b, a)));
    return out;
}

std::optional<double> energy_before_zero(const std::vector<double>& hz, const std::vector<Complex>& values,
                                         double* longest_s) {
    const std::size_t n = hz.size();
    if (n < 16) return std::nullopt;
    const double step = (hz.back() - hz.front()) / static_cast<double>(n - 1);
    for (std::size_t i = 0; i < n; ++i) {
        if (std::abs(hz[i] - hz.front() - step * static_cast<double>(i)) > 1e-3 * step) return std::nullopt;
    }
    if (longest_s) *longest_s = 0.5 / step;
    // Four times as many times as frequencies, so that the edge at 0 lies on none of the window's lobes.
    const std::size_t size = fast_size(4 * n);
    std::vector<Complex> data(size);
    for (std::size_t i = 0; i < n; ++i) {
        const double turn = 2 * std::numbers::pi * (static_cast<double>(i) + 0.5) / static_cast<double>(n);
        data[i] = values[i] * 0.5 * (1 - std::cos(turn));
    }
    const Fft<double> back(size, Fft<double>::Direction::backward);
    back(data.data());
    // Sample k is at k / (size step); the window's main lobe is 2 / (n step) to each side.
    const double lobe = 2.0 * static_cast<double>(size) / static_cast<double>(n);
    double all = 0, before = 0;
    for (std::size_t k = 0; k < size; ++k) {
        const double energy = std::norm(data[k]);
        all += energy;
        if (k > size / 2 && static_cast<double>(size - k) > lobe) before += energy;
    }
    return all > 0 ? before / all : 0;
}

std::vector<double> unwrapped(const std::vector<Complex>& values) {
    std::vector<double> out;
    out.reserve(values.size());
    for (std::size_t i = 0; i < values.size(); ++i) {
        const double phase = std::arg(values[i]);
        out.push_back(i == 0 ? phase : out.back() + std::remainder(phase - out.back(), 2 * std::numbers::pi));
    }
    return out;
}

std::vector<double> group_delay(const std::vector<double>& hz, const std::vector<Complex>& values,
                                std::size_t aperture) {
    const auto phase = unwrapped(values);
    std::vector<double> out(hz.size());
    const std::size_t n = hz.size(), low = aperture / 2, high = aperture - aperture / 2;
    for (std::size_t i = 0; i < n; ++i) {
        const std::size_t b = std::min(n - 1, i + high), first = i > low ? i - low : 0;
        const std::size_t a = first == b && b > 0 ? b - 1 : first;
        out[i] = a == b ? 0 : -(phase[b] - phase[a]) / (2 * std::numbers::pi * (hz[b] - hz[a]));
    }
    return out;
}

std::optional<double> noise_of(const std::vector<Complex>& v) {
    if (v.size() < 8) return std::nullopt;
    Complex together = 0;
    for (std::size_t i = 0; i + 1 < v.size(); ++i) together += v[i + 1] * std::conj(v[i]);
    const Complex turn = std::abs(together) > 0 ? together / std::abs(together) : Complex(1);
    std::vector<double> apart;
    for (std::size_t i = 1; i + 1 < v.size(); ++i)
        apart.push_back(std::abs(v[i - 1] * turn - 2.0 * v[i] + v[i + 1] * std::conj(turn)));
    // Noise of deviation 1 makes this normal with a variance of 6; half of such distances lie below
    // sqrt(ln 2) of theirs.
    return median(std::move(apart)) / std::sqrt(6 * std::numbers::ln2);
}

Breaks breaks_of(const std::vector<Complex>& v, double factor, double floor) {
    Breaks out;
    const std::size_t n = v.size();
    if (n < 8) return out;
    // Distance to the next value, against the median of those around.
    std::vector<double> apart(n - 1);
    for (std::size_t i = 0; i + 1 < n; ++i) apart[i] = std::abs(v[i + 1] - v[i]);
    const auto typical = [&](std::size_t at) {
        constexpr std::size_t reach = 8;
        const std::size_t from = at > reach ? at - reach : 0, to = std::min(n - 1, at + reach + 1);
        std::vector<double> near(apart.begin() + static_cast<std::ptrdiff_t>(from),
                                 apart.begin() + static_cast<std::ptrdiff_t>(to));
        const auto middle = near.begin() + static_cast<std::ptrdiff_t>(near.size() / 2);
        std::nth_element(near.begin(), middle, near.end());
        return *middle;
    };
    const auto far = [&](double distance, std::size_t at) {
        return distance > floor && distance > factor * typical(at);
    };
    for (std::size_t i = 0; i + 1 < n; ++i) {
        if (!far(apart[i], i)) continue;
        // Up to eight values that lie elsewhere, with the line going on behind them, are a dropout.
        bool back = false;
        for (std::size_t k = i + 2; k < std::min(n, i + 10) && !back; ++k)
            back = !far(std::abs(v[k] - v[i]) / static_cast<double>(k - i), i) && far(apart[k - 1], k - 1) &&
                   std::abs(v[k] - v[i]) < 0.5 * apart[i];
        if (back) {
            out.dropouts.push_back(i + 1);
            std::size_t k = i + 1;
            while (k + 1 < n && !far(apart[k], k)) ++k;
            i = k;
            continue;
        }
        if (i == 0)
            out.dropouts.push_back(0);
        else if (i + 2 == n)
            out.dropouts.push_back(n - 1);
        else
            out.steps.push_back(i + 1);
    }
    // The same number again and again is no reading.
    for (std::size_t i = 0; i + 2 < n; ++i) {
        if (v[i] != v[i + 1] || v[i] != v[i + 2]) continue;
        std::size_t to = i + 2;
        while (to + 1 < n && v[to + 1] == v[i]) ++to;
        const bool whole = i == 0 && to + 1 == n;  // an ideal thing, calculated
        if (!whole) out.dropouts.push_back(i);
        i = to;
    }
    std::sort(out.dropouts.begin(), out.dropouts.end());
    out.dropouts.erase(std::unique(out.dropouts.begin(), out.dropouts.end()), out.dropouts.end());
    return out;
}

}  // namespace rt
