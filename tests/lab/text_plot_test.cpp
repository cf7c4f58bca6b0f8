// Figures as text: every dot stands where its value lies.
#include "lab/report/text_plot.hpp"

#include <doctest/doctest.h>

#include <cmath>

#include "core/base/text.hpp"

using namespace rt;
using namespace rt::lab;

namespace {

// Dots of a character that is one, by column and line; nothing for others.
unsigned dots(const std::string& line, std::size_t column) {
    std::size_t at = 0;
    for (std::size_t c = 0; at < line.size(); ++c) {
        std::size_t next = at + 1;
        while (next < line.size() && (static_cast<unsigned char>(line[next]) & 0xc0) == 0x80) ++next;
        if (c == column) {
            if (next - at != 3 || static_cast<unsigned char>(line[at]) != 0xe2) return 0;
            const unsigned code = (static_cast<unsigned>(line[at + 1]) & 0x3f) << 6 |
                                  (static_cast<unsigned>(line[at + 2]) & 0x3f);
            return code >= 0x800 && code < 0x900 ? code - 0x800 : 0;
        }
        at = next;
    }
    return 0;
}

Figure line_from(double y0, double y1) {
    Figure figure;
    figure.title = "a line", figure.x_label = "Time in s", figure.y_label = "Level in dBm";
    figure.curves.push_back({"trace", CurveRole::trace, {0, 100}, {y0, y1}});
    return figure;
}

}  // namespace

TEST_CASE("a rising line runs from the lower left to the upper right, within the size that was asked for") {
    const auto lines = text_plot(line_from(-40, 10), 80, 20);
    REQUIRE(lines.size() == 19);
    CHECK(lines[0] == "a line");
    CHECK(lines[1] == "Level in dBm");
    for (const auto& line : lines) CHECK(letters(line) <= 80);
    CHECK(dots(lines[2], 79) != 0);  // highest at the right
    CHECK(dots(lines[2], 12) == 0);
    CHECK(dots(lines[17], 10) != 0);  // lowest at the left
    CHECK(dots(lines[17], 70) == 0);
    // In the middle of the width it is in the middle of the height.
    CHECK(dots(lines[9], 44) + dots(lines[10], 44) + dots(lines[9], 45) + dots(lines[10], 45) != 0);
    CHECK(lines.back().find("Time in s") != std::string::npos);
    CHECK(lines.back().find("100") != std::string::npos);
}

TEST_CASE("limits stand where no curve does, gaps stay open, flat curves and logarithmic axes are drawn") {
    Figure figure = line_from(-40, -40);
    figure.curves.push_back({"limit", CurveRole::limit, {0, 100}, {-20, -20}});
    auto lines = text_plot(figure, 60, 12);
    std::size_t limits = 0;
    for (const auto& line : lines) limits += line.find("─") != std::string::npos;
    CHECK(limits == 1);
    Figure gap = line_from(0, 0);
    gap.curves[0] = {"trace", CurveRole::trace, {0, 40, 50, 60, 100}, {0, 0, std::nan(""), 0, 0}};
    lines = text_plot(gap, 60, 12);
    bool open = false;
    for (const auto& line : lines)
        open = open || (dots(line, 20) != 0 && dots(line, 35) == 0 && dots(line, 50) != 0);
    CHECK(open);
    Figure log = line_from(0, 0);
    log.log_x = true;
    log.curves[0] = {"trace", CurveRole::trace, {1, 10, 10.001, 100}, {0, 0, 1, 1}};
    lines = text_plot(log, 70, 14);
    CHECK(dots(lines[2], 60) != 0);  // the step stands in the middle of two decades
    CHECK(dots(lines[2], 25) == 0);
    CHECK(lines.back().find("logarithmic") != std::string::npos);
    Figure nothing;
    nothing.title = "nothing";
    CHECK(text_plot(nothing, 80, 20) == std::vector<std::string>{"nothing"});
}
