// What procedures on power meters share.
#pragma once

#include "core/measure/procedure.hpp"

namespace rt {

inline constexpr ParameterInfo power_frequency_parameter{"frequency", ParameterKind::quantity, Unit::hertz,
                                                         "", "frequency at which the sensor is corrected"};
inline constexpr ParameterInfo sensor_parameter{"sensor", ParameterKind::whole_number, Unit::none, "1",
                                                "which sensor, counting from 1"};
inline constexpr ParameterInfo averages_parameter{"averages", ParameterKind::whole_number, Unit::none, "4",
                                                  "readings that are averaged"};

// Throws Error(input) for a sensor other than 1 to 3 or averages outside 1 to 1024.
PowerSetup power_setup(const Parameters& parameters);

}  // namespace rt
