// Conclusions whose table a later test writes to the unit.
#pragma once

#include <string_view>

#include "lab/model/test.hpp"

namespace rt::lab {

inline bool makes_gain_table(const Test& test) {
    return test.concludes && std::string_view(test.procedure->name) == "results.gain-table";
}

}  // namespace rt::lab
