#include "lab/simulate/instruments/navigation.hpp"

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/synthesis/signal.hpp"

namespace rt::lab {

SimulatedNavigationGenerator::SimulatedNavigationGenerator(std::shared_ptr<Stage> stage,
                                                           const std::string& role)
    : ScpiInstrument(std::move(stage), "navigation generator", role), role_(role) {
    const auto sent = [this] { send(); };
    const auto played = [this] { play(); };
    number("[SOURce]:FREQuency:[CW]", frequency_hz_, ScpiUnit::hertz, {75e6, 400e6, 110.1e6}, sent);
    number("[SOURce]:POWer:[LEVel]", level_dbm_, ScpiUnit::dbm, {-130, 10, -60}, sent);
    flag("OUTPut:[STATe]", on_, sent);
    word("NAVigation:MODE", mode_, {"LOCaliser", "GLIDe"});
    number("NAVigation:DDM", deviation_, ScpiUnit::plain, {-0.8, 0.8, 0}, played);
    number("NAVigation:SDM", depth_sum_, ScpiUnit::plain, {0, 99, 40}, played);
    number("NAVigation:PHASe", phase_deg_, ScpiUnit::plain, {-180, 180, 0}, played);
    word("NAVigation:REMove", removed_, {"NONE", "LOWer", "UPPer", "BOTH"}, played);
    number("NAVigation:IDENt:DEPTh", ident_depth_, ScpiUnit::plain, {0, 50, 10}, played);
    tree_.on(
        "NAVigation:IDENt:TEXT",
        [this](const ScpiArguments& a) {
            std::string text = only_argument(a);
            std::erase(text, '"');
            ident_ = text;
            play();
        },
        [this](const auto&) { return "\"" + ident_ + "\""; });
    play();
}

void SimulatedNavigationGenerator::reset() {
    frequency_hz_ = 110.1e6, level_dbm_ = -60;
    deviation_ = phase_deg_ = 0, depth_sum_ = 40, ident_depth_ = 10;
    mode_ = removed_ = 0;
    ident_.clear();
    on_ = false;
    play();
}

void SimulatedNavigationGenerator::play() {
    const SignalKind& kind = find_signal("landing.composite");
    constexpr const char* removed[]{"none", "90", "150", "both"};
    Parameters p(kind.parameters);
    p.set("deviation", exact(deviation_));
    p.set("depth_sum", exact(depth_sum_) + " %");
    p.set("phase", exact(phase_deg_) + " deg");
    p.set("removed", removed[removed_]);
    p.set("ident", ident_);
    p.set("ident_depth", exact(ident_depth_) + " %");
    p.fill_defaults();
    try {
        const MadeSignal made = kind.make(p, {});
        const auto& record = std::get<IqRecord>(made.turn);
        above_db_ = made.above_level_db;
        stage_->set_iq(role_, {std::make_shared<const std::vector<std::complex<float>>>(
                                   record.read(0, static_cast<std::size_t>(record.size()))),
                               record.sample_rate_hz});
    } catch (const Error&) {
        throw ScpiError{-221, "Settings conflict"};
    }
    send();
}

void SimulatedNavigationGenerator::send() {
    stage_->set_tone(role_, {frequency_hz_, level_dbm_ + above_db_, on_, true});
}

}  // namespace rt::lab
