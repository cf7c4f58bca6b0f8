#include "lab/report/svg_marks.hpp"

#include <fmt/core.h>

#include <array>
#include <cmath>
#include <numbers>
#include <optional>
#include <string_view>
#include <vector>

#include "core/base/text.hpp"

namespace rt::lab {
namespace {

struct Spot {
    double x, y;
};

// One stroke of a mark; those of the plotter's terminal, in its units.
struct Stroke {
    std::vector<Spot> spots;
    bool closed;
};

std::vector<Stroke> polygon(std::vector<Spot> spots) {
    return {{std::move(spots), true}};
}

std::vector<Stroke> octagon() {
    std::vector<Spot> spots;
    for (int i = 0; i < 8; ++i)
        spots.push_back({std::cos(i * std::numbers::pi / 4), std::sin(i * std::numbers::pi / 4)});
    return polygon(std::move(spots));
}

// What a sign of this number looks like; nothing for one that is not known. A circle has no strokes, or eight
// sides where there are many.
std::optional<std::vector<Stroke>> strokes_of(int sign, bool many) {
    const Stroke flat{{{-1, 0}, {1, 0}}, false}, upright{{{0, -1}, {0, 1}}, false};
    const Stroke falling{{{-1, -1}, {1, 1}}, false}, rising{{{1, -1}, {-1, 1}}, false};
    constexpr double far = std::numbers::sqrt2;
    switch (sign) {
        case 0:
            return std::vector{flat, upright};
        case 1:
            return std::vector{falling, rising};
        case 2:
            return std::vector{flat, upright, falling, rising};
        case 3:
        case 4:
            return polygon({{-1, -1}, {1, -1}, {1, 1}, {-1, 1}});
        case 5:
        case 6:
            return many ? octagon() : std::vector<Stroke>{};
        case 7:
        case 8:
            return polygon({{0, -1.33}, {-1.33, 0.67}, {1.33, 0.67}});
        case 9:
        case 10:
            return polygon({{0, 1.33}, {1.33, -0.67}, {-1.33, -0.67}});
        case 11:
        case 12:
            return polygon({{0, -far}, {far, 0}, {0, far}, {-far, 0}});
        case 13:
        case 14:
            return polygon({{0, 1.330}, {1.265, 0.411}, {0.782, -1.067}, {-0.782, -1.076}, {-1.265, 0.411}});
        default:
            return std::nullopt;
    }
}

struct Mark {
    int sign = 0;
    double x = 0, y = 0, scale = 0;
    std::string_view look;  // what follows the transform: colours
};

// The text up to `end`, which is passed; nothing when it does not come.
std::optional<std::string_view> until(std::string_view& rest, std::string_view end) {
    const auto at = rest.find(end);
    if (at == std::string_view::npos) return std::nullopt;
    const auto out = rest.substr(0, at);
    rest.remove_prefix(at + end.size());
    return out;
}

constexpr std::string_view begin_of_mark = "<use xlink:href='#gpPt";

// <use xlink:href='#gpPt6' transform='translate(1.00,2.00) scale(5.36)' color='...' stroke='...' fill='...'/>
std::optional<Mark> mark_at(std::string_view tag) {
    if (!tag.starts_with(begin_of_mark)) return std::nullopt;
    tag.remove_prefix(begin_of_mark.size());
    const auto sign = until(tag, "' transform='translate(");
    const auto x = sign ? until(tag, ",") : std::nullopt;
    const auto y = x ? until(tag, ") scale(") : std::nullopt;
    const auto scale = y ? until(tag, ")' ") : std::nullopt;
    const auto look = scale ? until(tag, "/>") : std::nullopt;
    if (!look) return std::nullopt;
    const auto number = to_double(*sign), at_x = to_double(*x), at_y = to_double(*y),
               size = to_double(*scale);
    if (!number || !at_x || !at_y || !size) return std::nullopt;
    return Mark{static_cast<int>(*number), *at_x, *at_y, *size, *look};
}

void draw(const std::vector<Stroke>& strokes, const Mark& mark, std::string& path) {
    const double scale = mark.scale;
    if (strokes.empty())
        path += fmt::format("M{:.2f},{:.2f}a{:.2f},{:.2f} 0 1,0 {:.2f},0a{:.2f},{:.2f} 0 1,0 {:.2f},0z",
                            mark.x - scale, mark.y, scale, scale, 2 * scale, scale, scale, -2 * scale);
    for (const auto& stroke : strokes) {
        char letter = 'M';
        for (const auto& spot : stroke.spots) {
            path += fmt::format("{}{:.2f},{:.2f}", letter, mark.x + scale * spot.x, mark.y + scale * spot.y);
            letter = 'L';
        }
        if (stroke.closed) path += 'z';
    }
}

}  // namespace

std::string with_joined_marks(const std::string& svg) {
    constexpr std::size_t much = 300;
    std::size_t count = 0;
    for (auto at = svg.find(begin_of_mark); at != std::string::npos; at = svg.find(begin_of_mark, at + 1))
        ++count;
    std::string out;
    out.reserve(svg.size());
    std::size_t kept = 0;
    for (std::size_t at = 0; (at = svg.find(begin_of_mark, kept)) != std::string::npos;) {
        const auto first = mark_at(std::string_view(svg).substr(at));
        out.append(svg, kept, at - kept);
        const auto strokes = first ? strokes_of(first->sign, count > much) : std::nullopt;
        if (!strokes) {
            out += svg[at];
            kept = at + 1;
            continue;
        }
        std::string path;
        for (auto mark = first;
             mark && mark->sign == first->sign && mark->scale == first->scale && mark->look == first->look;) {
            draw(*strokes, *mark, path);
            kept = svg.find("/>", at) + 2;
            at = svg.find_first_not_of(" \t\n", kept);
            mark = at == std::string::npos ? std::nullopt : mark_at(std::string_view(svg).substr(at));
        }
        out +=
            fmt::format("<path {} stroke-width='{:.3f}' d='{}'/>", first->look, 0.205 * first->scale, path);
    }
    out.append(svg, kept, std::string::npos);
    return out;
}

}  // namespace rt::lab
