// A wafer map: which dies there are, which of them are tested, and the places of devices within a die.
#pragma once

#include <optional>
#include <string>
#include <vector>

namespace rt {

struct WaferMapSetup {};

struct WaferMap {
    using Setup = WaferMapSetup;
    static constexpr const char* kind = "wafer-map";
    static constexpr const char* needed = "a wafer map";

    struct Die {
        int column = 0, row = 0;  // rows count downwards
        bool tested = false, reference = false;
        std::string name() const { return std::to_string(column) + "," + std::to_string(row); }
    };
    struct Device {
        std::string name;
        double x_m = 0, y_m = 0;  // from the upper left corner of the die
    };

    std::string title;
    double pitch_x_m = 0, pitch_y_m = 0;
    std::vector<Die> dies;  // row by row
    std::vector<Device> devices;
    std::optional<std::string> distrust{};

    const Die* find(const std::string& name) const;
    // The middle of all dies, in columns and rows.
    double middle_column() const;
    double middle_row() const;
    // Distance of a die from the middle.
    double radius_m(const Die& die) const;
    // The tested dies, row after row in turns from the row of the reference die's side: each next to the one
    // before wherever the rows allow.
    std::vector<std::string> path() const;
};

std::string implausible(const WaferMap& map);

}  // namespace rt
