#include "lab/bench/instrument_role.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/formats/csv_table.hpp"

namespace rt::lab {

InstrumentRole::InstrumentRole(ScpiSession session) : session_(std::move(session)) {
    // Asked before it is cleared; what was before this connection is nobody's concern.
    asks_power_ = session_.knows("query_power_on");
    if (asks_power_) switched_on();
    prepare();
}

void InstrumentRole::prepare() {
    sent_to_.clear();
    group_.clear();
    known_.clear();
    last_.clear();
    session_.is_set_up_as("");
    if (session_.knows("clear")) session_.send("clear");
    const auto step = [&](const char* command, const Arguments& arguments, const char* what) {
        session_.send(command, arguments);
        const auto errors = session_.drain_errors();
        if (!errors.empty()) session_.fail(what + errors.front());
    };
    // What is stored in it comes before the forms of numbers that prepare sets.
    const std::string& state = instrument().recall;
    if (!state.empty()) step("recall", {{"state", state}}, "it cannot recall its state: ");
    if (session_.knows("prepare")) step("prepare", {}, "it cannot be prepared: ");
    if (instrument().external_reference)
        step("use_external_reference", {}, "it does not take the external reference: ");
}

std::string InstrumentRole::distrust() {
    const Dialect& dialect = instrument().dialect;
    if (instrument().external_reference) {
        const std::string answer = session_.ask("query_external_reference");
        if (parse_scpi_number(answer) != 1)
            return "the " + instrument().role + " is not locked to the external reference: it answers " +
                   in_quotes(answer);
    }
    // Each register is read once: reading may clear it.
    std::map<std::string, std::uint32_t> read;
    for (const auto& state : dialect.states) {
        if (!read.contains(state.ask)) {
            const auto there_is = session_.ask_text_if_known(state.ask);
            if (!there_is) continue;
            const std::string& answer = *there_is;
            const auto number = parse_scpi_number(answer);
            if (!number || *number < 0 || *number > 65535 || *number != std::floor(*number))
                session_.fail(state.ask + " is answered by " + in_quotes(answer) +
                              ", a register was expected");
            read[state.ask] = static_cast<std::uint32_t>(*number);
        }
        const bool set = (read[state.ask] & state.bits) != 0;
        if (set != state.when_clear) return "the " + instrument().role + " says that it is " + state.means;
    }
    return {};
}

bool InstrumentRole::switched_on() {
    if (!asks_power_) return false;
    const auto answer = session_.ask_if_known("query_power_on");
    const auto status = answer ? parse_scpi_number(*answer) : std::nullopt;
    if (!status || *status < 0 || *status > 255) {
        asks_power_ = false;  // no register of IEEE 488.2: it cannot be asked
        return false;
    }
    constexpr int power_on = 0x80;
    return (static_cast<int>(*status) & power_on) != 0;
}

std::string setting_text(const RoleKind& kind, const std::string& setting, const std::string& value) {
    const SettingInfo* info = kind.find_setting(setting);
    if (!info) {
        if (kind.open_settings) return value;
        std::vector<std::string> names;
        for (const auto& known : kind.settings) names.emplace_back(known.name);
        fail_input(std::string("a ") + kind.name + " has no setting " + in_quotes(setting) +
                   suggestion(setting, names));
    }
    if (info->unit == Unit::none) return value;
    if (info->unit == Unit::dbm) return exact(parse_level(value).value);
    return exact(parse_quantity(value, info->unit).value);
}

std::string beyond(const Dialect& dialect, const std::string& setting, const std::string& text) {
    const auto greatest = dialect.greatest.find(setting);
    const auto value = to_double(text);
    if (greatest == dialect.greatest.end() || !value || *value <= greatest->second) return {};
    const SettingInfo* info = dialect.kind->find_setting(setting);
    const Unit unit = info ? info->unit : Unit::none;
    return format({*value, unit}) + " is beyond the highest " + setting + " of dialect " + dialect.id + ", " +
           format({greatest->second, unit});
}

void InstrumentRole::begin(const std::string& setting, const std::string& value) {
    const std::string text = setting_text(*instrument().dialect.kind, setting, value);
    if (const auto refused = beyond(instrument().dialect, setting, text); !refused.empty())
        session_.fail(refused);
    if (const Together* group = instrument().dialect.sent_together(setting)) {
        require_sendable(setting, text);
        group_[setting] = text;
        for (const auto& other : group->settings) waiting_.insert(other);
    } else {
        session_.send("set_" + setting, {{"value", text}});
    }
    moving_ = true;
    const SettingInfo* info = instrument().dialect.kind->find_setting(setting);
    if (instrument().is("positioner") && info && info->unit != Unit::none)
        sent_to_[setting] = parse_quantity(value, info->unit).value;
    last_ += (last_.empty() ? "" : ", ") + setting + " = " + in_quotes(value);
    told_[setting] = known_[setting] = text;
}

// Settings that go together are sent once all that changes is known.
void InstrumentRole::send_groups() {
    const Dialect& dialect = instrument().dialect;
    for (const auto& group : dialect.together) {
        const auto waits = [&](const std::string& s) { return waiting_.contains(s); };
        if (std::none_of(group.settings.begin(), group.settings.end(), waits)) continue;
        Arguments arguments;
        for (const auto& setting : group.settings) {
            waiting_.erase(setting);
            const auto known = group_.find(setting);
            if (known == group_.end()) {
                std::string all;
                for (const auto& name : group.settings) all += (all.empty() ? "" : " and ") + name;
                fail_input(dialect.file.string(), "the dialect sets " + all +
                                                      " together: the campaign must set " + setting +
                                                      " of the " + instrument().role + " too");
            }
            arguments.push_back(*known);
        }
        session_.send_text(session_.fill(together_text(group, *dialect.kind), arguments));
    }
}

// Why the instrument has not what it was told, where its dialect can ask for the setting.
std::string InstrumentRole::confirm(const std::string& setting, const std::string& wanted) {
    const Dialect& dialect = instrument().dialect;
    const auto there_is = session_.ask_if_known("confirm_" + setting);
    if (!there_is) return {};
    std::string answer = *there_is;
    const SettingInfo* info = dialect.kind->find_setting(setting);
    const Unit unit = info ? info->unit : Unit::none;
    const std::string who = "the " + instrument().role + " has " + setting + " ";
    if (info && unit != Unit::none) {
        const auto there = parse_scpi_number(answer);
        const double told = to_double(wanted).value();
        const auto stated = dialect.tolerances.find(setting);
        const double tolerance = stated != dialect.tolerances.end() ? stated->second
                                 : is_decibel(unit)                 ? 0.1
                                                                    : 1e-3 * std::abs(told);
        if (there && std::abs(*there - told) <= tolerance) return {};
        return who + (there ? format({*there, unit}) : in_quotes(answer)) + ", " + format({told, unit}) +
               " was asked for";
    }
    std::erase(answer, '"');
    const auto plain = [](std::string_view word) {
        const std::string low = lower(trim(word));
        return low == "1" ? std::string("on") : low == "0" ? std::string("off") : low;
    };
    if (plain(answer) == plain(wanted) || plain(answer) == plain(brief_form(wanted))) return {};
    return who + in_quotes(answer) + ", " + in_quotes(wanted) + " was asked for";
}

std::string InstrumentRole::read_back() {
    for (const auto& [setting, wanted] : std::exchange(told_, {})) {
        if (auto doubt = confirm(setting, wanted); !doubt.empty()) return doubt;
    }
    return {};
}

std::string InstrumentRole::still_set() {
    for (const auto& [setting, wanted] : known_) {
        if (auto doubt = confirm(setting, wanted); !doubt.empty()) return doubt;
    }
    return {};
}

std::string InstrumentRole::settle() {
    if (!moving_) return {};
    refused_ = false;
    send_groups();
    moving_ = false;
    std::string doubt;
    const bool moves = instrument().is("positioner");
    if (session_.knows("wait")) {
        // A turntable may need minutes for a turn.
        const double longest = instrument().timeout_s + (moves ? instrument().longest_move_s : 0);
        const std::string answer = session_.ask("wait", to_milliseconds(longest));
        if (moves && to_double(answer) != 1)
            doubt =
                "the " + instrument().role + " says that it has not arrived: it answers " + in_quotes(answer);
    }
    require_taken();
    for (const auto& [setting, wanted] : sent_to_) {
        if (!doubt.empty() || !session_.knows("query_" + setting)) continue;
        const bool angle = setting == "angle";
        const double there = query(setting);
        double off = std::abs(there - wanted);
        if (angle) off = std::min(std::fmod(off, 360.0), 360 - std::fmod(off, 360.0));
        if (off <= (angle ? instrument().angle_tolerance_deg : instrument().height_tolerance_m)) continue;
        const Unit unit = angle ? Unit::degree : Unit::metre;
        doubt = "the " + instrument().role + " is at " + format({there, unit}) + ", " +
                format({wanted, unit}) + " was asked for";
    }
    return doubt;
}

void InstrumentRole::require_taken() {
    const auto errors = session_.drain_errors();
    const std::string what = std::exchange(last_, {});
    refused_ = !errors.empty();
    if (errors.empty()) return;
    const std::string who = instrument().role == "unit" ? "the unit" : "the " + instrument().role;
    fail_bench(who + " does not take " + what + ": " + errors.front());
}

void InstrumentRole::zero() {
    for (const char* step : {"zero", "calibrate"}) {
        if (!session_.knows(step)) continue;
        constexpr double most_s = 60;
        session_.ask(step, to_milliseconds(instrument().timeout_s + most_s));
        const auto errors = session_.drain_errors();
        if (!errors.empty()) session_.fail(std::string(step) + " failed: " + errors.front());
    }
}

void InstrumentRole::load(const std::string& command, const std::vector<double>& samples, std::size_t each) {
    const DataForm form = instrument().dialect.form_of(command);
    session_.send(command, {{"block", encode_numbers(samples, form)}});
    const auto errors = session_.drain_errors();
    if (!errors.empty()) session_.fail("it does not take the waveform: " + errors.front());
    const auto there = session_.ask_if_known("query_samples");
    const std::size_t count = samples.size() / each;
    if (there && parse_scpi_number(*there) != static_cast<double>(count))
        session_.fail("it holds " + in_quotes(*there) + " samples, " + std::to_string(count) + " were sent");
}

std::string InstrumentRole::picture() {
    return session_.knows("picture") ? session_.ask_block("picture") : "";
}

std::vector<std::string> InstrumentRole::list(const std::string& name) {
    const std::string answer = session_.ask_alone("list_" + name);
    if (std::count(answer.begin(), answer.end(), '"') % 2 != 0)
        fail_bench(instrument().role + " answers its " + name + " with a quote that does not end");
    auto out = csv_cells(answer, ',');
    if (out.size() == 1 && out.front().empty()) return {};
    if (std::find(out.begin(), out.end(), "") != out.end())
        fail_bench(instrument().role + " lists an empty one among its " + name);
    return out;
}

}  // namespace rt::lab
