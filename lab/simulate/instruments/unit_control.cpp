#include "lab/simulate/instruments/unit_control.hpp"

#include <algorithm>
#include <cctype>

#include "core/base/text.hpp"

namespace rt::lab {

SimulatedUnitControl::SimulatedUnitControl(std::shared_ptr<Stage> stage)
    : ScpiInstrument(stage, "unit control", stage->unit().name()) {
    const auto upper = [](std::string word) {
        std::transform(word.begin(), word.end(), word.begin(),
                       [](unsigned char c) { return static_cast<char>(std::toupper(c)); });
        return word;
    };
    for (const auto& [name, text] : stage_->unit().lists()) {
        std::string answer;
        for (const auto item : split(text, ','))
            answer += (answer.empty() ? "\"" : ",\"") + std::string(trim(item)) + "\"";
        tree_.on_query("UNIT:" + upper(name), [answer](const auto&) { return answer; });
    }
    for (const auto& setting : stage_->unit().setting_names()) {
        const std::string word = upper(setting);
        tree_.on(
            "UNIT:" + word,
            [this, setting](const ScpiArguments& a) {
                std::string value = only_argument(a);
                if (value.size() >= 2 && value.front() == '"' && value.back() == '"') {
                    value = value.substr(1, value.size() - 2);
                    // A quote within string data stands doubled.
                    for (auto at = value.find("\"\""); at != std::string::npos;
                         at = value.find("\"\"", at + 1))
                        value.erase(at, 1);
                }
                if (!stage_->follows() || distorts_) return;
                if (!stage_->unit().set(setting, value)) throw ScpiError{-224, "Illegal parameter value"};
            },
            [this, setting](const auto&) { return stage_->unit().get(setting); });
    }
    const Surroundings& around = stage_->unit().surroundings();
    if (!around.receivers.empty() || std::any_of(around.looped.begin(), around.looped.end(),
                                                 [](const Looped& one) { return one.out_of_band; })) {
        tree_.on_query("UNIT:LINK", [this](const auto&) { return stage_->link().value_or("down"); });
        tree_.on_command("UNIT:CONNect", [this](const auto&) { stage_->connect(); });
        tree_.on_query("UNIT:RSSI", [this](const auto&) {
            const auto level = stage_->reported_level();
            if (!level) throw ScpiError{-230, "Data corrupt or stale"};
            return decimal(*level, 1);
        });
    }
    tree_.on_query("UNIT:TEMPerature", [this](const auto&) { return decimal(stage_->temperature(), 2); });
}

std::optional<std::string> SimulatedUnitControl::handle(std::string_view message) {
    if (!stage_->powered() || stage_->hung()) return std::nullopt;
    return ScpiInstrument::handle(message);
}

}  // namespace rt::lab
