#include "core/serial/mask.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/quantity/quantity.hpp"

namespace rt {
namespace {

double cross(Corner a, Corner b, Corner c) {
    return (b.x - a.x) * (c.y - a.y) - (b.y - a.y) * (c.x - a.x);
}

std::vector<std::string_view> split_at(std::string_view text, char mark) {
    std::vector<std::string_view> out;
    for (;;) {
        const auto end = text.find(mark);
        if (const auto part = trim(text.substr(0, end)); !part.empty()) out.push_back(part);
        if (end == std::string_view::npos) return out;
        text = text.substr(end + 1);
    }
}

// "0.4 0.3" or "100 ps 300 mV": numbers, each maybe with a unit behind.
std::vector<Quantity> quantities_of(std::string_view text) {
    std::vector<Quantity> out;
    std::string pending;
    const auto flush = [&] {
        if (pending.empty()) return;
        if (const auto plain = to_double(pending)) {
            out.push_back({*plain, Unit::none});
        } else {
            out.push_back(parse_quantity(pending));
        }
        pending.clear();
    };
    for (const auto word : split_at(text, ' ')) {
        if (to_double(word)) flush();
        pending += (pending.empty() ? "" : " ") + std::string(word);
    }
    flush();
    return out;
}

}  // namespace

MaskRegion::MaskRegion(std::vector<Corner> corners) : corners_(std::move(corners)) {
    if (corners_.size() < 3) fail_input("a mask region needs at least three corners");
    const auto [left, right] =
        std::minmax_element(corners_.begin(), corners_.end(), [](Corner a, Corner b) { return a.x < b.x; });
    const auto [bottom, top] =
        std::minmax_element(corners_.begin(), corners_.end(), [](Corner a, Corner b) { return a.y < b.y; });
    middle_ = {(left->x + right->x) / 2, (bottom->y + top->y) / 2};
    int turns_left = 0, turns_right = 0;
    const std::size_t n = corners_.size();
    for (std::size_t i = 0; i < n; ++i) {
        const double turn = cross(corners_[i], corners_[(i + 1) % n], corners_[(i + 2) % n]);
        turns_left += turn > 0;
        turns_right += turn < 0;
    }
    convex_ = turns_left == 0 || turns_right == 0;
    for (std::size_t i = 0; convex_ && i < n; ++i) {
        const Corner a = corners_[i], b = corners_[(i + 1) % n];
        double nx = b.y - a.y, ny = a.x - b.x;
        const double away = nx * (a.x - middle_.x) + ny * (a.y - middle_.y);
        if (std::abs(away) < 1e-15) {
            convex_ = false;  // flat
            break;
        }
        sides_.push_back({nx / away, ny / away});
    }
}

bool MaskRegion::holds(double x, double y) const {
    if (convex_) return growth_to(x, y) < 1;
    bool inside = false;
    for (std::size_t i = 0, j = corners_.size() - 1; i < corners_.size(); j = i++) {
        const Corner a = corners_[i], b = corners_[j];
        if ((a.y > y) != (b.y > y) && x < (b.x - a.x) * (y - a.y) / (b.y - a.y) + a.x) inside = !inside;
    }
    return inside;
}

double MaskRegion::growth_to(double x, double y) const {
    double most = -1e300;
    for (const Side& side : sides_)
        most = std::max(most, side.nx * (x - middle_.x) + side.ny * (y - middle_.y));
    return most;
}

std::vector<MaskRegion> parse_mask(std::string_view text, const MaskScale& scale) {
    std::vector<MaskRegion> out;
    for (const auto region : split_at(text, ';')) {
        std::vector<Corner> corners;
        for (const auto part : split_at(region, ',')) {
            const auto values = quantities_of(part);
            const bool time = values.size() == 2 && values[0].unit == Unit::second;
            const bool place = values.size() == 2 && values[0].unit == Unit::none;
            const bool volt = values.size() == 2 && values[1].unit == Unit::volt;
            const bool part_of = values.size() == 2 && values[1].unit == Unit::none;
            if ((!time && !place) || (!volt && !part_of)) {
                fail_input("the mask corner " + in_quotes(part) +
                           " is none: write a place in UI (or a time) and a level, such as 0.4 0.3");
            }
            if (time && !(scale.interval_s > 0)) fail_input("a mask in seconds needs a symbol rate");
            const double level = values[1].value;
            corners.push_back({time ? values[0].value / scale.interval_s : values[0].value,
                               volt ? level : scale.low_v + level * (scale.high_v - scale.low_v)});
        }
        const bool closed = corners.size() > 3 && std::abs(corners.front().x - corners.back().x) < 1e-9 &&
                            std::abs(corners.front().y - corners.back().y) < 1e-9;
        if (!closed) {
            fail_input("mask region " + std::to_string(out.size() + 1) +
                       " is not closed: repeat its first corner at the end");
        }
        corners.pop_back();
        out.emplace_back(std::move(corners));
    }
    return out;
}

}  // namespace rt
