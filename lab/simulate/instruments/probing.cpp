#include "lab/simulate/instruments/probing.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/text.hpp"
#include "lab/simulate/random.hpp"

namespace rt::lab {
namespace {

std::string quoted_list(const std::vector<std::string>& names) {
    std::string out;
    for (const auto& name : names) out += (out.empty() ? "\"" : ",\"") + name + "\"";
    return out;
}

}  // namespace

SimulatedWaferStage::SimulatedWaferStage(std::shared_ptr<Stage> stage, const std::string& role)
    : ScpiInstrument(std::move(stage), "wafer stage", role) {
    tree_.on(
        "STAGe:DIE", [this](const ScpiArguments& a) { move(place_.die, a, true); },
        [this](const auto&) { return "\"" + place_.die + "\""; });
    tree_.on(
        "STAGe:DEVice", [this](const ScpiArguments& a) { move(place_.device, a, false); },
        [this](const auto&) { return "\"" + place_.device + "\""; });
    word("STAGe:CONTact", contact_, {"UP", "DOWN"}, [this] {
        const bool down = contact_ == 1;
        if (down && !place_.down) ++place_.touches, stage_->spend(0.5);
        place_.down = down;
        stage_->set_probes(place_);
    });
    number("STAGe:TEMPerature", wanted_c_, ScpiUnit::plain, {-55, 150, 25}, [this] {
        stage_->spend(std::abs(wanted_c_ - place_.chuck_c) * 2);
        place_.chuck_c = wanted_c_;
        stage_->set_probes(place_);
    });
    tree_.on_query("STAGe:TEMPerature:ACTual",
                   [this](const auto&) { return decimal(place_.chuck_c + 0.04, 2); });
    // Two needles from above: they meet the pads only when they are down.
    add_picture([this] {
        std::vector<double> curve;
        for (int x = 0; x < 400; ++x) {
            const double left = 1 - std::abs(x - 130) / 40.0, right = 1 - std::abs(x - 270) / 40.0;
            curve.push_back((place_.down ? 1.0 : 0.6) * std::max({0.0, left, right}));
        }
        return curve;
    });
    if (const auto& wafer = stage_->unit().surroundings().wafer) {
        std::vector<std::string> devices;
        for (const auto& device : wafer->map.devices) devices.push_back(device.name);
        const std::string dies = quoted_list(wafer->map.path()), places = quoted_list(devices);
        tree_.on_query("STAGe:MAP:DIES", [dies](const auto&) { return dies; });
        tree_.on_query("STAGe:MAP:DEVices", [places](const auto&) { return places; });
        const auto micrometres = [](double m) { return decimal(m * 1e6, 3); };
        std::vector<std::string> at;
        for (const auto& device : wafer->map.devices)
            at.insert(at.end(), {micrometres(device.x_m), micrometres(device.y_m)});
        std::string reference;
        for (const auto& die : wafer->map.dies) reference = die.reference ? die.name() : reference;
        const std::string named = quoted_list({reference}), all = quoted_list(at),
                          pitch = quoted_list(
                              {micrometres(wafer->map.pitch_x_m), micrometres(wafer->map.pitch_y_m)});
        tree_.on_query("STAGe:MAP:REFerence", [named](const auto&) { return named; });
        tree_.on_query("STAGe:MAP:PITCh", [pitch](const auto&) { return pitch; });
        tree_.on_query("STAGe:MAP:PLACes", [all](const auto&) { return all; });
        // Where a hand has moved it, one place after the other; else where it was sent.
        tree_.on_query("STAGe:POSition:X", [this, micrometres](const auto&) {
            const auto& led = stage_->unit().surroundings().wafer->led;
            if (led_ < led.size()) ++led_;
            return micrometres(position().first);
        });
        tree_.on_query("STAGe:POSition:Y",
                       [this, micrometres](const auto&) { return micrometres(position().second); });
    }
}

std::pair<double, double> SimulatedWaferStage::position() const {
    const Wafer& wafer = *stage_->unit().surroundings().wafer;
    if (led_ > 0) return wafer.led[led_ - 1];
    std::pair<double, double> out{0, 0};
    if (const auto* die = wafer.map.find(place_.die))
        out = {die->column * wafer.map.pitch_x_m, die->row * wafer.map.pitch_y_m};
    for (const auto& device : wafer.map.devices) {
        if (device.name == place_.device) out.first += device.x_m, out.second += device.y_m;
    }
    return out;
}

void SimulatedWaferStage::reset() {
    contact_ = 0;
    place_.down = false;
    stage_->set_probes(place_);
}

void SimulatedWaferStage::move(std::string& what, const ScpiArguments& arguments, bool die) {
    // A name may hold a comma: it is one text in quotes.
    std::string name;
    for (const auto& part : arguments) name += (name.empty() ? "" : ",") + part;
    name = unquoted(name);
    if (name == what) return;
    if (place_.down) throw ScpiError{-221, "Settings conflict; the probes are down"};
    const auto& wafer = stage_->unit().surroundings().wafer;
    if (!wafer) throw ScpiError{-221, "Settings conflict; no wafer"};
    if (die && name != "kit" && !wafer->map.find(name)) throw ScpiError{-224, "Illegal parameter value"};
    what = name;
    place_.touches = 0;
    stage_->spend(0.3);
    stage_->set_probes(place_);
}

SimulatedSourceMeasure::SimulatedSourceMeasure(std::shared_ptr<Stage> stage, const std::string& role)
    : ScpiInstrument(std::move(stage), "source-measure unit", role) {
    // Nodes with a channel's number take no other.
    const auto both = [this](const char* node, double& first, double& second, ScpiRange range) {
        tree_.on(
            node,
            [this, &first, &second, range](const ScpiArguments& a) {
                const double channel = scpi_number(a.at(0), ScpiUnit::plain, {1, 2, 1});
                double& value = channel == 1 ? first : second;
                value = scpi_number(a.at(1), ScpiUnit::plain, range);
                force();
            },
            [&first, &second](const ScpiArguments& a) { return exact(a.at(0) == "1" ? first : second); });
    };
    static double unused = 0;
    both("SOURce#:VOLTage", bias_.input_v, bias_.output_v, {-10, 10, 0});
    both("SENSe#:CURRent:PROTection", bias_.input_limit_a, bias_.output_limit_a, {1e-9, 1, 1e-3});
    both("SOURce#:CURRent", input_a_, unused, {-0.1, 0.1, 0});
    both("SENSe#:VOLTage:PROTection", input_limit_v_, unused, {0.01, 10, 2});
    flag("OUTPut:[STATe]", bias_.on, [this] { force(); });
    tree_.on_query("MEASure:ALL", [this](const auto&) {
        const auto c = stage_->probe_currents();
        Random random(static_cast<std::uint64_t>(++readings_) * 7919 + stage_->options().seed);
        const auto noisy = [&](double value) { return exact(value * (1 + 1e-5 * random.normal())); };
        return noisy(bias_.on ? bias_.input_v : 0) + "," + noisy(c.input_a) + "," +
               (c.input_limited ? "1" : "0") + "," + noisy(c.output_v) + "," + noisy(c.output_a) + "," +
               (c.output_limited ? "1" : "0");
    });
}

void SimulatedSourceMeasure::reset() {
    bias_ = {};
    force();
}

void SimulatedSourceMeasure::force() {
    stage_->set_bias(bias_);
    note_compliance();
}

void SimulatedSourceMeasure::note_compliance() {
    const auto c = stage_->probe_currents();
    note_condition(1, c.input_limited);
    note_condition(2, c.output_limited);
}

}  // namespace rt::lab
