#include "lab/report/figure_values.hpp"

#include <algorithm>
#include <cmath>
#include <cstdio>
#include <nlohmann/json.hpp>

#include "lab/report/figure_style.hpp"
#include "lab/report/plain_text.hpp"

namespace rt::lab {
namespace {

// A JSON string whose characters cannot end the element of the page that it stands in.
std::string json_text(const std::string& text) {
    std::string out;
    for (const char c : nlohmann::json(plain_text(text)).dump()) {
        if (c == '<') {
            out += "\\u003c";
        } else {
            out += c;
        }
    }
    return out;
}

void append_numbers(std::string& out, const std::vector<double>& values, const char* digits) {
    char text[40];
    out += '[';
    for (std::size_t i = 0; i < values.size(); ++i) {
        if (i) out += ',';
        if (!std::isfinite(values[i])) {
            out += "null";
            continue;
        }
        std::snprintf(text, sizeof text, digits, values[i]);
        out += text;
    }
    out += ']';
}

const char* role_name(CurveRole role) {
    switch (role) {
        case CurveRole::limit:
            return "limit";
        case CurveRole::sweep:
            return "sweep";
        case CurveRole::spots:
            return "spots";
        case CurveRole::bars:
            return "bars";
        case CurveRole::companion:
            return "companion";
        case CurveRole::dots:
        case CurveRole::grid:
        case CurveRole::sign:
        case CurveRole::ideal:
        case CurveRole::trace:
            break;
        case CurveRole::interval:
            return "limit";
    }
    return "trace";
}

}  // namespace

std::string figure_values(const Figure& figure) {
    if (figure.polar || figure.plane || figure.dies || figure.raster || figure.square ||
        figure.curves.empty())
        return "";
    for (const auto& curve : figure.curves) {
        if (curve.role == CurveRole::dots) return "";
    }
    std::string out = "{\"title\":" + json_text(figure.title) + ",\"x\":" + json_text(figure.x_label) +
                      ",\"y\":" + json_text(figure.y_label) + ",\"log\":" + (figure.log_x ? "1" : "0") +
                      (figure.together.empty() ? "" : ",\"together\":" + json_text(figure.together)) +
                      ",\"curves\":[";
    std::size_t limits = 0;
    for (std::size_t i = 0; i < figure.curves.size(); ++i) {
        const Curve& curve = figure.curves[i];
        if (curve.role == CurveRole::grid) continue;  // stands last: what is behind the others
        const char* colour = curve.role == CurveRole::limit   ? limit_colour(limits++)
                             : curve.role == CurveRole::spots ? spot_colour
                             : curve.role == CurveRole::sweep || curve.role == CurveRole::companion
                                 ? sweep_colour(i)
                                 : trace_colour;
        out += (i ? ",{\"name\":" : "{\"name\":") + json_text(curve.name) + ",\"role\":\"" +
               role_name(curve.role) + "\",\"colour\":\"" + colour + "\"";
        const char* dashes = screen_dashes[i % std::size(screen_dashes)];
        if (curve.role == CurveRole::sweep && *dashes != '\0')
            out += std::string(",\"dash\":[") + dashes + "]";
        out += ",\"x\":";
        const auto same =
            std::find_if(figure.curves.begin(), figure.curves.begin() + static_cast<std::ptrdiff_t>(i),
                         [&](const Curve& earlier) { return earlier.x == curve.x; });
        if (same != figure.curves.begin() + static_cast<std::ptrdiff_t>(i)) {
            out += std::to_string(same - figure.curves.begin());
        } else {
            append_numbers(out, curve.x, "%.9g");
        }
        out += ",\"y\":";
        append_numbers(out, curve.y, "%.6g");
        out += '}';
    }
    return out + "]}";
}

}  // namespace rt::lab
