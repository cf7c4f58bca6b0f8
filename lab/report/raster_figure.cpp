#include <algorithm>
#include <cmath>

#include "lab/report/axes.hpp"
#include "lab/report/figure.hpp"

namespace rt::lab {

Figure raster_figure(const Raster& raster, const std::string& title) {
    const Scale sx = scale_of(std::max(std::abs(raster.x_from), std::abs(raster.x_to)), raster.x_unit);
    const Scale sy = scale_of(std::max(std::abs(raster.y_from), std::abs(raster.y_to)), raster.y_unit);
    Figure figure;
    figure.title = title;
    figure.x_label = axis_label(raster.x_title, sx.unit);
    figure.y_label = axis_label(raster.y_title, sy.unit);
    figure.raster = raster;
    Raster& r = *figure.raster;
    r.x_from *= sx.factor, r.x_to *= sx.factor, r.y_from *= sy.factor, r.y_to *= sy.factor;
    const auto add = [&](const Raster::Line& line, CurveRole role) {
        Curve curve{line.title, role, line.x, line.y};
        for (double& x : curve.x) x *= sx.factor;
        for (double& y : curve.y) y *= sy.factor;
        figure.curves.push_back(std::move(curve));
    };
    for (const auto& outline : raster.outlines) add(outline, CurveRole::limit);
    for (const auto& mark : raster.marks) add(mark, CurveRole::spots);
    return figure;
}

}  // namespace rt::lab
