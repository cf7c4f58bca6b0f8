#include "core/signal/wafer_map.hpp"

#include <algorithm>
#include <cmath>
#include <cstdlib>

namespace rt {

const WaferMap::Die* WaferMap::find(const std::string& name) const {
    const auto at = std::find_if(dies.begin(), dies.end(), [&](const Die& d) { return d.name() == name; });
    return at == dies.end() ? nullptr : &*at;
}

double WaferMap::middle_column() const {
    const auto [low, high] = std::minmax_element(
        dies.begin(), dies.end(), [](const Die& a, const Die& b) { return a.column < b.column; });
    return (low->column + high->column) / 2.0;
}

double WaferMap::middle_row() const {
    const auto [low, high] = std::minmax_element(dies.begin(), dies.end(),
                                                 [](const Die& a, const Die& b) { return a.row < b.row; });
    return (low->row + high->row) / 2.0;
}

double WaferMap::radius_m(const Die& die) const {
    return std::hypot((die.column - middle_column()) * pitch_x_m, (die.row - middle_row()) * pitch_y_m);
}

std::vector<std::string> WaferMap::path() const {
    std::vector<const Die*> order;
    const Die* reference = nullptr;
    for (const auto& die : dies) {
        if (die.tested) order.push_back(&die);
        if (die.reference) reference = &die;
    }
    const bool from_below = reference && reference->row > middle_row();
    const bool from_right = reference && reference->column > middle_column();
    std::stable_sort(order.begin(), order.end(), [&](const Die* a, const Die* b) {
        return from_below ? a->row > b->row : a->row < b->row;
    });
    // Each row begins at the end that is nearer to where the last one ended.
    std::vector<std::string> out;
    std::optional<int> column;
    for (auto row = order.begin(); row != order.end();) {
        auto end = row;
        while (end != order.end() && (*end)->row == (*row)->row) ++end;
        std::sort(row, end, [](const Die* a, const Die* b) { return a->column < b->column; });
        const bool backwards =
            column ? std::abs(*column - (*std::prev(end))->column) < std::abs(*column - (*row)->column)
                   : from_right;
        if (backwards) std::reverse(row, end);
        for (auto at = row; at != end; ++at) out.push_back((*at)->name());
        column = (*std::prev(end))->column;
        row = end;
    }
    return out;
}

std::string implausible(const WaferMap&) {
    return {};
}

}  // namespace rt
