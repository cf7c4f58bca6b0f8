#include <map>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/instrument_role.hpp"
#include "lab/run/plan_parts.hpp"

namespace rt::lab {
namespace {

using Settings = std::map<std::string, std::string>;

// What a generator plays must be one that can be made, and that it holds. Gives the length of a turn that has
// something random in it; nothing for others.
std::optional<double> require_played(const Test& test, const Instrument& instrument,
                                     const Settings& settings) {
    const auto fail = [&](const std::string& why) {
        fail_input(test.where,
                   "test " + in_quotes(test.name) + ": the signal of the " + instrument.role + ": " + why);
    };
    const Dialect& dialect = instrument.dialect;
    try {
        const PlayedSignal& signal = *instrument.signal;
        const Parameters parameters = signal.with(settings);
        const MadeSignal made = signal.kind->make(parameters, signal.inputs);
        const bool random =
            parameters.number("random_jitter").value_or(0) > 0 || parameters.number("noise").value_or(0) > 0;
        const double turn_s = static_cast<double>(made.samples()) / made.sample_rate_hz();
        const auto turn = random ? std::optional(turn_s) : std::nullopt;
        const auto within = [&](const char* what, double value) {
            if (const auto refused = beyond(dialect, what, exact(value)); !refused.empty())
                fail_input(refused);
        };
        within("samples", static_cast<double>(made.samples()));
        const auto* wave = std::get_if<Waveform>(&made.turn);
        within(wave ? "rate" : "sample_rate", made.sample_rate_hz());
        if (!wave || !dialect.greatest.contains("amplitude")) return turn;
        double peak = 0;
        for (const double v : wave->volts()) peak = std::max(peak, std::abs(v));
        within("amplitude", peak);
        return turn;
    } catch (const Error& error) {
        fail(error.message());
    }
    return std::nullopt;
}

// How long the oscilloscope records; nothing where another instrument does, or an axis says how long.
std::optional<double> record_of(const Test& test) {
    try {
        const CaptureSetup setup = test.procedure->setup(test.parameters);
        const auto* wave = std::get_if<WaveformSetup>(&setup);
        return wave ? std::optional(wave->span_s) : std::nullopt;
    } catch (const Error&) {
        return std::nullopt;
    }
}

// What an adjustment finds is known during the run; it begins here.
std::optional<std::string> safe_end(const Campaign& campaign, const std::string& calibration) {
    for (const auto& test : campaign.tests) {
        if (test.provides == calibration && test.adjust) return format(test.adjust->from);
    }
    return std::nullopt;
}

}  // namespace

void require_signals(Plan& plan, const Bench& bench, const Test& test) {
    const Campaign& campaign = *plan.campaign;
    for (const auto& instrument : bench.instruments) {
        if (!instrument.signal) continue;
        Settings fixed;
        bool used = false, later = false;
        const auto set = [&](Settings& to, const SettingTarget& target, const std::string& value) {
            if (target.role != instrument.role) return;
            used = true;
            const std::string from = setting_calibration(value);
            const auto safe = from.empty() ? std::optional(value) : safe_end(campaign, from);
            if (!safe) later = true;
            if (safe && instrument.signal->has(target.setting)) to[target.setting] = *safe;
        };
        for (const auto& [name, value] : test.settings) set(fixed, *setting_target(name, ""), value);
        // Every value of every axis once, beside the first of the others.
        struct Moved {
            SettingTarget target;
            std::vector<std::string> values;
        };
        std::vector<Moved> moved;
        const auto move = [&](const std::string& axis, const std::vector<std::string>& sets,
                              const std::vector<std::string>& values) {
            for (const auto& name : sets) {
                const auto target = setting_target(name, axis);
                if (!target || target->role != instrument.role || values.empty()) continue;
                used = true;
                if (instrument.signal->has(target->setting)) moved.push_back({*target, values});
            }
        };
        for (const auto& axis : test.sweep.axes) {
            std::vector<std::string> values;
            for (const auto& value : axis.values) values.push_back(value.text);
            move(axis.name, axis.sets, values);
        }
        if (test.search)
            move(test.search->axis, test.search->sets,
                 {format(test.search->holds_at), format(test.search->fails_at)});
        if (test.adjust)
            move(test.adjust->axis, test.adjust->sets, {format(test.adjust->from), format(test.adjust->to)});
        if (!used || later) continue;
        for (const auto& one : moved) fixed[one.target.setting] = one.values.front();
        std::optional<double> shortest;
        const auto play = [&](const Settings& settings) {
            const auto turn = require_played(test, instrument, settings);
            if (turn && (!shortest || *turn < *shortest)) shortest = turn;
        };
        play(fixed);
        for (const auto& one : moved) {
            for (std::size_t i = 1; i < one.values.size(); ++i) {
                Settings settings = fixed;
                settings[one.target.setting] = one.values[i];
                play(settings);
            }
        }
        const auto record = record_of(test);
        if (shortest && record && *record > 1.01 * *shortest)
            plan.warnings.push_back("test " + test.name + " records " + format({*record, Unit::second}, 3) +
                                    ", and what the " + instrument.role + " plays comes again after " +
                                    format({*shortest, Unit::second}, 3) +
                                    ": what is random in it repeats, and says no more than one turn");
    }
}

}  // namespace rt::lab
