// Gain tables that conclusions make, as later tests write them to the unit.
#pragma once

#include <filesystem>
#include <string>
#include <vector>

#include "lab/run/measured.hpp"
#include "lab/run/plan.hpp"

namespace rt::lab {

// What a setting is given for "calibration:NAME": one text, or one row after another.
struct DeviceTableText {
    std::vector<std::string> parts;
    std::string missing;  // why there is none
};
DeviceTableText device_table_text(const Plan& plan, const Measured& measured,
                                  const std::filesystem::path& run, const PlannedTest& provider);

}  // namespace rt::lab
