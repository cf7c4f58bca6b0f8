#include "core/measure/usb/moments.hpp"

#include <algorithm>
#include <cmath>
#include <vector>

namespace rt {
namespace {

struct Between {
    std::uint64_t from = 0, to = 0;
};

Between samples_between(const Signal& signal, double from_s, double to_s) {
    Between out;
    out.from = static_cast<std::uint64_t>(std::max(0.0, std::ceil(from_s / signal.step_s - 1e-6)));
    out.to = std::min(signal.size(),
                      static_cast<std::uint64_t>(std::max(0.0, std::floor(to_s / signal.step_s + 1e-6))));
    out.from = std::min(out.from, out.to);
    return out;
}

}  // namespace

std::optional<double> last_at_or_above(const UsbLines& lines, const LineVoltage& voltage, double from_s,
                                       double to_s, double mean_s, double volts) {
    const double step = lines.plus.step_s;
    const Between all = samples_between(lines.plus, from_s, to_s);
    const auto width = static_cast<std::size_t>(std::max(1.0, std::round(mean_s / step)));
    constexpr std::uint64_t piece = 1 << 18;
    std::vector<float> plus, minus;
    std::vector<double> ring(width);
    double sum = 0;
    std::size_t filled = 0, next = 0;
    std::optional<double> last;
    for (std::uint64_t at = all.from; at < all.to; at += piece) {
        plus.resize(static_cast<std::size_t>(std::min(piece, all.to - at)));
        minus.resize(plus.size());
        lines.plus.samples->read(at, plus);
        lines.minus.samples->read(at, minus);
        for (std::size_t i = 0; i < plus.size(); ++i) {
            const double value = voltage(static_cast<double>(plus[i]), static_cast<double>(minus[i]));
            sum += value - ring[next];
            ring[next] = value;
            next = (next + 1) % width;
            filled = std::min(filled + 1, width);
            if (filled == width && sum / static_cast<double>(width) >= volts)
                last = static_cast<double>(at + i) * step;
        }
    }
    return last;
}

double median_between(const UsbLines& lines, const LineVoltage& voltage, double from_s, double to_s) {
    const Between all = samples_between(lines.plus, from_s, to_s);
    constexpr std::uint64_t most = 20000;
    std::vector<double> values;
    const std::uint64_t count = std::min(most, all.to - all.from);
    float plus = 0, minus = 0;
    for (std::uint64_t k = 0; k < count; ++k) {
        const std::uint64_t at = all.from + (all.to - all.from) * k / count;
        lines.plus.samples->read(at, {&plus, 1});
        lines.minus.samples->read(at, {&minus, 1});
        values.push_back(voltage(static_cast<double>(plus), static_cast<double>(minus)));
    }
    if (values.empty()) return 0;
    std::nth_element(values.begin(), values.begin() + static_cast<std::ptrdiff_t>(values.size() / 2),
                     values.end());
    return values[values.size() / 2];
}

}  // namespace rt
