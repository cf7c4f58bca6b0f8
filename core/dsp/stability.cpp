#include "core/dsp/stability.hpp"

#include <array>
#include <cmath>

#include "core/dsp/least_squares.hpp"

namespace rt {

MediumTerm medium_term(std::span<const double> time_s, std::span<const double> hz) {
    MediumTerm out;
    const auto count = static_cast<double>(hz.size());
    for (const double f : hz) out.mean_hz += f / count;
    LeastSquares fit(2);
    for (std::size_t i = 0; i < hz.size(); ++i) fit.add(std::array{1.0, time_s[i] / 60}, hz[i] - out.mean_hz);
    const auto line = fit.solve();
    double left = 0, spread = 0;
    for (std::size_t i = 0; i < hz.size(); ++i)
        left += std::pow(hz[i] - out.mean_hz - line[0] - line[1] * time_s[i] / 60, 2);
    out.offset_hz = line[0], out.mean_slope = line[1] / out.mean_hz;
    out.residual = std::sqrt(left / count) / out.mean_hz;
    out.mean_period_s = (time_s.back() - time_s.front()) / (count - 1);
    for (std::size_t i = 1; i < hz.size(); ++i)
        spread += std::pow(time_s[i] - time_s[i - 1] - out.mean_period_s, 2) / (count - 2);
    out.period_deviation_s = std::sqrt(spread);
    return out;
}

double short_term(std::span<const double> second_hz, std::span<const double> third_hz) {
    double squares = 0;
    for (std::size_t i = 0; i < second_hz.size(); ++i)
        squares += std::pow((second_hz[i] - third_hz[i]) / second_hz[i], 2);
    return std::sqrt(squares / (2 * static_cast<double>(second_hz.size())));
}

}  // namespace rt
