#include "lab/run/point_maker.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/correct/by_kind.hpp"
#include "core/rules/judge.hpp"
#include "lab/analysis/answer.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/captures/kind.hpp"
#include "lab/clock.hpp"
#include "lab/formats/files.hpp"

namespace rt::lab {

PointRecord head_of(const PointJob& job, std::size_t position) {
    PointRecord record;
    record.id = job.point->id_text();
    record.position = position;
    record.kind = job.kind;
    record.parent = job.parent;
    record.test = job.test->name;
    record.label = label(*job.sweep, *job.point);
    record.started = utc_now();
    record.axes = axes_of(*job.sweep, *job.point);
    return record;
}

static void put_parameters(const Parameters& parameters, PointRecord& record) {
    record.parameters.assign(parameters.texts().begin(), parameters.texts().end());
    for (const auto& [name, text] : parameters.texts()) {
        if (!parameters.stated(name)) record.defaults.insert(name);
    }
}

PointMaker::PointMaker(const Plan& plan, const std::filesystem::path& folder, Tally& tally,
                       BenchConnection& bench, Calibrations& calibrations, RunListener& listener)
    : folder_(folder),
      bench_(bench),
      calibrations_(calibrations),
      taker_(plan, bench, calibrations, listener, tally) {}

bool PointMaker::can_look(const PlannedTest& planned) const {
    const Test& test = *planned.test;
    return test.measures() && test.takes.empty() && test.sources.empty() && test.files.empty() &&
           !test.search && !test.adjust && !test.maximise && !planned.points.empty() && planned.instrument &&
           bench_.speaks(planned.instrument->role);
}

Outcome PointMaker::look(const PointJob& job) {
    const Parameters parameters = job.test->parameters_at(*job.sweep, *job.point);
    if (!job.blocked.empty()) {
        Outcome outcome;
        invalidate(outcome, job.blocked);
        return outcome;
    }
    return measure(*job.test->procedure, Inputs(taker_.look(job, job.test->procedure->setup(parameters))),
                   parameters);
}

PointRecord PointMaker::make(const PointJob& job, std::size_t position, WatchKeeper& watches) {
    PointRecord record = head_of(job, position);
    Parameters parameters = job.test->parameters_at(*job.sweep, *job.point);
    std::string doubt = job.blocked;
    std::vector<Taken> taken;
    if (job.blocked.empty()) {
        taken = taker_.take_all(job, parameters, job.test->procedure->setup(parameters), watches, doubt);
        taker_.read_into(*job.test, parameters);
    }
    put_parameters(parameters, record);
    std::vector<Input> inputs = keep_all(job, std::move(taken), record, doubt);
    Outcome outcome = outcome_of(job, parameters, std::move(inputs), record, std::move(doubt));
    judge_all(job, parameters, std::move(outcome), record);
    int looks = 0;
    for (const auto& picture : taker_.take_looks())
        attach(record, "-look-" + std::to_string(++looks), picture);
    attach_picture(job, record, watches);
    record.ended = utc_now();
    return record;
}

// Captures of the bench are kept with the point; those of other tests are named. A table of results is one of
// the point's.
std::vector<Input> PointMaker::keep_all(const PointJob& job, std::vector<Taken> taken, PointRecord& record,
                                        std::string& doubt) const {
    std::vector<Input> out;
    const bool several =
        !job.test->takes.empty() || (!job.test->procedure->inputs.empty() && !job.given.empty());
    for (auto& one : taken) {
        CaptureRecord kept = keep(record, one.capture, one.input);
        if (several) record.inputs.push_back({one.input, "", kept});
        if (record.capture.file.empty()) record.capture = std::move(kept);
        out.push_back({one.input, std::move(one.capture)});
    }
    for (const auto& given : job.given) {
        if (!given.doubt.empty()) doubt = given.doubt;
        if (!given.capture) continue;
        CaptureRecord kept = given.kept.file.empty() ? keep(record, *given.capture, given.input) : given.kept;
        if (several || !given.source.empty()) record.inputs.push_back({given.input, given.source, kept});
        if (record.capture.file.empty()) record.capture = std::move(kept);
        out.push_back({given.input, *given.capture});
    }
    if (!several) return out;
    // In the order of the procedure; the first one is the point's own.
    const auto& infos = job.test->procedure->inputs;
    const auto rank = [&](const InputRecord& input) {
        return std::find_if(infos.begin(), infos.end(),
                            [&](const InputInfo& i) { return i.named(input.name); });
    };
    std::stable_sort(record.inputs.begin(), record.inputs.end(),
                     [&](const InputRecord& a, const InputRecord& b) { return rank(a) < rank(b); });
    if (!record.inputs.empty()) record.capture = record.inputs.front().capture;
    return out;
}

Outcome PointMaker::outcome_of(const PointJob& job, const Parameters& parameters, std::vector<Input> inputs,
                               PointRecord& record, std::string doubt) const {
    Outcome outcome;
    outcome.stated = parameters.stated_names();
    const bool complete =
        inputs.size() >= job.given.size() && !inputs.empty() &&
        std::all_of(job.given.begin(), job.given.end(), [](const Given& g) { return g.capture.has_value(); });
    if (complete) {
        try {
            outcome = measure(*job.test->procedure, Inputs(std::move(inputs)), parameters);
        } catch (const Error& error) {
            // What a conclusion looks for may be what the points do not have: the others are worth their
            // verdicts.
            if (error.kind() != ErrorKind::input || !job.test->concludes) throw;
            doubt = error.message();
        }
    }
    // A program's answer is not made again from the capture: it is kept.
    if (complete && job.test->procedure->by_program) {
        const std::string answer = answer_text(outcome), file = file_name(record, "-answer.jsonl");
        write_file(folder_ / file, answer);
        record.attachments.push_back({file, "answer", sha256(answer), answer.size()});
    }
    if (!complete && doubt.empty()) doubt = "an input is missing";
    if (!doubt.empty()) invalidate(outcome, std::move(doubt));
    if (outcome.made) {
        const auto written = write_capture(folder_ / file_name(record, "-made"), *outcome.made);
        record.attachments.push_back({written.file.lexically_relative(folder_).string(), made_attachment,
                                      sha256(written.content), written.content.size()});
    }
    return outcome;
}

std::string PointMaker::file_name(const PointRecord& record, const std::string& ending) const {
    std::string number = std::to_string(record.position);
    number.insert(0, number.size() < 5 ? 5 - number.size() : 0, '0');
    // As patterns for recorded captures spell them: {test}-{label}.
    return "captures/" + number + "-" + file_part(record.test) + "-" + file_part(record.label) + ending;
}

CaptureRecord PointMaker::keep(const PointRecord& record, const Capture& capture,
                               const std::string& input) const {
    const std::string ending = input.empty() ? "" : "-" + file_part(input);
    const auto written = write_capture(folder_ / file_name(record, ending), capture);
    return {written.file.lexically_relative(folder_).string(), kind_name(capture), sha256(written.content),
            written.content.size()};
}

CaptureRecord PointMaker::keep(const PointRecord& record, const std::string& table, const char* kind) const {
    const std::string file = file_name(record, ".csv");
    write_file(folder_ / file, table);
    return {file, kind, sha256(table), table.size()};
}

void PointMaker::judge_all(const PointJob& job, const Parameters& parameters, Outcome outcome,
                           PointRecord& record) {
    std::vector<const Instrument*> instruments{job.instrument};
    for (const auto& take : job.test->takes) {
        if (!take.instrument.empty()) instruments.push_back(bench_.bench().find(take.instrument));
    }
    for (const Instrument* instrument : instruments) {
        if (!instrument) continue;
        if (auto lapse = calibration_lapse(*instrument); !lapse.empty())
            invalidate(outcome, std::move(lapse));
    }
    // Sources set through a path that cannot be relied on have sent an unknown level.
    for (const auto& path : bench_.bench().paths) {
        const auto level = [&](const auto& s) { return s.first == path.role + ".level"; };
        const auto any_level = [&](const TextPairs& list) {
            return std::any_of(list.begin(), list.end(), level);
        };
        const bool sets = any_level(job.test->settings) ||
                          std::any_of(job.test->takes.begin(), job.test->takes.end(),
                                      [&](const Take& take) { return any_level(take.settings); });
        const bool swept = std::any_of(job.sweep->axes.begin(), job.sweep->axes.end(), [&](const Axis& axis) {
            return std::find(axis.sets.begin(), axis.sets.end(), path.role + ".level") != axis.sets.end();
        });
        if ((!sets && !swept) || taker_.makes_path(path.role)) continue;
        auto trouble = calibrations_.path(path.role).invalid();
        if (!trouble.empty()) invalidate(outcome, std::move(trouble));
    }
    for (const auto& need : job.test->needs) {
        if (auto lapse = calibrations_.lapse(need); !lapse.empty()) invalidate(outcome, std::move(lapse));
    }
    for (const auto& judging : job.test->judgings) {
        // Where it is highest was found with quick trials: the point that is measured there is judged.
        if (job.kind == PointKind::maximum) break;
        if (!job.test->judges(judging, job.kind == PointKind::trial, record.axes)) continue;
        JudgeOptions options = judging.options;
        options.budgets = bench_.bench().budgets;
        options.around = job.around;
        record.findings.push_back(judge_or_none(judging.rule, outcome, parameters, options));
    }
    record.results = std::move(outcome.results);
    record.notes = std::move(outcome.notes);
    if (!outcome.invalid) return;
    record.invalid = *outcome.invalid;
    record.notes.push_back("not valid: " + *outcome.invalid);
}

void PointMaker::attach(PointRecord& record, const std::string& what, const std::string& picture) const {
    const std::string ending = picture.starts_with("BM")        ? ".bmp"
                               : picture.starts_with("\x89PNG") ? ".png"
                                                                : ".picture";
    const std::string file = file_name(record, what + ending);
    write_file(folder_ / file, picture);
    record.attachments.push_back({file, "picture", sha256(picture), picture.size()});
}

// A picture of the instrument's screen beside a finding that failed.
void PointMaker::attach_picture(const PointJob& job, PointRecord& record, WatchKeeper& watches) {
    const bool failed = std::any_of(record.findings.begin(), record.findings.end(),
                                    [](const Finding& f) { return f.verdict == Verdict::fail; });
    if (!failed || !job.instrument || !bench_.speaks(job.instrument->role)) return;
    try {
        const std::string picture = bench_.role(job.instrument->role).picture();
        if (picture.empty()) return;
        attach(record, "-screen", picture);
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::bench) throw;
        // The finding stands without it.
        record.notes.push_back(std::string("no picture of the screen: ") + error.what());
        const auto hold = watches.hold();
        bench_.reconnect(job.instrument->role);
        taker_.forget(job.instrument->role);
    }
}

PointRecord PointMaker::conclude(const PointJob& job, std::size_t position, const std::string& table,
                                 Outcome outcome) {
    PointRecord record = head_of(job, position);
    const Parameters& parameters = job.test->parameters;
    put_parameters(parameters, record);
    record.capture = keep(record, table, "trials");
    outcome.stated = parameters.stated_names();
    judge_all(job, parameters, std::move(outcome), record);
    record.ended = utc_now();
    return record;
}

}  // namespace rt::lab
