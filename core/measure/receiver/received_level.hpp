// The level that reaches a receiver, from what was sent and what lies between, and an interferer beside it.
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
    ParameterInfo{"interferer_level", ParameterKind::quantity, Unit::dbm, "",
                  "of an interfering signal as it is sent, for the ratio of both"},
    ParameterInfo{"interferer_path_loss", ParameterKind::quantity, Unit::db, "0 dB",
                  "of whatever lies between that and the receiver"},
    ParameterInfo{"reported_level", ParameterKind::quantity, Unit::dbm, "",
                  "what the receiver itself says it receives; a campaign reads it from the unit"},
};
inline constexpr Product received_level_product{
    "received_level", Unit::dbm, "transmit level less path loss and attenuation, where the first is stated"};
inline constexpr Product interferer_product{"interferer_received", Unit::dbm,
                                            "level of the interferer at the receiver, where it is stated"};
inline constexpr Product carrier_to_interferer_product{
    "carrier_to_interferer", Unit::db, "received level over that of the interferer, where both are stated"};
inline constexpr Product rejection_product{
    "rejection", Unit::db, "how much the interferer is stronger: the same with the other sign"};
inline constexpr Product reported_level_product{"reported_level", Unit::dbm,
                                                "what the receiver itself says, where it was asked"};
inline constexpr Product report_error_product{"report_error", Unit::db,
                                              "that over the received level, where both are known"};
inline constexpr std::array received_level_products{received_level_product,        interferer_product,
                                                    carrier_to_interferer_product, rejection_product,
                                                    reported_level_product,        report_error_product};

inline void add_received_level(Outcome& outcome, const Parameters& p) {
    const auto sent = p.number("transmit_level"), other = p.number("interferer_level");
    const double received = sent.value_or(0) - p.required("path_loss") - p.required("attenuation");
    if (sent) outcome.add(received_level_product.name, received, Unit::dbm);
    if (const auto says = p.number("reported_level")) {
        outcome.add(reported_level_product.name, *says, Unit::dbm);
        if (sent) outcome.add(report_error_product.name, *says - received, Unit::db);
    }
    if (!other) return;
    const double interferer = *other - p.required("interferer_path_loss");
    outcome.add(interferer_product.name, interferer, Unit::dbm);
    if (!sent) return;
    outcome.add(carrier_to_interferer_product.name, received - interferer, Unit::db);
    outcome.add(rejection_product.name, interferer - received, Unit::db);
}

}  // namespace rt
