#include "core/short_range/devices.hpp"

#include <fmt/core.h>

#include "core/base/text.hpp"

namespace rt {

std::optional<std::size_t> choose_device(std::span<const NearbyDevice> devices, const std::string& wanted,
                                         const std::function<std::string(std::size_t)>& strength,
                                         Outcome& outcome) {
    if (devices.empty()) {
        outcome.invalid = "no device was heard";
        return std::nullopt;
    }
    std::string list;
    for (std::size_t i = 0; i < devices.size(); ++i)
        list += (i ? " and " : "") + devices[i].text() + " at " + strength(i);
    if (wanted.empty() && devices.size() > 1) {
        outcome.notes.push_back(fmt::format("{} devices were heard, {}: name one (device) for results of it",
                                            devices.size(), list));
        return std::nullopt;
    }
    if (wanted.empty() || lower(wanted) == "strongest") return 0;
    std::optional<std::size_t> found;
    for (std::size_t i = 0; i < devices.size(); ++i) {
        if (devices[i].address != lower(wanted) && devices[i].name != wanted) continue;
        if (found) {
            outcome.invalid = "two devices are called " + in_quotes(wanted) + ": " + devices[*found].address +
                              " and " + devices[i].address + "; name the address";
            return std::nullopt;
        }
        found = i;
    }
    if (!found) outcome.invalid = "the device " + in_quotes(wanted) + " was not heard; heard: " + list;
    return found;
}

void add_abilities(const NearbyDevice& device, Outcome& outcome) {
    outcome.add("connectable", device.connects, Unit::none);
    outcome.add("scannable", device.scanned, Unit::none);
    outcome.notes.emplace_back(device.scanned    ? "packet errors can be counted by scan requests"
                               : device.connects ? "packet errors can be counted over a connection only"
                                                 : "it takes neither scan requests nor connections: no "
                                                   "packet errors can be counted");
}

}  // namespace rt
