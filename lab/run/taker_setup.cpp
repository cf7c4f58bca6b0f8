// What is set before a capture: the settings of a point, tables, the power of the unit.
#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/clock.hpp"
#include "lab/run/taker.hpp"

namespace rt::lab {

void Taker::set_up(const Test& test) {
    std::vector<std::pair<SettingTarget, std::string>> wanted;
    for (const auto& [name, value] : test.settings) {
        if (setting_calibration(value).empty()) wanted.emplace_back(*setting_target(name, ""), value);
    }
    setter_.apply(std::move(wanted));
}

void Taker::set_up(const PointJob& job, const Take* take, const TextPairs& above) {
    std::vector<std::pair<SettingTarget, std::string>> wanted;
    std::vector<std::pair<SettingTarget, const std::vector<std::string>*>> tables;
    const auto want = [&](const SettingTarget& target, std::string value) {
        if (const auto from = setting_calibration(value); !from.empty()) {
            for (const auto& [name, parts] : job.tables) {
                if (name == from) return tables.emplace_back(target, &parts), void();
            }
            for (const auto& [name, found] : job.adjusted) {
                if (name == from) value = found;
            }
        }
        for (auto& [known, text] : wanted) {
            if (known.role != target.role || known.setting != target.setting) continue;
            text = value;
            return;
        }
        wanted.emplace_back(target, value);
    };
    for (const auto& [name, value] : job.test->settings) want(*setting_target(name, ""), value);
    for (std::size_t i = 0; i < job.sweep->axes.size(); ++i) {
        const Axis& axis = job.sweep->axes[i];
        const AxisValue& value = job.point->value(*job.sweep, i);
        for (const auto& text : axis.sets) {
            const auto target = setting_target(text, axis.name);
            if (!target) continue;
            // A channel is a number for the unit and a frequency for everything else.
            const bool frequency = value.channel && target->role != "unit" && value.quantity;
            want(*target, frequency ? format_exact(*value.quantity) : value.text);
        }
    }
    if (take) {
        for (const auto& [name, value] : take->settings) want(*setting_target(name, ""), value);
    }
    for (const auto& [name, value] : above) want(*setting_target(name, ""), value);
    constexpr bool whole = true;
    setter_.apply(std::move(wanted), whole);
    for (const auto& [target, parts] : tables) write_table(target, *parts);
    if (std::exchange(unit_known_, true) || !bench_.speaks("unit")) return;
    // A unit that had no power when the run began can say only now who it is.
    auto instruments = bench_.identified();
    for (auto& instrument : instruments) {
        if (instrument.role != "unit" || !instrument.identity.empty()) continue;
        instrument.identity = bench_.role("unit").identify();
        tally_.put_instruments({instrument});
        listener_.connected(instrument);
    }
}

void Taker::write_table(const SettingTarget& target, const std::vector<std::string>& parts) {
    const std::string name = target.role + "." + target.setting;
    // Written row by row, only the last row is what was set last. A restart or a new connection makes
    // that unknown, and the table with it.
    if (written_[name] == parts && setter_.has(target, parts.back())) return;
    written_.erase(name);
    std::string before;
    if (bench_.speaks(target.role)) {
        if (const auto answer = bench_.role(target.role).session().ask_if_known("confirm_" + target.setting))
            before = *answer;
        std::erase(before, '"');
    }
    note("table", name + " before: " + (before.empty() ? "not known" : before));
    for (const auto& part : parts) {
        setter_.apply({{target, part}});
        const std::string doubt = setter_.doubt();
        if (doubt.empty()) continue;
        if (before.empty() || parts.size() > 1) {
            note("table", name + " was not taken: " + doubt);
            fail_bench(name + " was not taken: " + doubt);
        }
        setter_.apply({{target, before}});
        const std::string still = setter_.doubt();
        const std::string end = still.empty() ? "what it had before was put back"
                                              : "what it had before could not be put back: " + still;
        note("table", name + " was not taken: " + doubt + "; " + end);
        fail_bench(name + " was not taken: " + doubt + "; " + end);
    }
    note("table",
         name + " written" +
             (parts.size() == 1 ? ": " + parts.front() : ", " + std::to_string(parts.size()) + " rows"));
    written_[name] = parts;
}

bool Taker::stands(const Association& wanted) {
    const SettingTarget asks = *setting_target(wanted.asks, "");
    if (!bench_.speaks(asks.role)) return true;
    const std::string in_use = bench_.in_use();
    const std::string answer = bench_.role(asks.role).session().ask("query_" + asks.setting);
    bench_.use(in_use);
    return trim(answer) == wanted.is;
}

const Association* Taker::lost(const Test& test) {
    for (const auto& link : test.associations)
        if (link.must_hold && !stands(link)) return &link;
    return nullptr;
}

bool Taker::associate(const PointJob& job, const Take* take) {
    bool all = true;
    for (const auto& link : job.test->associations) {
        const bool holds = associate(job, take, link);
        if (link.must_hold) all = all && holds;
    }
    return all;
}

bool Taker::associate(const PointJob& job, const Take* take, const Association& wanted) {
    const std::string in_use = bench_.in_use();
    bool holds = stands(wanted);
    if (!holds) {
        TextPairs
            above;  // step by step above the point's own: a signal that is played is made from all of them
        for (const auto& [name, value] : wanted.settings) {
            const SettingTarget target = *setting_target(name, "");
            setter_.forget(target.role, target.setting);  // a command, not a state that it has already
            above.emplace_back(name, value);
            set_up(job, take, above);
        }
        const Stopwatch since;
        bool up = stands(wanted);
        while (!up && since.seconds() < wanted.within_s) {
            if (listener_.ending() != RunListener::Reply::go) break;
            listener_.waiting("the link is brought up", wanted.within_s - since.seconds());
            clock().sleep(0.2);
            up = stands(wanted);
        }
        const double needed = since.seconds();
        set_up(job, take);
        const std::string at = job.test->name + ", " + label(*job.sweep, *job.point);
        holds = up && stands(wanted);
        // Of several it is told which.
        const std::string link = job.test->associations.size() == 1 ? "the link" : "the link " + wanted.asks;
        const std::string without = wanted.must_hold ? "no verdict" : "measured without it";
        note("association",
             holds ? at + ": " + link + " did not stand; up again after " + format({needed, Unit::second}, 2)
             : up  ? at + ": " + link + " does not hold at these settings; " + without
                  : at + ": " + link + " does not come up within " + format({wanted.within_s, Unit::second}) +
                        "; " + without);
    }
    bench_.use(in_use);
    return holds;
}

void Taker::read_into(const Test& test, Parameters& parameters) {
    for (const auto& [name, from] : test.reads) {
        const SettingTarget asked = *setting_target(from, "");
        if (!bench_.speaks(asked.role)) continue;
        const std::string in_use = bench_.in_use();
        bench_.use(asked.role);
        try {
            const double value = bench_.role(asked.role).query(asked.setting);
            parameters.set_quantity(name, {value, parameters.find(name)->unit});
        } catch (const Error& error) {
            if (error.kind() != ErrorKind::bench) throw;
            note("not read", test.name + ": " + from + ": " + error.what());
        }
        bench_.use(in_use);
    }
}

void Taker::power_cycle(const Test& test) {
    written_.clear();
    const std::string& supply = test.power_cycle;
    std::vector<std::pair<SettingTarget, std::string>> wanted;
    for (const auto& [name, value] : test.settings) {
        const auto target = *setting_target(name, "");
        if (target.role == supply) wanted.emplace_back(target, value);
    }
    setter_.apply(std::move(wanted));
    const Instrument& instrument = *bench_.bench().find(supply);
    setter_.forget(supply);
    bench_.role(supply).set("output", "OFF");
    clock().sleep(instrument.off_time_s);
    bench_.role(supply).set("output", "ON");
    note("power", "the unit's supply was switched off for " + format({instrument.off_time_s, Unit::second}));
    if (!bench_.speaks("unit")) return;
    const Deadline deadline(bench_.bench().find("unit")->timeout_s);
    for (;;) {
        try {
            bench_.reconnect("unit");
            bench_.role("unit").identify();
            return;
        } catch (const Error& error) {
            if (deadline.passed()) throw;
            clock().sleep(0.02);
        }
    }
}

}  // namespace rt::lab
