// Conclusions whose table a later test writes to the unit or to an instrument.
#pragma once

#include <string_view>

#include "lab/model/test.hpp"

namespace rt::lab {

inline bool makes_device_table(const Test& test) {
    if (!test.concludes) return false;
    const std::string_view name = test.procedure->name;
    return name == "results.gain-table" || name == "results.level-table";
}

}  // namespace rt::lab
