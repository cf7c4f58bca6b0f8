#include "lab/simulate/instruments/indicator.hpp"

#include "core/base/text.hpp"
#include "lab/simulate/random.hpp"

namespace rt::lab {

SimulatedIndicator::SimulatedIndicator(std::shared_ptr<Stage> stage, std::string port)
    : ScpiInstrument(std::move(stage), "indicator", port), port_(std::move(port)) {
    tree_.on_query("MEASure:DEViation", [this](const auto&) {
        look();
        return decimal(shown_.deviation, 4);
    });
    tree_.on_query("MEASure:FLAG", [this](const auto&) { return std::string(shown_.flag ? "1" : "0"); });
    tree_.on_query("MEASure:AGC", [this](const auto&) { return decimal(shown_.level, 3); });
}

void SimulatedIndicator::look() {
    Random random(seed_of(stage_->options().seed, port_, readings_++));
    const auto receiver = stage_->landing_receiver(port_);
    if (!receiver) {
        shown_ = {};  // without supply its flag is shown
        return;
    }
    const double even = random.uniform();
    shown_ = receiver->first.shown(receiver->second, even, random.normal(), before_);
    if (!shown_.flag) before_ = shown_.needle;
}

}  // namespace rt::lab
