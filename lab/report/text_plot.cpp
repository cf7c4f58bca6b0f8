#include "lab/report/text_plot.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/text.hpp"

namespace rt::lab {
namespace {

std::string utf8(unsigned code) {
    return {static_cast<char>(0xe0 | code >> 12), static_cast<char>(0x80 | (code >> 6 & 0x3f)),
            static_cast<char>(0x80 | (code & 0x3f))};
}

// "-47.5": four digits are enough to look at.
std::string number(double value) {
    const double size = std::abs(value);
    if (size != 0 && (size < 1e-3 || size >= 1e5)) {
        char text[24];
        std::snprintf(text, sizeof text, "%.2e", value);
        return text;
    }
    const int decimals = size >= 100 ? 1 : size >= 1 ? 2 : 4;
    return decimal(value, decimals);
}

struct Span {
    double low = 1e300, high = -1e300;
    void take(double v) {
        if (std::isfinite(v)) low = std::min(low, v), high = std::max(high, v);
    }
    bool known() const { return high >= low; }
};

class Canvas {
  public:
    Canvas(std::size_t columns, std::size_t rows)
        : columns_(columns), dots_(columns * rows), limits_(columns * rows) {}

    // A line between places from 0 to 1 across and upwards, in dots.
    void line(double x0, double y0, double x1, double y1, bool limit) {
        const double across = static_cast<double>(columns_ * 2 - 1), up = static_cast<double>(rows() * 4 - 1);
        const double length = std::max(std::abs(x1 - x0) * across, std::abs(y1 - y0) * up);
        const auto steps = static_cast<std::size_t>(std::ceil(std::clamp(length, 1.0, 1e5)));
        for (std::size_t i = 0; i <= steps; ++i) {
            const double share = static_cast<double>(i) / static_cast<double>(steps);
            dot((x0 + (x1 - x0) * share) * across, (1 - (y0 + (y1 - y0) * share)) * up, limit);
        }
    }
    std::string row(std::size_t r) const {
        std::string out;
        for (std::size_t c = 0; c < columns_; ++c) {
            const unsigned char bits = dots_[r * columns_ + c];
            out += bits ? utf8(0x2800 + bits) : limits_[r * columns_ + c] ? utf8(0x2500) : " ";
        }
        return out;
    }
    std::size_t rows() const { return dots_.size() / columns_; }

  private:
    void dot(double x, double y, bool limit) {
        const auto column = static_cast<std::ptrdiff_t>(std::lround(x)),
                   line = static_cast<std::ptrdiff_t>(std::lround(y));
        if (column < 0 || line < 0 || column >= static_cast<std::ptrdiff_t>(columns_ * 2) ||
            line >= static_cast<std::ptrdiff_t>(rows() * 4))
            return;
        const auto at = static_cast<std::size_t>(line / 4) * columns_ + static_cast<std::size_t>(column / 2);
        if (limit) return void(limits_[at] = true);
        // Bits of the dots of a character, by column and line (Unicode, block Braille Patterns).
        constexpr unsigned char bits[2][4] = {{1, 2, 4, 64}, {8, 16, 32, 128}};
        dots_[at] = static_cast<unsigned char>(dots_[at] | bits[column % 2][line % 4]);
    }

    std::size_t columns_;
    std::vector<unsigned char> dots_;
    std::vector<bool> limits_;
};

bool drawn(const Curve& curve) {
    return curve.role != CurveRole::grid && curve.role != CurveRole::sign;
}

}  // namespace

std::vector<std::string> text_plot(const Figure& figure, std::size_t width, std::size_t height) {
    std::vector<std::string> out{figure.title};
    Span x, y;
    for (const auto& curve : figure.curves) {
        if (!drawn(curve)) continue;
        for (std::size_t i = 0; i < curve.x.size(); ++i) {
            if (!std::isfinite(curve.y[i])) continue;
            x.take(curve.x[i]);
            y.take(curve.y[i]);
        }
    }
    if (figure.raster || figure.dies || !x.known() || !y.known()) return out;
    if (figure.from_zero) y.take(0);
    const double room = y.high > y.low ? 0.04 * (y.high - y.low) : std::max(std::abs(y.high) * 0.01, 1e-12);
    y.low -= room, y.high += room;
    const bool log = figure.log_x && x.low > 0;
    const auto across = [&](double v) {
        if (!(x.high > x.low)) return 0.5;
        return log ? std::log(v / x.low) / std::log(x.high / x.low) : (v - x.low) / (x.high - x.low);
    };
    const auto up = [&](double v) { return (v - y.low) / (y.high - y.low); };
    constexpr std::size_t margin = 10;
    const std::size_t columns = std::max<std::size_t>(width, 40) - margin;
    Canvas canvas(columns, std::max<std::size_t>(height, 8) - 4);
    for (const auto& curve : figure.curves) {
        if (!drawn(curve)) continue;
        const bool limit = curve.role == CurveRole::limit;
        const bool apart = curve.role == CurveRole::spots || curve.role == CurveRole::dots;
        for (std::size_t i = 0; i < curve.x.size(); ++i) {
            if (!std::isfinite(curve.y[i])) continue;
            const bool joined = !apart && i > 0 && std::isfinite(curve.y[i - 1]);
            const std::size_t from = joined ? i - 1 : i;
            canvas.line(across(curve.x[from]), up(curve.y[from]), across(curve.x[i]), up(curve.y[i]), limit);
        }
    }
    out.push_back(figure.y_label);
    for (std::size_t r = 0; r < canvas.rows(); ++r) {
        const bool labelled = r % 4 == 0 || r + 1 == canvas.rows();
        const double value =
            y.high - (y.high - y.low) * (static_cast<double>(r) + 0.5) / static_cast<double>(canvas.rows());
        std::string label = labelled ? number(value) : "";
        label.insert(0, label.size() < margin - 2 ? margin - 2 - label.size() : 0, ' ');
        out.push_back(label + (labelled ? " ┤" : " │") + canvas.row(r));
    }
    const std::string left = number(x.low), right = number(x.high);
    std::string foot(margin - 1, ' ');
    foot += left;
    const std::string middle = figure.x_label + (log ? " (logarithmic)" : "");
    const std::size_t taken = left.size() + letters(middle) + right.size();
    const std::size_t gap = columns > taken ? (columns - taken) / 2 : 1;
    foot += std::string(gap, ' ') + middle + std::string(columns > taken ? columns - taken - gap : 1, ' ') +
            right;
    out.push_back(foot);
    return out;
}

}  // namespace rt::lab
