#include "core/signal/counts.hpp"

#include "core/base/error.hpp"

namespace rt {

void require_valid(const Counts& counts, const std::string& place) {
    if (counts.packets_received > counts.packets_sent) {
        fail_input(place, std::to_string(counts.packets_received) + " packets received of " +
                              std::to_string(counts.packets_sent) + " sent: more than were sent");
    }
    if (counts.bit_errors > counts.bits) {
        fail_input(place, std::to_string(counts.bit_errors) + " bit errors in " +
                              std::to_string(counts.bits) + " bits: more than were compared");
    }
}

}  // namespace rt
