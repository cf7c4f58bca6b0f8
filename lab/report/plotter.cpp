#include <fcntl.h>
#include <signal.h>
#include <sys/wait.h>
#include <unistd.h>
#include <fstream>
#include <utility>

#include <algorithm>
#include <cerrno>
#include <cmath>
#include <cstring>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"
#include "lab/formats/files.hpp"
#include "lab/report/figure.hpp"
#include "lab/report/figure_style.hpp"
#include "lab/report/plain_text.hpp"
#include "lab/report/svg_colours.hpp"
#include "lab/report/svg_marks.hpp"

namespace rt::lab {
namespace {

// A gnuplot single-quoted string, in which nothing is special but the quote: that becomes an apostrophe,
// since a doubled one at the beginning ends the string. What XML does not take (XML 1.0, 2.2 and 2.4) is
// gone: the drawing is XML.
std::string text(std::string_view raw) {
    std::string out = "'";
    for (const char c : plain_text(raw)) {
        if (static_cast<unsigned char>(c) < 0x20 || c == 0x7f) continue;
        if (c == '\'') {
            out += "\u2019";
            continue;
        }
        if (c == '>' && out.ends_with("]]")) out += ' ';
        out += c;
    }
    return out + "'";
}

struct Range {
    double low, high;
};

Range y_range(const Figure& figure) {
    if (figure.raster) return {figure.raster->y_from, figure.raster->y_to};
    double low = 1e300, high = -1e300;
    for (const auto& curve : figure.curves) {
        for (const double y : curve.y) {
            if (!std::isfinite(y)) continue;
            low = std::min(low, y);
            high = std::max(high, y);
        }
    }
    if (low > high) return {0, 1};
    const CurveRole role = figure.curves.empty() ? CurveRole::trace : figure.curves.front().role;
    if (figure.from_zero) return {0, high * 1.1};
    // Levels in decibels stand on whole tens; other values take the room that they need.
    if (!figure.decibels || role != CurveRole::trace || high - low < 5) {
        // A twelfth of room to each side; a flat curve in the middle.
        const double room = high > low ? (high - low) / 12 : (high != 0 ? std::abs(high) / 10 : 1);
        // Less than the numbers' own digits would leave the curve outside.
        const double least = std::abs(high) * 1e-5;
        if (room < least) return {low - least, high + least};
        return {low - room, high + room};
    }
    const double step = high - low > 200 ? 50 : 10;
    return {std::floor(low / step) * step, (std::floor(high / step + 0.6) + 1) * step};
}

Range x_range(const Figure& figure) {
    if (figure.raster) return {figure.raster->x_from, figure.raster->x_to};
    Range range{1e300, -1e300};
    for (const auto& curve : figure.curves) {
        if (curve.x.empty()) continue;
        const auto [low, high] = std::minmax_element(curve.x.begin(), curve.x.end());
        // Bars stand around their places.
        const bool bars = curve.role == CurveRole::bars && curve.x.size() > 1;
        const double half = bars ? (*high - *low) / static_cast<double>(curve.x.size() - 1) / 2 : 0;
        range = {std::min(range.low, *low - half), std::max(range.high, *high + half)};
    }
    // A single place has room on both sides.
    if (range.low == range.high) {
        const double room = range.low != 0 ? std::abs(range.low) / 10 : 1;
        return {range.low - room, range.high + room};
    }
    return range;
}

// Labels at the ends and at 1, 2, 5 of each decade between, where there is room.
std::string log_ticks(Range x) {
    std::vector<double> ticks{x.low};
    // Labels need some room: a share of the axis' length.
    const double room = std::max(1.15, std::pow(x.high / x.low, 0.04));
    for (double decade = std::pow(10, std::floor(std::log10(x.low))); decade <= x.high; decade *= 10) {
        for (const double digit : {1.0, 2.0, 5.0}) {
            const double at = decade * digit;
            if (at > ticks.back() * room && at < x.high / room) ticks.push_back(at);
        }
    }
    ticks.push_back(x.high);
    std::string out;
    for (const double at : ticks) {
        // Four digits are enough beside an axis, and find room at its end.
        const int whole = std::max(0, static_cast<int>(std::floor(std::log10(at))) + 1);
        out += (out.empty() ? "" : ", ") + text(decimal(at, std::max(0, 4 - whole))) + " " + exact(at);
    }
    return "set xtics (" + out + ")\n";
}

// Names of the places 1, 2, 3 ..., of many those that find room; long ones lie aslant.
std::string named_ticks(const std::vector<std::string>& places) {
    constexpr std::size_t most = 24, longest_level = 60;
    const std::size_t every = (places.size() + most - 1) / most;
    std::size_t letters = 0;
    std::string out;
    for (std::size_t i = 0; i < places.size(); i += every) {
        letters += places[i].size() + 2;
        out += (out.empty() ? "" : ", ") + text(places[i]) + " " + std::to_string(i + 1);
    }
    return std::string("set xtics ") + (letters > longest_level ? "rotate by -30 " : "") + "(" + out + ")\n";
}

std::string block(const std::string& name, const std::vector<double>& x, const std::vector<double>& y) {
    std::string out = "$" + name + " << EOD\n";
    char row[80];
    for (std::size_t i = 0; i < x.size(); ++i) {
        if (std::isfinite(y[i])) {
            std::snprintf(row, sizeof row, "%.9g %.6g\n", x[i], y[i]);
            out += row;
        } else {
            out += "\n";  // an empty line breaks the curve
        }
    }
    return out + "EOD\n";
}

// Frequencies of places on a logarithmic scale of colours; what was never met stays empty.
std::string raster_block(const Raster& r) {
    std::string out = "$raster << EOD\n";
    const double dx = (r.x_to - r.x_from) / static_cast<double>(r.columns);
    const double dy = (r.y_to - r.y_from) / static_cast<double>(r.rows);
    double most = 1;
    for (const double n : r.count) most = std::max(most, n);
    char row[96];
    for (std::size_t i = 0; i < r.rows; ++i) {
        for (std::size_t k = 0; k < r.columns; ++k) {
            const double n = r.count[i * r.columns + k];
            const double shade = n > 0 ? (1 + std::log(n)) / (1 + std::log(most)) : std::nan("");
            std::snprintf(row, sizeof row, "%.6g %.6g %.4g\n", r.x_from + (static_cast<double>(k) + 0.5) * dx,
                          r.y_from + (static_cast<double>(i) + 0.5) * dy, shade);
            out += row;
        }
    }
    return out +
           "EOD\nset palette defined (0 '#c9dfe9', 0.35 '#4f97b8', 0.65 '#14506e', 0.85 '#d98a2b', 1 "
           "'#ffe9b0')\n"
           "set cbrange [0:1]\nunset colorbox\nset grid front\n";
}

// Rings on whole fives of decibels, so far apart that about four stand in the figure; the key stands beside
// it.
std::string polar_axes(const Figure& figure) {
    double lowest = 1e300, highest = -1e300;
    for (const auto& curve : figure.curves) {
        for (const double y : curve.y) lowest = std::min(lowest, y), highest = std::max(highest, y);
    }
    const double step = std::max(5.0, std::ceil((highest - lowest) / 25) * 5);
    const double low = std::floor(lowest / step) * step, high = std::ceil(highest / step + 0.05) * step;
    return "set angles degrees\nset polar\nset theta top clockwise\nunset border\nunset xtics\nunset ytics\n"
           "unset xlabel\nunset ylabel\nset size ratio -1\nset lmargin at screen 0.42\nset rmargin at screen "
           "0.96\nset tmargin at screen 0.93\nset bmargin at screen 0.07\nset ttics 0,30 font ',11'\nset "
           "rrange [" +
           exact(low) + ":" + exact(high) + "]\nset rtics axis " + exact(step) +
           " font ',10' scale 0\nset grid polar 30\nset key at screen 0.02,0.96 left top\nset label 1 " +
           text("rings: " + figure.y_label) + " at screen 0.02,0.10 font ',12'\nset label 2 " +
           text("around: " + figure.x_label) + " at screen 0.02,0.05 font ',12'\n";
}

// From low to high: dark blue, teal, sand, orange; told apart by lightness too.
std::string die_colour(double share) {
    constexpr double stops[][4]{
        {0, 23, 60, 92}, {0.35, 44, 123, 138}, {0.7, 214, 190, 138}, {1, 224, 122, 47}};
    std::size_t i = 1;
    while (i + 1 < std::size(stops) && share > stops[i][0]) ++i;
    const double between = std::clamp((share - stops[i - 1][0]) / (stops[i][0] - stops[i - 1][0]), 0.0, 1.0);
    std::string out = "#";
    for (int k = 1; k <= 3; ++k) {
        char part[8];
        std::snprintf(
            part, sizeof part, "%02x",
            static_cast<int>(std::lround(stops[i - 1][k] + between * (stops[i][k] - stops[i - 1][k]))));
        out += part;
    }
    return out;
}

// Every die as a rectangle, its verdict as a sign on it; the signs stand in the key, values beside a scale.
std::string die_script(const Figure& figure) {
    const DieMap& map = *figure.dies;
    int left = 1 << 30, right = -left, top = left, bottom = -left;
    double low = 1e300, high = -1e300;
    for (const auto& die : map.dies) {
        left = std::min(left, die.column), right = std::max(right, die.column);
        top = std::min(top, die.row), bottom = std::max(bottom, die.row);
        if (die.value) low = std::min(low, *die.value), high = std::max(high, *die.value);
    }
    const double ratio = map.pitch_y / map.pitch_x;
    std::string out =
        "set size ratio " + exact(ratio * (bottom - top + 1) / (right - left + 1)) + "\nset xrange [" +
        exact(left - 0.5) + ":" + exact(right + 0.5) + "]\nset yrange [" + exact(bottom + 0.5) + ":" +
        exact(top - 0.5) + "]\nunset grid\nset border 0\nset xtics " +
        exact(std::max(1, (right - left) / 10)) + " scale 0 font ',10'\nset ytics " +
        exact(std::max(1, (bottom - top) / 10)) +
        " scale 0 font ',10'\nset lmargin at screen 0.34\nset rmargin at screen 0.97\nset tmargin at screen "
        "0.95\nset bmargin at screen 0.13\nset key at screen 0.02,0.95 left top\n";
    int object = 0;
    for (const auto& die : map.dies) {
        const double share = die.value && high > low ? (*die.value - low) / (high - low) : 0.5;
        const std::string fill = die.value ? die_colour(share) : "#f1f1f1";
        out += "set object " + std::to_string(++object) + " rect from " + exact(die.column - 0.46) + "," +
               exact(die.row - 0.46) + " to " + exact(die.column + 0.46) + "," + exact(die.row + 0.46) +
               " fs solid 1 border lc rgb '" + (die.reference ? "#111111" : "#ffffff") + "' fc rgb '" + fill +
               "' lw " + (die.reference ? "2.5" : "0.5") + " behind\n";
    }
    // The scale: five boxes with their values, at the left.
    const int label = 10;
    if (high >= low) {
        for (int i = 0; i < 5; ++i) {
            const double share = high > low ? i / 4.0 : 0.5, value = low + (high - low) * i / 4;
            const double y = 0.16 + 0.05 * i;
            out += "set object " + std::to_string(++object) + " rect from screen 0.02," + exact(y) +
                   " to screen 0.06," + exact(y + 0.045) + " fs solid 1 noborder fc rgb '" +
                   die_colour(share) + "' behind\nset label " + std::to_string(label + i) + " " +
                   text(format({value, map.unit}, 4)) + " at screen 0.07," + exact(y + 0.022) +
                   " font ',12'\n";
            if (high == low) break;
        }
        out += "set label " + std::to_string(label + 5) + " " + text(map.title) +
               " at screen 0.02,0.44 font ',12'\n";
    }
    return out;
}

// How a curve is drawn: "lines lw 1.1 ...". `index` is its place among all, `limits` counts those of limits.
std::string style_of(const Figure& figure, const Curve& curve, std::size_t index, std::size_t& limits) {
    const auto coloured = [](const std::string& style, const char* colour) {
        return style + " lc rgb '" + colour + "'";
    };
    const std::size_t of_sweep = index % std::size(sweep_colours);
    switch (curve.role) {
        case CurveRole::sign:
            return "points pt " + std::to_string(sign_shapes[index % std::size(sign_shapes)]) +
                   " ps 1.6 lw 2 lc rgb '" + sign_colours[index % std::size(sign_colours)] + "'";
        case CurveRole::grid:
            return coloured("lines lw 0.7", "#c4c4c4");
        case CurveRole::ideal:
            return coloured(curve.x.size() > 64   ? "points pt 1 ps 0.5 lw 1.1"
                            : curve.x.size() > 16 ? "points pt 1 ps 0.8 lw 1.4"
                                                  : "points pt 1 ps 1.3 lw 1.6",
                            "#b3261e");
        case CurveRole::interval:
            return coloured("lines lw 2.4", "#111111");
        case CurveRole::limit: {
            const std::size_t k = limits++ % std::size(limit_colours);
            return coloured(std::string("lines lw 2.2 dt ") + limit_dashes[k], limit_colours[k]);
        }
        case CurveRole::sweep: {
            // Told apart by dashes and by the shape of their points as well as by colour.
            const char* size = curve.x.size() > 60 ? "0.3" : figure.polar ? "0.7" : "1.1";
            return coloured(std::string("linespoints lw 1.8 dt ") +
                                sweep_dashes[index % std::size(sweep_dashes)] + " pt " +
                                sweep_shapes[of_sweep] + " ps " + size,
                            sweep_colours[of_sweep]);
        }
        case CurveRole::companion:
            return coloured(std::string("lines lw 1.1 dt ") + (of_sweep % 2 ? "1" : "4"),
                            sweep_colours[of_sweep]);
        case CurveRole::dots: {
            const char* size = curve.x.size() > 2000 ? "0.25" : curve.x.size() > 20 ? "0.5" : "1.4";
            return coloured(std::string("points pt 7 ps ") + size, trace_colour);
        }
        case CurveRole::spots:
            return coloured(std::string("points pt 7 ps ") + (curve.x.size() > 20 ? "0.5" : "1.3"),
                            spot_colour);
        case CurveRole::bars:
            return coloured("boxes fs solid 0.75 noborder", trace_colour);
        default:
            return coloured("lines lw 1.1", trace_colour);
    }
}

std::string axes_of(const Figure& figure, Range x, Range y) {
    if (figure.dies) return die_script(figure);
    std::string out;
    if (figure.polar) {
        out += polar_axes(figure);
    } else {
        out += "set xrange [" + exact(x.low) + ":" + exact(x.high) + "]\n";
        out += "set yrange [" + exact(y.low) + ":" + exact(y.high) + "]\n";
    }
    if (figure.plane) {
        double reach = 1.02;
        for (const auto& curve : figure.curves) {
            for (std::size_t i = 0; i < curve.x.size(); ++i) {
                if (!std::isfinite(curve.y[i])) continue;
                const double margin = curve.role == CurveRole::grid ? 1.02 : 1.05;
                reach = std::max(reach, margin * std::max(std::abs(curve.x[i]), std::abs(curve.y[i])));
            }
        }
        const std::string both = "range [" + exact(-reach) + ":" + exact(reach) + "]\n";
        out += "set size ratio -1\nset x" + both + "set y" + both +
               "unset border\nunset xtics\nunset ytics\nunset xlabel\nunset ylabel\nunset grid\nset lmargin "
               "at screen "
               "0.40\nset rmargin at screen 0.98\nset tmargin at screen 0.97\nset bmargin at screen "
               "0.03\nset key at "
               "screen 0.02,0.96 left top\nset label 1 " +
               text(figure.x_label) + " at screen 0.02,0.05 font ',12'\n";
    }
    if (figure.square) {
        const double reach =
            1.1 * std::max({std::abs(x.low), std::abs(x.high), std::abs(y.low), std::abs(y.high)});
        const std::string both = "range [" + exact(-reach) + ":" + exact(reach) + "]\n";
        // The key stands beside the square, so that a long title has the whole width.
        out += "set size ratio -1\nset x" + both + "set y" + both +
               "set zeroaxis lc rgb '#888888' lw 0.8\nset lmargin at screen 0.40\nset rmargin at screen "
               "0.90\nset "
               "tmargin at screen 0.89\nset bmargin at screen 0.15\nset key at screen 0.02,0.98 left top\n";
    }
    if (figure.log_x) out += "set logscale x\nset mxtics 10\n" + log_ticks(x);
    if (!figure.places.empty()) out += named_ticks(figure.places);
    return out;
}

// Many short names stand side by side, so that they leave the curves room.
std::string key_rows(const Figure& figure) {
    std::size_t names = 0, longest = 0;
    const auto count = [&](const std::string& name) {
        names += !name.empty(), longest = std::max(longest, name.size());
    };
    for (const auto& curve : figure.curves) count(curve.name);
    for (const auto& marker : figure.markers) count(marker.text);
    constexpr std::size_t few = 4, width = 96, sample = 8;  // characters
    const std::size_t columns = std::min<std::size_t>(4, width / (longest + sample));
    // Where the names stand beside the picture they stay below each other.
    if (figure.polar || figure.plane || figure.square || figure.dies || names <= few || columns < 2)
        return "";
    return " maxrows " + std::to_string((names + columns - 1) / columns);
}

// A title that is wider than the figure loses its middle: what it begins and ends with tells most.
std::string shortened(const std::string& title) {
    constexpr std::size_t most = 104;
    if (letters(title) <= most) return title;
    const auto cut = [&](std::size_t from, std::size_t count) {
        std::string out;
        std::size_t letter = 0;
        for (std::size_t i = 0; i < title.size(); ++i) {
            const bool begins = (static_cast<unsigned char>(title[i]) & 0xC0) != 0x80;
            letter += begins;
            if (letter > from && letter <= from + count) out += title[i];
        }
        return out;
    };
    const std::size_t half = most / 2 - 1;
    return std::string(trim(cut(0, half))) + " … " + std::string(trim(cut(letters(title) - half, half)));
}

std::string script(const Figure& figure, const std::string& file) {
    std::string out = "reset\n";
    const bool png = file.ends_with(".png");
    out += png ? "set terminal pngcairo size 1280,680 font 'DejaVu Sans,13' noenhanced\n"
               : "set terminal svg standalone size 960,500 dynamic font 'DejaVu "
                 "Sans,Helvetica,Arial,sans-serif,13' "
                 "noenhanced\n";
    out += "set output " + text(file) + "\nset encoding utf8\n";
    out += "set xlabel " + text(figure.x_label) + "\nset ylabel " + text(figure.y_label) + "\n";
    out +=
        "set rmargin 3\nset border 3 lc rgb '#444444'\nset tics nomirror out\nset grid back lc rgb '#d8d8d8' "
        "lt 1 lw 0.6\n";
    // The title heads the key, so that both stand above the curves in this order.
    out += "set key tmargin left vertical" + key_rows(figure) + " Left reverse samplen 3 font ',12' title " +
           text(shortened(figure.title)) + " left font ',14'\n";
    out += axes_of(figure, x_range(figure), y_range(figure));
    std::string plots;
    if (figure.raster) {
        out += raster_block(*figure.raster);
        plots = "$raster using 1:2:3 with image notitle";
    }
    std::size_t limits = 0;
    for (std::size_t i = 0; i < figure.curves.size(); ++i) {
        const Curve& curve = figure.curves[i];
        const std::string name = "curve" + std::to_string(i);
        out += block(name, curve.x, curve.y);
        plots += (plots.empty() ? "" : ", ") + ("$" + name) + " using 1:2 with " +
                 style_of(figure, curve, i, limits) +
                 (curve.name.empty() ? std::string(" notitle") : " title " + text(curve.name));
    }
    for (std::size_t i = 0; i < figure.markers.size(); ++i) {
        const Marker& marker = figure.markers[i];
        const std::string name = "marker" + std::to_string(i);
        out += block(name, {marker.x}, {marker.y});
        plots += ", $" + name + " using 1:2 with points pt 6 ps 1.7 lw 2.4 lc rgb '#111111' title " +
                 text(marker.text);
    }
    for (std::size_t i = 0; i < figure.labels.size(); ++i) {
        const Marker& label = figure.labels[i];
        out += "set label " + std::to_string(i + 1) + " " + text(label.text) + " at " + exact(label.x) + "," +
               exact(label.y) + " center offset 0,0.7 font ',10' front\n";
    }
    out += "plot " + plots + "\nunset output\n";
    return out;
}

}  // namespace

struct Plotter::State {
    pid_t child = -1;
    int input = -1;
    std::vector<std::filesystem::path> drawn;

    void write_all(std::string_view bytes) const {
        while (!bytes.empty()) {
            const auto wrote = ::write(input, bytes.data(), bytes.size());
            if (wrote < 0 && errno == EINTR) continue;
            if (wrote < 0)
                throw Error(ErrorKind::output, "gnuplot",
                            std::string("ended early: ") + std::strerror(errno));
            bytes.remove_prefix(static_cast<std::size_t>(wrote));
        }
    }
    int wait() {
        if (child < 0) return 0;
        ::close(input);
        int status = 0;
        while (::waitpid(child, &status, 0) < 0 && errno == EINTR) {
        }
        child = -1;
        return WIFEXITED(status) ? WEXITSTATUS(status) : 1;
    }
};

Plotter::Plotter() : state_(std::make_unique<State>()) {
    ::signal(SIGPIPE, SIG_IGN);
    int ends[2];
    if (::pipe2(ends, O_CLOEXEC) != 0) throw Error(ErrorKind::output, "gnuplot", std::strerror(errno));
    state_->child = ::fork();
    if (state_->child < 0) throw Error(ErrorKind::output, "gnuplot", std::strerror(errno));
    if (state_->child == 0) {
        ::dup2(ends[0], STDIN_FILENO);
        // Warnings of gnuplot are no words for the people at the bench; failures show as missing figures.
        const int nothing = ::open("/dev/null", O_WRONLY);
        ::dup2(nothing, STDOUT_FILENO);
        ::dup2(nothing, STDERR_FILENO);
        ::execlp("gnuplot", "gnuplot", "-d", static_cast<char*>(nullptr));
        ::_exit(127);
    }
    ::close(ends[0]);
    state_->input = ends[1];
}

Plotter::~Plotter() {
    state_->wait();
}

void Plotter::draw(const Figure& figure, const std::filesystem::path& file) {
    std::error_code ignored;
    std::filesystem::remove(file, ignored);  // so that an old figure cannot pass for a new one
    state_->write_all(script(figure, file.string()));
    state_->drawn.push_back(file);
}

// Figures can be drawn again: no flush to the disk for each.
static void write_figure(const std::filesystem::path& file, const std::string& content) {
    std::ofstream out(file, std::ios::binary | std::ios::trunc);
    out << content;
    out.close();
    if (!out) throw Error(ErrorKind::output, file.string(), "cannot be written");
}

void Plotter::finish() {
    const int code = state_->wait();
    if (code == 127)
        throw Error(ErrorKind::output, "gnuplot", "cannot be started: install the package gnuplot-nox");
    for (const auto& file : state_->drawn) {
        std::error_code error;
        if (std::filesystem::file_size(file, error) == 0 || error) {
            throw Error(ErrorKind::output, file.string(), "gnuplot drew no figure");
        }
    }
    const auto drawn = std::exchange(state_->drawn, {});
    if (code != 0) throw Error(ErrorKind::output, "gnuplot", "ended with code " + std::to_string(code));
    for (const auto& file : drawn) {
        if (file.extension() == ".svg")
            write_figure(file, with_joined_marks(with_plain_colours(read_file(file))));
    }
}

}  // namespace rt::lab
