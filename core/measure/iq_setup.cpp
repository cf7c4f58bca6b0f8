#include "core/measure/iq_setup.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"

namespace rt {

CaptureSetup iq_setup(const Parameters& parameters) {
    IqSetup setup;
    setup.centre_hz = parameters.required("centre");
    setup.sample_rate_hz = parameters.required("sample_rate");
    setup.duration_s = parameters.required("duration");
    setup.reference_level_dbm = parameters.required("reference_level");
    if (!(setup.sample_rate_hz > 0)) fail_input("parameter sample_rate: must be above 0 Hz");
    if (!(setup.duration_s > 0)) fail_input("parameter duration: must be above 0 s");
    if (setup.sample_rate_hz * setup.duration_s > 2e8) {
        fail_input(
            "the record would have more than 200000000 samples: shorten duration or lower sample_rate");
    }
    return setup;
}

IqRecord part_named(IqRecord record, const Parameters& parameters) {
    if (record.size() == 0) return record;
    const auto [first, last] =
        part_named(parameters, record.size(), 1 / record.sample_rate_hz, 1, "the part of the record");
    if (first == 0 && last == record.size()) return record;
    return part_of(record, first, last - first);
}

IqRecord take_iq(Capture capture, const char* procedure, const Parameters& parameters) {
    return part_named(take<IqRecord>(std::move(capture), procedure), parameters);
}

void note_reference(const IqRecord& record, Outcome& outcome) {
    if (record.reference_level_dbm) return;
    outcome.notes.push_back(
        "the record states no reference level: levels are relative to its full scale (dBFS); give it with "
        "--reference-level");
}

Quantity level_of(const IqRecord& record, double power) {
    const double db = 10 * std::log10(std::max(power, 1e-30));
    if (!record.reference_level_dbm) return {db, Unit::dbfs};
    return {db + *record.reference_level_dbm, Unit::dbm};
}

}  // namespace rt
