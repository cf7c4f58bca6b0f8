// How a unit reacts to interference (EN 300 328 clause 5.4.6, EN 301 893 clause 5.4.9).
#pragma once

#include <array>

#include "core/measure/trigger.hpp"

namespace rt {

inline constexpr std::array reaction_rows{
    ParameterInfo{
        "interference_start", ParameterKind::quantity, Unit::second, "",
        "time in the record at which interference begins; without it where the power between bursts "
        "rises by 3 dB"},
    ParameterInfo{"interference_stop", ParameterKind::quantity, Unit::second, "",
                  "time at which it ends; without it where that power falls again, or the end of the record"},
    ParameterInfo{"interference", ParameterKind::choice, Unit::none, "stated",
                  "whether times that are given count as they are, or only where the record shows the "
                  "interference itself",
                  "stated recorded"},
    ParameterInfo{"control_length", ParameterKind::quantity, Unit::second, "0 s",
                  "after the interference, bursts up to this length are short control signalling"},
    ParameterInfo{"control_window", ParameterKind::quantity, Unit::second, "50 ms",
                  "window in which time on is summed after the reaction"},
};

inline constexpr std::array reaction_products{
    Product{"interference_power", Unit::dbm, "by how much the mean power between bursts rises with it"},
    Product{"interference_time", Unit::second, "how long it lasted in the record"},
    Product{"reaction_time", Unit::second,
            "from the beginning of interference to the end of the last transmission during it"},
    Product{"control_share", Unit::percent,
            "largest share of time on in any control_window after the reaction"},
    Product{"control_count", Unit::count, "most transmissions in any control_window after the reaction"},
    Product{"quiet_time", Unit::second,
            "from the end of the last transmission to the next one after the interference"},
};

// Adds the results above. What cannot be said is told in Outcome::lacking, and in a note. Without
// interference given or seen nothing but that is added. Throws Error(input) for times outside of the record.
void add_reaction(const IqRecord& record, const BurstList& list, const Parameters& parameters,
                  Outcome& outcome);

}  // namespace rt
