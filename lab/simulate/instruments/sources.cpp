#include "lab/simulate/instruments/sources.hpp"

#include <algorithm>
#include <cmath>
#include <thread>

#include "core/base/text.hpp"

namespace rt::lab {

namespace {

// The 16-bit numbers of a message that begins so; nothing for others. A block may hold any bytes: it is taken
// before the message is read as text (IEEE 488.2, 7.7.6). One that is none leaves an error and no numbers.
std::optional<std::vector<std::int16_t>> block_of_shorts(std::string_view message, std::string_view load,
                                                         ScpiTree& tree) {
    if (!message.starts_with(load) || message.size() < load.size() + 1) return std::nullopt;
    std::vector<std::int16_t> out;
    const auto digits = static_cast<std::size_t>(message[load.size()] - '0');
    const auto body = message.substr(std::min(message.size(), load.size() + 1 + digits));
    const auto length = to_double(message.substr(load.size() + 1, digits));
    if (!length || *length != static_cast<double>(body.size()) || body.size() % 2 != 0) {
        tree.push_error({-161, "Invalid block data"});
        return out;
    }
    out.reserve(body.size() / 2);
    for (std::size_t i = 0; i < body.size(); i += 2) {
        const auto low = static_cast<unsigned char>(body[i]), high = static_cast<unsigned char>(body[i + 1]);
        out.push_back(static_cast<std::int16_t>(low | high << 8));
    }
    return out;
}

}  // namespace

SimulatedGenerator::SimulatedGenerator(std::shared_ptr<Stage> stage, std::string role)
    : ScpiInstrument(std::move(stage), "generator", role), role_(std::move(role)) {
    const auto after = [this] { send(); };
    number("[SOURce]:FREQuency:[CW]", frequency_hz_, ScpiUnit::hertz, {9e3, 6e9, 1e9}, after);
    number("[SOURce]:POWer:[LEVel]", level_dbm_, ScpiUnit::dbm, {-130, 20, -30}, after);
    flag("OUTPut:[STATe]", on_, after);
    flag("[SOURce]:MODulation:[STATe]", modulated_, after);
    number("[SOURce]:IQ:RATE", rate_hz_, ScpiUnit::hertz, {1e3, 200e6, 1e6}, [this] { play(); });
    tree_.on_query("TRACe:IQ:POINts",
                   [this](const auto&) { return std::to_string(samples_ ? samples_->size() : 0); });
}

std::optional<std::string> SimulatedGenerator::handle(std::string_view message) {
    const auto numbers = block_of_shorts(message, "TRACe:IQ #", tree_);
    if (!numbers) return ScpiInstrument::handle(message);
    auto samples = std::make_shared<std::vector<std::complex<float>>>();
    for (std::size_t i = 0; i + 1 < numbers->size(); i += 2)
        samples->emplace_back((*numbers)[i] / 32767.0F, (*numbers)[i + 1] / 32767.0F);
    samples_ = std::move(samples);
    play();
    return std::nullopt;
}

void SimulatedGenerator::play() {
    stage_->set_iq(role_, {samples_, rate_hz_});
}

void SimulatedGenerator::reset() {
    frequency_hz_ = 1e9, level_dbm_ = -30, rate_hz_ = 1e6;
    on_ = modulated_ = false;
    samples_.reset();
    send();
    play();
}

void SimulatedGenerator::send() {
    stage_->set_tone(role_, {frequency_hz_, level_dbm_, on_, modulated_});
}

SimulatedAttenuator::SimulatedAttenuator(std::shared_ptr<Stage> stage, std::string role)
    : ScpiInstrument(std::move(stage), "attenuator", role), role_(std::move(role)) {
    number("INPut:ATTenuation", attenuation_db_, ScpiUnit::decibel, {0, 110, 0}, [this] {
        attenuation_db_ = std::round(attenuation_db_);
        stage_->set_attenuation(role_, attenuation_db_);
    });
    stage_->set_attenuation(role_, 0);
}

void SimulatedAttenuator::reset() {
    attenuation_db_ = 0;
    stage_->set_attenuation(role_, 0);
}

SimulatedSupply::SimulatedSupply(std::shared_ptr<Stage> stage, const std::string& role)
    : ScpiInstrument(std::move(stage), "supply", role) {
    const auto after = [this] { feed(); };
    number("[SOURce]:VOLTage:[LEVel]", volts_, ScpiUnit::plain, {0, 30, 0}, after);
    number("[SOURce]:CURRent:[LEVel]", limit_a_, ScpiUnit::plain, {0, 5, 1}, after);
    flag("OUTPut:[STATe]", on_, after);
    tree_.on_query("MEASure:VOLTage:[DC]", [this](const auto&) { return exact(on_ ? volts_ : 0); });
    tree_.on_query("MEASure:CURRent:[DC]", [this](const auto&) { return decimal(stage_->current(), 5); });
}

void SimulatedSupply::reset() {
    volts_ = 0, limit_a_ = 1;
    on_ = false;
    feed();
}

void SimulatedSupply::feed() {
    stage_->set_supply(volts_, limit_a_, on_);
}

SimulatedSwitch::SimulatedSwitch(std::shared_ptr<Stage> stage, const std::string& role)
    : ScpiInstrument(std::move(stage), "switch", role) {
    constexpr double most_a = 10;
    flag("OUTPut:[STATe]", on_,
         [this] { stage_->set_supply(on_ ? stage_->unit().supply_volts() : 0, most_a, on_); });
}

SimulatedWaveformGenerator::SimulatedWaveformGenerator(std::shared_ptr<Stage> stage, const std::string& role)
    : ScpiInstrument(std::move(stage), "waveform generator", role), role_(role) {
    const auto after = [this] { play(); };
    number("[SOURce]:TRACe:RATE", rate_hz_, ScpiUnit::hertz, {1, 200e9, 1e6}, after);
    number("[SOURce]:VOLTage:[LEVel]", amplitude_v_, ScpiUnit::plain, {0, 5, 0.1}, after);
    number("[SOURce]:VOLTage:OFFSet", offset_v_, ScpiUnit::plain, {-5, 5, 0}, after);
    flag("OUTPut:[STATe]", on_, after);
    tree_.on_query("TRACe:POINts", [this](const auto&) { return std::to_string(samples_.size()); });
}

void SimulatedWaveformGenerator::reset() {
    rate_hz_ = 1e6, amplitude_v_ = 0.1, offset_v_ = 0;
    on_ = false;
    samples_.clear();
    play();
}

void SimulatedWaveformGenerator::play() {
    auto volts = std::make_shared<std::vector<float>>();
    if (on_) {
        volts->reserve(samples_.size());
        for (const auto sample : samples_)
            volts->push_back(static_cast<float>(amplitude_v_ * sample / 32767.0 + offset_v_));
    }
    stage_->set_samples(role_, {std::move(volts), rate_hz_, on_});
}

std::optional<std::string> SimulatedWaveformGenerator::handle(std::string_view message) {
    auto numbers = block_of_shorts(message, "TRACe:DATA #", tree_);
    if (!numbers) return ScpiInstrument::handle(message);
    samples_ = std::move(*numbers);
    play();
    return std::nullopt;
}

SimulatedPositioner::SimulatedPositioner(std::shared_ptr<Stage> stage, const std::string& role)
    : ScpiInstrument(std::move(stage), "positioner", role) {
    number("POSition:ANGLe", wanted_angle_, ScpiUnit::plain, {-180, 360, 0},
           [this] { move(angle_, wanted_angle_); });
    number("POSition:HEIGht", wanted_height_, ScpiUnit::plain, {1, 4, 1},
           [this] { move(height_, wanted_height_); });
    word("POSition:POLarisation", polarisation_, {"HORizontal", "VERTical"});
    tree_.on_query("POSition:ANGLe:ACTual", [this](const auto&) { return decimal(now_at(angle_), 3); });
    tree_.on_query("POSition:HEIGht:ACTual", [this](const auto&) { return decimal(now_at(height_), 4); });
    tree_.on_query("POSition:ARRived", [this](const auto&) {
        arrive();
        return std::string("1");
    });
    tree_.on_command("POSition:STOP", [this](const auto&) {
        angle_.from = angle_.to = now_at(angle_);
        height_.from = height_.to = now_at(height_);
        stage_->set_angle(angle_.to);
        stage_->set_height(height_.to);
    });
}

double SimulatedPositioner::now_at(const Drive& drive) const {
    if (stage_->options().instant) return drive.to;
    const std::chrono::duration<double> passed = std::chrono::steady_clock::now() - drive.start;
    const double way = drive.speed * passed.count(), whole = drive.to - drive.from;
    return std::abs(whole) <= way ? drive.to : drive.from + std::copysign(way, whole);
}

void SimulatedPositioner::move(Drive& drive, double to) {
    drive.from = now_at(drive);
    drive.to = to;
    drive.start = std::chrono::steady_clock::now();
    if (stage_->options().instant) arrive();
}

void SimulatedPositioner::arrive() {
    while (now_at(angle_) != angle_.to || now_at(height_) != height_.to)
        std::this_thread::sleep_for(std::chrono::milliseconds(1));
    stage_->set_angle(angle_.to);
    stage_->set_height(height_.to);
}

}  // namespace rt::lab
