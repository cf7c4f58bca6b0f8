// Colours and dashes of curves, the same in drawn figures and on pages that can be read by cursor.
#pragma once

#include <cstddef>
#include <iterator>

namespace rt::lab {

inline constexpr const char* trace_colour = "#14506e";
inline constexpr const char* spot_colour = "#a8480f";
inline constexpr const char* sweep_colours[] = {"#14506e", "#a8480f", "#3f7d3a", "#7a3b8f", "#8a6d00",
                                                "#b03060", "#2f7f86", "#5a5a5a", "#274b9f", "#6b4423"};
// Solid, long, short, long and short, wide, dots.
inline constexpr const char* sweep_dashes[] = {"1", "(14,6)", "(5,4)", "(14,5,4,5)", "(20,9)", "(2,4)"};
inline constexpr const char* screen_dashes[] = {"", "9,4", "4,3", "9,3,3,3", "14,6", "2,3"};
inline constexpr const char* sweep_shapes[] = {"7", "5", "9", "13", "11", "6", "4", "8", "12", "10"};
// Of dies: marginal, failed, without verdict, standing out.
inline constexpr int sign_shapes[] = {8, 2, 12, 6};
inline constexpr const char* sign_colours[] = {"#111111", "#b3261e", "#5a5a5a", "#d81b8c"};
inline constexpr const char* limit_colours[] = {"#b3261e", "#8a5a00", "#6b3fa0",
                                                "#00695c", "#ad1457", "#37474f"};
inline constexpr const char* limit_dashes[] = {"1", "2", "4", "5", "3", "1"};

inline const char* sweep_colour(std::size_t curve) {
    return sweep_colours[curve % std::size(sweep_colours)];
}
inline const char* limit_colour(std::size_t limit) {
    return limit_colours[limit % std::size(limit_colours)];
}

}  // namespace rt::lab
