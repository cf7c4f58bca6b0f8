// Which of several devices is meant, and the table of all.
#pragma once

#include <functional>
#include <optional>
#include <span>
#include <string>

#include "core/outcome/outcome.hpp"
#include "core/signal/devices.hpp"

namespace rt {

// The device called so by its address or name, or the first of them for "strongest"; they are in order of
// strength. Nothing where several are there and none is named, which is noted, and where it is not there or
// not clear, which makes the outcome invalid. `strength` is shown of each.
std::optional<std::size_t> choose_device(std::span<const NearbyDevice> devices, const std::string& wanted,
                                         const std::function<std::string(std::size_t)>& strength,
                                         Outcome& outcome);

// Results connectable and scannable, and a note how its packet errors can be counted.
void add_abilities(const NearbyDevice& device, Outcome& outcome);

}  // namespace rt
