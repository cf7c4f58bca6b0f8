#include "lab/bench/instrument_role.hpp"

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {

InstrumentRole::InstrumentRole(ScpiSession session) : session_(std::move(session)) {
    if (session_.knows("clear")) session_.send("clear");
    if (session_.knows("prepare")) session_.send("prepare");
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
    return exact(parse_quantity(value, info->unit).value);
}

void InstrumentRole::begin(const std::string& setting, const std::string& value) {
    session_.send("set_" + setting, {{"value", setting_text(*instrument().dialect.kind, setting, value)}});
    moving_ = true;
    last_ = setting + " = " + in_quotes(value);
}

void InstrumentRole::settle() {
    if (!moving_) return;
    moving_ = false;
    if (session_.knows("wait")) {
        // A turntable may need minutes for a turn.
        const bool moves = instrument().is("positioner");
        const double longest = instrument().timeout_s + (moves ? instrument().longest_move_s : 0);
        session_.ask("wait", to_milliseconds(longest));
    }
    const auto errors = session_.drain_errors();
    if (!errors.empty()) {
        const std::string who = instrument().role == "unit" ? "the unit" : "the " + instrument().role;
        fail_bench(who + " does not take " + last_ + ": " + errors.front());
    }
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

std::string InstrumentRole::picture() {
    return session_.knows("picture") ? session_.ask_block("picture") : "";
}

}  // namespace rt
