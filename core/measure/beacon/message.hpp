// What a message of a beacon says, as results, a table and remarks.
#pragma once

#include <array>

#include "core/measure/beacon/frame.hpp"
#include "core/measure/procedure.hpp"

namespace rt::beacon {

inline constexpr std::array message_products{
    Product{"errors_first", Unit::count, "bits that the first check word (bits 86 to 106) has set right"},
    Product{"errors_second", Unit::count, "bits that the second check word (bits 133 to 144) has set right"},
    Product{"rules_broken", Unit::count, "rules of its structure that do not hold"},
    Product{"country", Unit::none, "country code (maritime identification digits)"},
    Product{"latitude", Unit::degree, "north positive"},
    Product{"longitude", Unit::degree, "east positive"},
    Product{"position_step", Unit::degree, "how finely the latitude is stated"},
    Product{"self_test", Unit::count, "1 for the frame synchronisation of a self-test, else 0"},
};

// Adds all of that; a message that is refused invalidates the outcome.
void add_message(const Frame& frame, Outcome& outcome);

}  // namespace rt::beacon
