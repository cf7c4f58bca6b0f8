#include "core/signal/counts.hpp"

#include <fmt/core.h>

#include "core/base/error.hpp"

namespace rt {

void require_valid(const Counts& counts, const std::string& place) {
    if (counts.packets_received > counts.packets_sent) {
        fail_input(place, fmt::format("{} packets received of {} sent: more than were sent",
                                      counts.packets_received, counts.packets_sent));
    }
    if (counts.bit_errors > counts.bits) {
        fail_input(place, fmt::format("{} bit errors in {} bits: more than were compared", counts.bit_errors,
                                      counts.bits));
    }
}

}  // namespace rt
