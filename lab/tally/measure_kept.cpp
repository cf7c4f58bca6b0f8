#include "lab/tally/measure_kept.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/measure/inputs.hpp"
#include "lab/analysis/answer.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {

void set_kept(Parameters& parameters, const PointRecord& point, const std::string& name,
              const std::string& value) {
    if (point.defaults.contains(name)) {
        parameters.set_default(name, value);
    } else {
        parameters.set(name, value);
    }
}

// A capture of the run as it was kept. Throws Error(input) when it is missing, altered or leads out of the
// run.
static std::string read_unaltered(const std::filesystem::path& run, const CaptureRecord& capture) {
    const auto path = run / capture.file;
    if (!stays_inside(capture.file))
        fail_input(run.string(),
                   "the capture " + in_quotes(capture.file) + " of a point leads out of the run");
    std::string content = read_file(path);
    if (sha256(content) != capture.sha256) {
        fail_input(path.string(), "was altered: its SHA-256 is not the one in the tally");
    }
    return content;
}

static Capture read_kept(const std::filesystem::path& run, const CaptureRecord& capture) {
    read_unaltered(run, capture);
    return read_capture(run / capture.file);
}

static Outcome kept_answer(const std::filesystem::path& run, const OwnProcedure& own,
                           const PointRecord& point) {
    Outcome out;
    const auto answer = [](const CaptureRecord& a) { return a.kind == "answer"; };
    const auto at = std::find_if(point.attachments.begin(), point.attachments.end(), answer);
    if (at == point.attachments.end()) {
        invalidate(out, point.invalid.empty() ? "no answer of the program was kept" : point.invalid);
        return out;
    }
    try {
        out = read_answer(own.analysis, read_unaltered(run, *at));
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::signal) throw;
        fail_input((run / at->file).string(), error.message());
    }
    if (out.invalid) invalidate(out, *out.invalid);
    return out;
}

Outcome measure_kept(const std::filesystem::path& run, const Procedure& procedure, const OwnProcedure* own,
                     const PointRecord& point) {
    if (own) {
        Outcome out = kept_answer(run, *own, point);
        for (const auto& [name, value] : point.parameters) {
            if (!point.defaults.contains(name)) out.stated.insert(name);
        }
        return out;
    }
    Parameters parameters(procedure.parameters);
    for (const auto& [name, value] : point.parameters) set_kept(parameters, point, name, value);
    if (point.inputs.empty()) return measure(procedure, read_kept(run, point.capture), parameters);
    std::vector<Input> inputs;
    for (const auto& input : point.inputs) inputs.push_back({input.name, read_kept(run, input.capture)});
    return measure(procedure, Inputs(std::move(inputs)), parameters);
}

}  // namespace rt::lab
