#include "lab/tally/measure_kept.hpp"

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/inputs.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {

void set_kept(Parameters& parameters, const PointRecord& point, const std::string& name,
              const std::string& value) {
    if (point.presets.contains(name)) {
        parameters.set_preset(name, value);
    } else {
        parameters.set(name, value);
    }
}

// A capture of the run as it was kept. Throws Error(input) when it is missing, altered or leads out of the
// run.
static Capture read_kept(const std::filesystem::path& run, const CaptureRecord& capture) {
    const auto path = run / capture.file;
    if (!stays_inside(capture.file))
        fail_input(run.string(),
                   "the capture " + in_quotes(capture.file) + " of a point leads out of the run");
    if (sha256(read_file(path)) != capture.sha256) {
        fail_input(path.string(), "was altered: its SHA-256 is not the one in the tally");
    }
    return read_capture(path);
}

Outcome measure_kept(const std::filesystem::path& run, const Procedure& procedure, const PointRecord& point) {
    Parameters parameters(procedure.parameters);
    for (const auto& [name, value] : point.parameters) set_kept(parameters, point, name, value);
    if (point.inputs.empty()) return measure(procedure, read_kept(run, point.capture), parameters);
    std::vector<Input> inputs;
    for (const auto& input : point.inputs) inputs.push_back({input.name, read_kept(run, input.capture)});
    return measure(procedure, Inputs(std::move(inputs)), parameters);
}

}  // namespace rt::lab
