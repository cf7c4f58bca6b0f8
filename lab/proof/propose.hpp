// What an instrument that was found may be: by whom it says that it is, and by the questions that it answers.
#pragma once

#include <chrono>
#include <string>
#include <vector>

#include "lab/model/dialect.hpp"
#include "lab/session/look_around.hpp"

namespace rt::lab {

struct Found {
    Sighting seen;
    std::string identity;  // "" when it does not answer
    std::string trouble;
    std::string kind, dialect;            // proposed; "" when nothing fits
    std::size_t answered = 0, asked = 0;  // questions of that dialect
};

// Asks each who it is, and then questions of the dialects: nothing is set. Serial lines are not asked.
std::vector<Found> ask_found(const std::vector<Sighting>& seen, const std::vector<Dialect>& dialects,
                             std::chrono::milliseconds patience);
// A bench file begun from it, roles named after what the instruments seem to be.
std::string begun_bench(const std::vector<Found>& found);

}  // namespace rt::lab
