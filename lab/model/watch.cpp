#include "lab/model/watch.hpp"

namespace rt::lab {

std::string Watch::limits_text() const {
    if (min && max) return format(*min) + " to " + format(*max);
    return min ? "at least " + format(*min) : "at most " + format(*max);
}

}  // namespace rt::lab
