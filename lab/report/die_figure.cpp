#include <array>

#include "lab/report/figure.hpp"

namespace rt::lab {

Figure die_figure(const DieMap& map, const std::string& title) {
    Figure figure;
    figure.title = title;
    figure.x_label = "Column";
    figure.y_label = "Row";
    figure.dies = map;
    using State = DieMap::State;
    // In the order of the signs.
    std::array<Curve, 4> signs{
        Curve{"MARGINAL", CurveRole::sign, {}, {}}, Curve{"FAIL", CurveRole::sign, {}, {}},
        Curve{"no verdict", CurveRole::sign, {}, {}}, Curve{"stands out", CurveRole::sign, {}, {}}};
    const auto put = [&](std::size_t sign, const DieMap::Die& die) {
        signs[sign].x.push_back(die.column), signs[sign].y.push_back(die.row);
    };
    for (const auto& die : map.dies) {
        if (die.state == State::marginal) put(0, die);
        if (die.state == State::failed) put(1, die);
        if (die.state == State::lost) put(2, die);
        if (die.outlier) put(3, die);
    }
    for (auto& sign : signs) {
        // The first needs a place to have a line in the key.
        if (sign.x.empty()) sign.x.push_back(-1e6), sign.y.push_back(-1e6);
        figure.curves.push_back(std::move(sign));
    }
    return figure;
}

}  // namespace rt::lab
