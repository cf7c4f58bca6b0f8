#include "lab/run/setter.hpp"

#include <algorithm>
#include <cmath>
#include <set>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/program.hpp"

namespace rt::lab {

Setter::Setter(BenchConnection& bench, std::function<void(const std::string&)> by_hand,
               std::function<double(const std::string&, double)> path)
    : bench_(bench), by_hand_(std::move(by_hand)), path_(std::move(path)) {}

void Setter::forget(const std::string& role) {
    present_.erase(role);
    // The unit may have lost its power, and its settings with it.
    const Instrument* instrument = bench_.bench().find(role);
    if (instrument && instrument->feeds()) present_.erase("unit");
}

bool Setter::has(const SettingTarget& target, const std::string& value) const {
    const auto role = present_.find(target.role);
    if (role == present_.end()) return false;
    const auto setting = role->second.find(target.setting);
    return setting != role->second.end() && setting->second == value;
}

std::string Setter::doubt() const {
    return doubts_.empty() ? "" : doubts_.begin()->second;
}

// Signals that generators play are no settings of theirs: each goes out as a whole when anything in it
// differs. What follows from it is set like everything else, unless somebody has set it otherwise.
void Setter::play(std::vector<std::pair<SettingTarget, std::string>>& wanted) {
    std::map<std::string, std::map<std::string, std::string>> signals;
    std::erase_if(wanted, [&](const auto& one) {
        const auto& [target, value] = one;
        const Instrument* instrument = bench_.bench().find(target.role);
        if (!instrument || !instrument->signal) return false;
        auto& own = signals[target.role];
        if (!instrument->signal->has(target.setting)) return false;
        own[target.setting] = value;
        return true;
    });
    for (const auto& [role, settings] : signals) {
        play(*bench_.bench().find(role), settings);
        for (const auto& [setting, value] : played_[role].implied) {
            const bool stated =
                std::any_of(wanted.begin(), wanted.end(), [&, &name = setting](const auto& one) {
                    return one.first.role == role && one.first.setting == name;
                });
            if (!stated) wanted.push_back({{role, setting}, value});
        }
    }
}

void Setter::play(const Instrument& instrument, const std::map<std::string, std::string>& settings) {
    const PlayedSignal& signal = *instrument.signal;
    const Parameters parameters = signal.with(settings);
    std::string text;
    for (const auto& [name, value] : parameters.texts()) text += name + "=" + value + "\n";
    auto& present = present_[instrument.role];
    if (const auto at = present.find("signal"); at != present.end() && at->second == text) return;
    present.erase("signal");
    const MadeSignal made = signal.kind->make(parameters, signal.inputs);
    bench_.use(instrument.role);
    InstrumentRole& role = bench_.role(instrument.role);
    Played played;
    std::vector<double> samples;
    if (const auto* wave = std::get_if<Waveform>(&made.turn)) {
        samples = wave->volts();
        double peak = 0;
        for (const double v : samples) peak = std::max(peak, std::abs(v));
        if (peak > 0) {
            for (double& v : samples) v /= peak;
        }
        role.load_waveform(samples);
        played.implied = {{"rate", exact(made.sample_rate_hz()) + " Hz"}, {"amplitude", exact(peak) + " V"}};
    } else {
        const auto& record = std::get<IqRecord>(made.turn);
        const auto turn = record.read(0, static_cast<std::size_t>(record.size()));
        double power = 0;
        for (const auto& x : turn) {
            samples.push_back(static_cast<double>(x.real()));
            samples.push_back(static_cast<double>(x.imag()));
            power += static_cast<double>(std::norm(x)) / static_cast<double>(turn.size());
        }
        role.load_iq(samples);
        played.above_db =
            made.above_level_db + (instrument.dialect.level_is_mean ? 10 * std::log10(power) : 0);
        played.implied = {{"sample_rate", exact(made.sample_rate_hz()) + " Hz"}, {"modulation", "ON"}};
        if (record.centre_hz > 0) played.implied.emplace_back("frequency", exact(record.centre_hz) + " Hz");
    }
    played_[instrument.role] = std::move(played);
    present_[instrument.role]["signal"] = text;
}

void Setter::apply(std::vector<std::pair<SettingTarget, std::string>> wanted, bool whole) {
    if (whole) {
        play(wanted);
    } else {
        std::erase_if(wanted, [&](const auto& one) {
            const Instrument* instrument = bench_.bench().find(one.first.role);
            if (!instrument || !instrument->signal) return false;
            // A level goes with the samples that are played.
            return instrument->signal->has(one.first.setting) || one.first.setting == "level";
        });
    }
    // A level depends on the frequency of its source through the path, and everything of the unit on its
    // supply.
    const auto feeds = [&](const SettingTarget& target) {
        const Instrument* instrument = bench_.bench().find(target.role);
        return instrument && instrument->feeds();
    };
    const auto rank = [&](const SettingTarget& target) { return rank_of(target); };
    std::stable_sort(wanted.begin(), wanted.end(),
                     [&](const auto& a, const auto& b) { return rank(a.first) < rank(b.first); });
    std::stable_partition(wanted.begin(), wanted.end(), [&](const auto& w) { return feeds(w.first); });
    std::map<std::string, double> frequency;
    for (const auto& [target, value] : wanted) {
        if (target.role != "unit" && target.setting == "frequency")
            frequency[target.role] = parse_quantity(value, Unit::hertz).value;
    }
    std::vector<Begun> begun;
    bool fed = false;
    for (auto& [target, value] : wanted) {
        const bool source = target.role != "unit";
        if (source && target.setting == "level") {
            const double level = parse_level(value).value;
            const auto hz = frequency.find(target.role);
            const double loss = path_(target.role, hz == frequency.end() ? 0 : hz->second);
            const auto played = played_.find(target.role);
            const double more = loss + (played == played_.end() ? 0 : played->second.above_db);
            // A voltage goes out as the power that it is.
            const bool power =
                value.find("dBm") != std::string::npos && value.find(" over ") == std::string::npos;
            if (more != 0 || !power) value = decimal(level + more, 3) + " dBm";
        }
        lift_before(target, value, begun);
        auto& present = present_[target.role];
        const auto at = present.find(target.setting);
        if (at != present.end() && at->second == value) continue;
        present.erase(target.setting);
        // The unit must have its power before anything is said to it.
        if (!feeds(target) && std::exchange(fed, false)) finish(begun);
        send(target, value);
        // A unit whose supply was set begins anew, for all that is known.
        if (feeds(target)) forget("unit"), fed = true;
        present_[target.role][target.setting] = value;
        begun.push_back({target, value});
    }
    finish(begun);
}

// Probes that are down, or of which nothing is known, are lifted before the wafer moves; what is to be down
// afterwards touches down anew.
void Setter::lift_before(const SettingTarget& target, const std::string& value, std::vector<Begun>& begun) {
    const bool moves = target.setting == "die" || target.setting == "device";
    const Instrument* instrument = bench_.bench().find(target.role);
    if (!moves || !instrument || !instrument->is("wafer-stage")) return;
    auto& present = present_[target.role];
    const auto at = present.find(target.setting);
    if (at != present.end() && at->second == value) return;
    if (const auto contact = present.find("contact"); contact != present.end() && contact->second == "UP")
        return;
    const SettingTarget lift{target.role, "contact"};
    send(lift, "UP");
    begun.push_back({lift, "UP"});
    present["contact"] = "UP";
}

// By the order that the dialect states, frequencies first without one.
std::size_t Setter::rank_of(const SettingTarget& target) const {
    const Instrument* instrument = bench_.bench().find(target.role);
    const auto& order = instrument->dialect.order;
    if (order.empty()) return target.setting == "frequency" ? 0 : 1;
    return static_cast<std::size_t>(std::find(order.begin(), order.end(), target.setting) - order.begin());
}

// Waits for everything that was begun: all instruments are at it at the same time.
void Setter::finish(std::vector<Begun>& all) {
    const std::vector<Begun> begun = std::exchange(all, {});
    std::set<std::string> roles;
    for (const auto& one : begun) roles.insert(one.target.role);
    for (const auto& role : roles) {
        if (!bench_.speaks(role)) continue;
        std::vector<Begun> own;
        for (const auto& one : begun) {
            if (one.target.role == role) own.push_back(one);
        }
        std::string doubt = settle(role, own);
        // Only now: one setting may have changed another.
        if (doubt.empty()) doubt = bench_.role(role).read_back();
        if (doubt.empty()) {
            doubts_.erase(role);
        } else {
            doubts_[role] = doubt;
            forget(role);  // moved once more for the next point
        }
    }
}

// A refusal names the setting that it belongs to: of several these are sent again, one after the other.
std::string Setter::settle(const std::string& role, const std::vector<Begun>& own) {
    InstrumentRole& instrument = bench_.role(role);
    try {
        return instrument.settle();
    } catch (const Error&) {
        if (own.size() < 2 || !instrument.refused()) throw;
        for (const auto& one : own) {
            instrument.begin(one.target.setting, one.value);
            instrument.settle();
        }
        throw;  // one by one they were taken: the refusal is told with all of them
    }
}

void Setter::send(const SettingTarget& target, const std::string& value) {
    const Instrument& instrument = *bench_.bench().find(target.role);
    bench_.use(target.role);
    switch (instrument.place.kind) {
        case Address::Kind::by_hand:
            return by_hand_("set the unit: " + target.setting + " = " + value);
        case Address::Kind::program:
            return set_by_program(instrument, target.setting, value);
        case Address::Kind::files:
            return;  // recorded captures are as they are
        default:
            break;
    }
    InstrumentRole& role = bench_.role(target.role);
    role.begin(target.setting, value);
    // What turns is not waited for here.
    if (instrument.is("positioner")) role.require_taken();
}

// Runs "PROGRAM SETTING VALUE"; its exit code 0 means done, its last words go into the error.
void Setter::set_by_program(const Instrument& unit, const std::string& setting, const std::string& value) {
    const ProgramEnd end = run_program({{unit.place.path, setting, value}, {}, unit.timeout_s});
    if (end.trouble.empty()) return;
    std::string words = last_line(end.said);
    if (words.empty()) words = last_line(end.output);
    if (words.empty()) fail_bench("unit: " + unit.place.path + " " + end.trouble);
    fail_bench("unit: " + unit.place.path + " did not set " + setting + " = " + in_quotes(value) + ": " +
               words);
}

}  // namespace rt::lab
