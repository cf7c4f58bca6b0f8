#include "lab/tally/measure_kept.hpp"

#include "core/base/error.hpp"
#include "core/base/text.hpp"
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

Outcome measure_kept(const std::filesystem::path& run, const Procedure& procedure, const PointRecord& point) {
    const auto path = run / point.capture.file;
    if (!stays_inside(point.capture.file))
        fail_input(run.string(),
                   "the capture " + in_quotes(point.capture.file) + " of a point leads out of the run");
    if (sha256(read_file(path)) != point.capture.sha256) {
        fail_input(path.string(), "was altered: its SHA-256 is not the one in the tally");
    }
    Parameters parameters(procedure.parameters);
    for (const auto& [name, value] : point.parameters) set_kept(parameters, point, name, value);
    return measure(procedure, read_capture(path), parameters);
}

}  // namespace rt::lab
