#include "lab/run/plan_parts.hpp"

#include <algorithm>
#include <cmath>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/correct/by_kind.hpp"
#include "core/sweep/one_axis.hpp"
#include "lab/bench/instrument_role.hpp"
#include "lab/captures/capture_file.hpp"
#include "lab/captures/kind.hpp"

namespace rt::lab {

const Instrument& require_role(const Bench& bench, const std::string& role, const Test& test) {
    if (const auto* found = bench.find(role)) return *found;
    fail_input(test.where, "test " + in_quotes(test.name) + " needs an instrument in the role " +
                               in_quotes(role) + ", the bench " + bench.file.string() + " has none" +
                               suggestion(role, bench.roles()));
}

// Something set by the campaign needs an instrument with a command for it, and a value that it takes.
void require_setting(const Bench& bench, const Test& test, const SettingTarget& target,
                     const std::string& value, Plan& plan) {
    const Instrument& instrument = require_role(bench, target.role, test);
    plan.roles.insert(target.role);
    if (!setting_calibration(value).empty()) return;  // known during the run
    if (!instrument.place.speaks()) return;  // the operator, a program or recorded captures take everything
    const auto fail = [&](const std::string& why) {
        fail_input(test.where, "test " + in_quotes(test.name) + " sets " + in_quotes(target.setting) +
                                   " of the " + target.role + ": " + why);
    };
    if (instrument.signal) {
        if (instrument.signal->has(target.setting)) {
            try {
                Parameters(instrument.signal->kind->parameters).set(target.setting, value);
            } catch (const Error& error) {
                fail(error.message());
            }
            return;
        }
        if (target.setting == "rate" || target.setting == "amplitude" || target.setting == "offset" ||
            target.setting == "sample_rate" || target.setting == "modulation")
            fail("it follows from the signal " + std::string(instrument.signal->kind->name) +
                 " that it plays");
    }
    try {
        require_sendable(in_quotes(target.setting), value);
        const auto text = setting_text(*instrument.dialect.kind, target.setting, value);
        if (const auto refused = beyond(instrument.dialect, target.setting, text); !refused.empty())
            fail(refused);
    } catch (const Error& error) {
        fail(error.message());
    }
    if (!instrument.dialect.knows("set_" + target.setting)) {
        fail("dialect " + instrument.dialect.id + " has no command set_" + target.setting);
    }
}

void require_settings(const Bench& bench, const Test& test, Plan& plan) {
    for (const auto& [name, value] : test.settings) {
        require_setting(bench, test, *setting_target(name, ""), value, plan);
    }
    const auto each = [&](const std::string& axis, const std::vector<std::string>& sets,
                          const std::vector<std::string>& values) {
        for (const auto& target : sets) {
            const auto setting = setting_target(target, axis);
            for (const auto& value : values) {
                if (setting) require_setting(bench, test, *setting, value, plan);
            }
        }
    };
    for (const auto& axis : test.sweep.axes) {
        std::vector<std::string> values;
        for (const auto& value : axis.values) {
            // Channels go to units by number and to everything else as frequencies: both are tried at the
            // run.
            if (!value.channel) values.push_back(value.text);
        }
        each(axis.name, axis.sets, values);
        for (const auto& target : axis.sets) {
            if (const auto setting = setting_target(target, axis.name))
                require_role(bench, setting->role, test), plan.roles.insert(setting->role);
        }
    }
    if (test.search) {
        each(test.search->axis, test.search->sets,
             {format(test.search->holds_at), format(test.search->fails_at)});
    }
    for (const auto& axis : test.maximise ? test.maximise->axes : std::vector<MaximisedAxis>{}) {
        each(axis.name, axis.sets, {format(axis.from), format(axis.to)});
        for (const auto& target : axis.sets) {
            if (const auto setting = setting_target(target, axis.name))
                require_role(bench, setting->role, test), plan.roles.insert(setting->role);
        }
    }
    if (test.adjust)
        each(test.adjust->axis, test.adjust->sets, {format(test.adjust->from), format(test.adjust->to)});
    if (!test.power_cycle.empty()) {
        const auto& supply = require_role(bench, test.power_cycle, test);
        if (!supply.feeds()) {
            fail_input(test.where, "power_cycle names the " + test.power_cycle +
                                       ", which is neither a supply nor a switch");
        }
        plan.roles.insert(test.power_cycle);
    }
}

namespace {

// The path must cover what is going to be measured, and be one that its kind can be corrected by; tables
// known only at the run are left to it.
void require_path(const Bench& bench, const Test& test, const std::string& role, const CaptureSetup& setup) {
    const BenchPath* path = bench.find_path(role);
    if (!path) return;
    SignalPath known;
    for (const auto& entry : path->entries) known.parts.push_back(entry.part);
    const auto refused = path_refusal(setup, known);
    if (!refused.empty()) {
        fail_input(path->where, "test " + in_quotes(test.name) + " through the path to the " + path->role +
                                    ": " + refused);
    }
    const auto band = kind_of(setup).band(setup);
    if (!band || !(band->to_hz > 0)) return;
    for (const auto& entry : path->entries) {
        try {
            if (entry.part.table) entry.part.loss_db(band->from_hz), entry.part.loss_db(band->to_hz);
        } catch (const Error& error) {
            fail_input(test.where, "test " + in_quotes(test.name) + ": the path to the " + path->role +
                                       " does not cover what it measures: " + error.message());
        }
    }
}

// Levels must convert into the units of the limits: a field strength needs an antenna in the path, power and
// voltage the impedance of the input.
void require_units(const Bench& bench, const Test& test, const Instrument& instrument,
                   const CaptureSetup& setup) {
    const auto levels = kind_of(setup).level_unit(setup);
    if (!levels || instrument.recorded()) return;  // files state their own units
    const BenchPath* path = bench.find_path(instrument.role);
    const bool antenna = path && std::any_of(path->entries.begin(), path->entries.end(),
                                             [](const PathEntry& entry) { return entry.part.antenna; });
    const Unit unit = antenna ? Unit::dbuv_per_metre : *levels;
    const auto& impedance = instrument.impedance_ohm;
    for (const auto& judging : test.judgings) {
        const Rule& rule = *judging.rule.rule;
        if (rule.bound() || rule.unit == unit || !is_decibel(rule.unit)) continue;
        if (convert({0, unit}, rule.unit)) continue;
        const bool impedance_helps = convert({0, unit}, rule.unit, {50, Unit::ohm}).has_value();
        if (impedance_helps && impedance) continue;
        fail_input(test.where,
                   "test " + in_quotes(test.name) + ": the limit of " + judging.rule.full_id() + " is in " +
                       symbol(rule.unit) + ", the levels of the " + instrument.role + " are in " +
                       symbol(unit) +
                       (impedance_helps ? ": add impedance = \"50 ohm\" to the instrument"
                        : rule.unit == Unit::dbuv_per_metre && !antenna ? ": the path to it has no antenna"
                                                                        : ", which does not convert"));
    }
}

// Setups of the test, each once where no parameter changes; gives the seconds of all.
double require_setups(const Bench& bench, const Test& test, const PlannedTest& planned) {
    const auto seconds_one = [&](const CaptureSetup& setup, const Instrument& instrument) {
        const char* kind = kind_of(setup).instrument();
        const char* command = kind_of(setup).needs_command();
        // One that records the same as another kind records nothing else.
        const bool alike = command && instrument.dialect.kind->records_as == std::string_view(kind);
        if (!instrument.recorded() && !instrument.is(kind) && !alike) {
            fail_input(test.where, "test " + in_quotes(test.name) + ": " + test.procedure->name +
                                       " needs an instrument of kind " + kind + ", the " + instrument.role +
                                       " is one of kind " + instrument.dialect.kind->name);
        }
        if (command && !instrument.recorded() && !instrument.dialect.knows(command))
            fail_input(test.where, "test " + in_quotes(test.name) + ": " + test.procedure->name +
                                       " needs the command " + command + ", which the dialect of the " +
                                       instrument.role + " does not have");
        require_path(bench, test, instrument.role, setup);
        require_units(bench, test, instrument, setup);
        return kind_of(setup).seconds(instrument, setup);
    };
    // Of all captures that are taken at a point.
    const auto seconds_of = [&](const CaptureSetup& setup, const Parameters& parameters) {
        if (test.takes.empty()) return seconds_one(setup, *planned.instrument);
        double sum = 0;
        for (const auto& take : test.takes) {
            const auto& inputs = test.procedure->inputs;
            const auto named = [&](const InputInfo& input) { return input.named(take.input); };
            const InputInfo& info = *std::find_if(inputs.begin(), inputs.end(), named);
            const Instrument& instrument =
                take.instrument.empty() ? *planned.instrument : *bench.find(take.instrument);
            sum += seconds_one(info.setup ? info.setup(parameters) : setup, instrument);
        }
        return sum;
    };
    if (test.found)
        return seconds_of(test.procedure->setup(test.parameters), test.parameters) *
               static_cast<double>(planned.captures);
    const bool varies = std::any_of(test.sweep.axes.begin(), test.sweep.axes.end(), sets_parameter);
    double sum = 0;
    std::size_t trials = 1;
    if (test.adjust) trials = test.adjust->trials;
    if (test.search) trials = ThresholdSearch(*test.search, confirmations(test)).most_trials();
    for (const auto& point : planned.points) {
        double seconds = seconds_of(test.setup_at(point), test.parameters_at(point));
        seconds *= static_cast<double>(trials);
        if (!varies) return seconds * static_cast<double>(planned.points.size());
        sum += seconds;
    }
    return sum;
}

// What lists the values of an axis must be able to.
void require_list(const Bench& bench, const Test& test, Plan& plan) {
    const FoundAxis& found = *test.found;
    const Instrument& instrument = require_role(bench, found.role, test);
    plan.roles.insert(found.role);
    const std::string command = "list_" + found.list;
    const bool asked = instrument.place.kind != Address::Kind::by_hand &&
                       instrument.place.kind != Address::Kind::program && !instrument.recorded();
    if (asked && instrument.dialect.knows(command)) return;
    fail_input(test.where, "test " + in_quotes(test.name) + " asks the " + found.role + " for its list " +
                               in_quotes(found.list) + ": its dialect has no command " + command);
}

// Instruments and settings of captures that a test takes for several inputs.
void require_takes(const Bench& bench, const Test& test, Plan& plan) {
    for (const auto& take : test.takes) {
        const Instrument& taker =
            require_role(bench, take.instrument.empty() ? test.instrument : take.instrument, test);
        if (taker.recorded()) {
            fail_input(test.where,
                       "test " + in_quotes(test.name) + " takes " + in_quotes(take.input) + " with the " +
                           taker.role +
                           ", whose captures are recorded files: they have one file a point, which cannot be "
                           "two inputs; "
                           "record each in a test of its own and write inputs = { ... = \"test:NAME\" }");
        }
        if (!take.instrument.empty())
            require_role(bench, take.instrument, test), plan.roles.insert(take.instrument);
        for (const auto& [name, value] : take.settings)
            require_setting(bench, test, *setting_target(name, ""), value, plan);
    }
}

// What is switched while a record runs: the record must last long enough, and its instrument is busy.
void require_during(const Bench& bench, const Test& test, Plan& plan) {
    if (test.during.empty()) return;
    const auto fail = [&](const std::string& why) {
        fail_input(test.where, "test " + in_quotes(test.name) + ": [[test.during]] " + why);
    };
    if (!test.takes.empty() || !test.sources.empty() || !test.files.empty())
        fail("goes with procedures of one capture");
    double shortest = 1e300;
    const auto look = [&](const CaptureSetup& setup) {
        const auto* record = std::get_if<IqSetup>(&setup);
        if (!record) fail("goes with records of complex samples only");
        shortest = std::min(shortest, record->duration_s);
    };
    if (test.by_trials() || test.found || test.sweep.axes.empty()) {
        look(test.procedure->setup(test.parameters));
    } else {
        // One axis after the other: each sets what it sets by itself.
        for (std::size_t axis = 0; axis < test.sweep.axes.size(); ++axis) {
            for (std::size_t value = 0; value < test.sweep.axes[axis].values.size(); ++value) {
                look(test.setup_at(point_with(test.sweep, axis, value)));
            }
        }
    }
    for (const auto& during : test.during) {
        if (during.after_s >= shortest)
            fail("switches after " + format({during.after_s, Unit::second}) + ", the record lasts " +
                 format({shortest, Unit::second}) + ": set the parameter duration");
        for (const auto& [name, value] : during.settings) {
            const auto target = *setting_target(name, "");
            if (std::none_of(test.settings.begin(), test.settings.end(),
                             [&](const auto& pair) { return pair.first == name; }))
                fail("switches " + in_quotes(name) +
                     ": what is it before the record? Add it to the settings of the test, such as \"OFF\"");
            if (target.role == test.instrument)
                fail("switches the " + target.role + ", which is busy with the record");
            require_setting(bench, test, target, value, plan);
            const auto* kind = require_role(bench, target.role, test).dialect.kind;
            const auto* info = kind->find_setting(target.setting);
            if (info && info->unit != Unit::none)
                fail("sets " + in_quotes(name) + ": only what is switched ON and OFF, or between words");
        }
    }
}

// What tells of the link and what brings it up, and what is read for parameters.
void require_link(const Bench& bench, const Test& test, Plan& plan) {
    const auto require_asked = [&](const std::string& name) {
        const SettingTarget asked = *setting_target(name, "");
        const Instrument& instrument = require_role(bench, asked.role, test);
        plan.roles.insert(asked.role);
        if (!instrument.recorded() && !instrument.dialect.knows("query_" + asked.setting))
            fail_input(test.where, "test " + in_quotes(test.name) + ": the " + asked.role +
                                       " cannot be asked: its dialect " + instrument.dialect.id +
                                       " has no command query_" + asked.setting);
    };
    for (const auto& [name, from] : test.reads) require_asked(from);
    for (const auto& link : test.associations) {
        require_asked(link.asks);
        for (const auto& [name, value] : link.settings)
            require_setting(bench, test, *setting_target(name, ""), value, plan);
    }
}

// Inputs from files and earlier tests are of the kind that the procedure takes.
void require_given(const Campaign& campaign, const Test& test) {
    const auto kind_asked = [](const Test& of, const InputInfo* input) -> std::string {
        try {
            const CaptureSetup setup =
                input && input->setup ? input->setup(of.parameters) : of.procedure->setup(of.parameters);
            return kind_of(setup).name();
        } catch (const Error&) {
            return "";  // by parameters that an axis sets
        }
    };
    const auto require = [&](const std::string& name, const std::string& from, const std::string& kind) {
        const auto& inputs = test.procedure->inputs;
        const auto info =
            std::find_if(inputs.begin(), inputs.end(), [&](const InputInfo& i) { return i.named(name); });
        const std::string wanted = kind_asked(test, info == inputs.end() ? nullptr : &*info);
        if (wanted.empty() || kind.empty() || wanted == kind) return;
        fail_input(test.where, "test " + in_quotes(test.name) + ": the input " + name + " must be " + wanted +
                                   ", " + from + " gives " + kind);
    };
    if (test.procedure->require_named) {
        std::set<std::string> names;
        for (const auto& take : test.takes) names.insert(take.input);
        for (const auto& source : test.sources) names.insert(source.input);
        for (const auto& file : test.files) names.insert(file.input);
        try {
            test.procedure->require_named(names);
        } catch (const Error& error) {
            fail_input(test.where, "test " + in_quotes(test.name) + ": " + error.message());
        }
    }
    for (const auto& file : test.files)
        require(file.input, file.reference, kind_name(parse_capture(file.text, file.reference)));
    if (test.concludes) return;
    for (const auto& source : test.sources) {
        const Test& other = *campaign.find(source.test);
        const auto& inputs = other.procedure->inputs;
        const std::string made = other.procedure->makes ? other.procedure->makes : "";
        require(source.input, "test " + other.name,
                !made.empty() ? made : kind_asked(other, inputs.empty() ? nullptr : &inputs.front()));
    }
}

}  // namespace

PlannedTest plan_test(const Test& test, const Bench& bench, Plan& plan) {
    PlannedTest planned;
    planned.test = &test;
    require_given(*plan.campaign, test);
    if (!test.measures()) {
        if (test.found) {
            planned.at_most = true;
            planned.captures = test.found->most;
            for (std::size_t i = 0; i + 1 < test.sweep.axes.size(); ++i)
                planned.captures *= test.sweep.axes[i].values.size();
            return planned;
        }
        planned.points = expand(test.name, test.sweep);
        planned.captures = planned.points.size();
        return planned;
    }
    planned.instrument = &require_role(bench, test.instrument, test);
    plan.roles.insert(test.instrument);
    require_settings(bench, test, plan);
    require_signals(plan, bench, test);
    require_during(bench, test, plan);
    require_link(bench, test, plan);
    require_takes(bench, test, plan);
    const std::size_t places = test.maximise ? MaximumSearch(*test.maximise).most_trials() + 1 : 1;
    if (test.found) {
        if (test.found->by_bench()) require_list(bench, test, plan);
        planned.at_most = true;
        const auto& peaks = test.found->candidates;
        const std::size_t parts = test.found->trace.empty() ? 1 : peaks.split_at_hz.size() + 1;
        planned.captures = (test.found->most * parts + peaks.add_hz.size()) * test.sweep.repeats * places;
        for (std::size_t i = 0; i + 1 < test.sweep.axes.size(); ++i)
            planned.captures *= test.sweep.axes[i].values.size();
        try {
            planned.seconds = require_setups(bench, test, planned);
        } catch (const Error&) {
            // The values that are still to come may be what the setup lacks.
        }
        return planned;
    }
    planned.points = expand(test.name, test.sweep);
    planned.captures = planned.points.size();
    planned.seconds = require_setups(bench, test, planned);
    if (test.maximise) {
        planned.at_most = true;
        planned.captures *= places;
        planned.seconds *= static_cast<double>(places);
    }
    if (test.adjust) {
        planned.at_most = true;
        planned.captures *= test.adjust->trials;
    }
    if (test.search) {
        planned.at_most = true;
        planned.captures *= ThresholdSearch(*test.search, confirmations(test)).most_trials();
    }
    if (test.duration_s) {
        const double turns = std::max(1.0, std::ceil(*test.duration_s / std::max(planned.seconds, 1e-3)));
        planned.at_most = true;
        planned.captures = static_cast<std::size_t>(turns) * planned.points.size();
        planned.seconds = std::max(*test.duration_s, planned.seconds);
    }
    return planned;
}

}  // namespace rt::lab
