// Devices that were found, as a table: "address,kind,name,allows,level [dBm]".
#pragma once

#include <string>
#include <string_view>

#include "core/signal/devices.hpp"

namespace rt::lab {

std::string devices_csv(const Devices& devices);
// Throws Error(input) with the place for unknown columns, words and addresses that are none.
Devices parse_devices_csv(std::string_view text, const std::string& file);

}  // namespace rt::lab
