// The level that reaches a receiver, from what was sent and what lies between.
#pragma once

#include <array>

#include "core/measure/procedure.hpp"

namespace rt {

inline constexpr std::array received_level_parameters{
    ParameterInfo{"transmit_level", ParameterKind::quantity, Unit::dbm, "",
                  "what is sent, for the received level"},
    ParameterInfo{"path_loss", ParameterKind::quantity, Unit::db, "0 dB",
                  "of cables and whatever else lies between, without the attenuator"},
    ParameterInfo{"attenuation", ParameterKind::quantity, Unit::db, "0 dB", "of the attenuator"},
};
inline constexpr Product received_level_product{
    "received_level", Unit::dbm, "transmit level less path loss and attenuation, where the first is stated"};

inline void add_received_level(Outcome& outcome, const Parameters& p) {
    if (const auto sent = p.number("transmit_level"))
        outcome.add(received_level_product.name, *sent - p.required("path_loss") - p.required("attenuation"),
                    Unit::dbm);
}

}  // namespace rt
