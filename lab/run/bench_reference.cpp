#include "lab/run/bench_reference.hpp"

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {

void state_reference(Campaign& campaign, const Bench& bench, ReferenceOf run) {
    constexpr const char* name = "reference";
    for (auto& test : campaign.tests) {
        const ParameterInfo* info = test.procedure ? test.parameters.find(name) : nullptr;
        if (!info || info->unit != Unit::ppm) continue;
        const Instrument* instrument = bench.find(test.instrument);
        if (!instrument || !instrument->place.speaks()) continue;  // of a recorded capture the campaign knows
        if (run == ReferenceOf::new_run && test.parameters.stated(name) && !instrument->external_reference)
            fail_input(test.where,
                       "the test " + in_quotes(test.name) +
                           " states a reference, but nothing proves that the " + instrument->role +
                           " is locked to it: give it external_reference = true on the bench, and [bench] "
                           "its reference_stability");
        if (!test.parameters.stated(name) && instrument->external_reference && bench.reference_ppm)
            test.parameters.set_quantity(name, {*bench.reference_ppm, Unit::ppm});
    }
}

}  // namespace rt::lab
