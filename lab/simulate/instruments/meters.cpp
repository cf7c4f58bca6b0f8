#include "lab/simulate/instruments/meters.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/base/text.hpp"
#include "core/quantity/light.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/formats/devices_csv.hpp"
#include "lab/simulate/random.hpp"
#include "lab/simulate/thermal.hpp"
#include "lab/simulate/wave_display.hpp"

namespace rt::lab {
namespace {

int channel_of(const ScpiArguments& arguments, int most) {
    const int channel = static_cast<int>(*to_double(arguments.at(0)));
    if (channel < 1 || channel > most) throw ScpiError{-114, "Header suffix out of range"};
    return channel;
}

}  // namespace

SimulatedPowerMeter::SimulatedPowerMeter(std::shared_ptr<Stage> stage, std::string role, std::string end)
    : ScpiInstrument(std::move(stage), "power meter", role), role_(std::move(role)), end_(std::move(end)) {
    number("[SENSe]:FREQuency", frequency_hz_, ScpiUnit::hertz, {9e3, 110e9, 50e6});
    // Meters of light have the other name for the same.
    tree_.on(
        "[SENSe]:POWer:WAVelength",
        [this](const ScpiArguments& a) {
            frequency_hz_ =
                frequency_of(scpi_number(only_argument(a), ScpiUnit::plain, {300e-9, 2e-6, 850e-9}));
        },
        [this](const auto&) { return exact(wavelength_of(frequency_hz_)); });
    word("UNIT:POWer", unit_, {"DBM", "W"});
    number("[SENSe]:AVERage:COUNt", averages_, ScpiUnit::plain, {1, 1024, 4});
    tree_.on_command("CALibration:ZERO", [this](const auto&) {
        stage_->spend(0.2);
        zeroed_ = true;
    });
    tree_.on_command("CALibration:[ALL]", [this](const auto&) { stage_->spend(0.2); });
    tree_.on_query("READ#", [this](const ScpiArguments& a) {
        const double level = read(channel_of(a, 3));
        return unit_ == 0 ? decimal(level, 6) : exact(milliwatt(level) / 1000);
    });
}

void SimulatedPowerMeter::reset() {
    frequency_hz_ = 50e6, averages_ = 4;
    unit_ = 1;  // watts, as SCPI-1999 has it after *RST
    note_overload(false);
}

double SimulatedPowerMeter::read(int sensor) {
    stage_->spend(averages_ * 0.005);
    const std::string number = sensor == 1 ? "" : "-" + std::to_string(sensor);
    double power = 0;
    for (const auto& end : {role_ + number, end_ + number}) {
        for (const auto& line : stage_->arriving(end)) power += milliwatt(line.level_dbm);
    }
    const Emission emission = stage_->emission(end_ + number);
    for (const auto& line : emission.lines) power += milliwatt(line.level_dbm);
    for (const auto& carrier : emission.carriers) power += milliwatt(carrier.level_dbm);
    if (const auto& scalar = stage_->unit().surroundings().scalar; scalar && scalar->port == end_) {
        const auto tone = stage_->tone(scalar->source);
        if (tone.on)
            power += milliwatt(scalar->level_dbm(sensor, stage_->unit().get(scalar->setting),
                                                 tone.frequency_hz, tone.level_dbm));
    }
    constexpr double noise_mw = 0.2e-6, offset_mw = 3e-6, most_mw = 100;
    Random random(seed_of(stage_->options().seed, stage_->state_text() + end_, readings_++));
    power += noise_mw / std::sqrt(averages_) * random.normal() + (zeroed_ ? 0 : offset_mw);
    note_overload(power > most_mw);
    return 10 * std::log10(std::max(power, 1e-9));
}

SimulatedCounter::SimulatedCounter(std::shared_ptr<Stage> stage, std::string role, std::string port)
    : ScpiInstrument(std::move(stage), "link counter", port), role_(std::move(role)), port_(std::move(port)) {
    number("CONFigure:PACKets", packets_, ScpiUnit::plain, {1, 1e9, 1000},
           [this] { packets_ = std::round(packets_); });
    tree_.on_command("INITiate:[IMMediate]", [this](const auto&) { count(); });
    tree_.on_query("FETCh", [this](const auto&) {
        if (sent_ == 0) throw ScpiError{-230, "Data corrupt or stale"};
        return fmt::format("{},{},{},{}", sent_, received_, bits_, errors_);
    });
    number("SEARch:TIME", search_s_, ScpiUnit::second, {0.1, 3600, 10});
    tree_.on_command("SEARch:[IMMediate]", [this](const auto&) {
        stage_->spend(search_s_);
        Devices devices;
        devices.observed_s = search_s_;
        for (const auto& one : stage_->devices(port_)) devices.found.push_back(one.device);
        found_ = devices_csv(devices);
    });
    tree_.on_query("SEARch:DATA", [this](const auto&) {
        if (found_.empty()) throw ScpiError{-230, "Data corrupt or stale"};
        return block_of(found_);
    });
    tree_.on(
        "LINK:DEVice", [this](const ScpiArguments& a) { device_ = unquoted(only_argument(a)), send(); },
        [this](const auto&) { return '"' + device_ + '"'; });
    word("LINK:METHod", method_, {"AUTO", "SCAN", "CONNection"});
    number("LINK:CHANnel", channel_, ScpiUnit::plain, {0, 39, 0}, [this] { send(); });
    number("LINK:LEVel", level_dbm_, ScpiUnit::dbm, {-120, 10, -30}, [this] { send(); });
    tree_.on_query("LINK:METHod:USED", [this](const auto&) { return used_; });
}

void SimulatedCounter::reset() {
    packets_ = 1000, search_s_ = 10, channel_ = 0, method_ = 0;
    device_.clear(), found_.clear(), used_ = "NONE", level_dbm_ = -30;
    send();
    sent_ = received_ = bits_ = errors_ = 0;
}

// A tester of links sends for itself; a counter leaves that to a generator.
void SimulatedCounter::send() {
    stage_->set_tone(role_, {2402e6 + 2e6 * channel_, level_dbm_, !device_.empty(), true});
}

std::optional<DeviceAround> SimulatedCounter::meant() const {
    for (auto& one : stage_->devices(port_)) {
        if (one.device.address == lower(device_)) return one;
    }
    return std::nullopt;
}

void SimulatedCounter::count() {
    sent_ = static_cast<std::uint64_t>(packets_);
    received_ = bits_ = errors_ = 0;
    const auto receiver = stage_->receiver(port_);
    const double packet_s = receiver ? receiver->packet_time_s : 1e-3;
    stage_->spend(packets_ * packet_s);
    note_overload(false);
    std::optional<double> loss;
    if (!device_.empty()) {
        const auto device = meant();
        if (!device) {
            used_ = "NONE";
            tree_.push_error({-221, "Settings conflict; no such device answers"});
            return;
        }
        const bool scan = device->device.scanned && method_ != 2,
                   link = device->device.connects && method_ != 1;
        used_ = scan ? "SCAN" : link ? "CONNection" : "NONE";
        if (!scan && !link) return;
        loss = device->loss;
    }
    if (!loss && !receiver) return;  // a dead unit answers nothing
    const double share = loss ? *loss : stage_->reception(port_)->loss;
    const std::string key = stage_->state_text() + std::to_string(sent_);
    Random random(seed_of(stage_->options().seed, key, visits_[key]++));
    for (std::uint64_t i = 0; i < sent_; ++i) {
        if (random.uniform() >= share) {
            ++received_;
        } else {
            errors_ += 1 + static_cast<std::uint64_t>(random.uniform() * 3);
        }
    }
    if (device_.empty()) bits_ = sent_ * static_cast<std::uint64_t>(receiver->packet_bits);
    errors_ = std::min(errors_, bits_);
}

SimulatedOscilloscope::SimulatedOscilloscope(std::shared_ptr<Stage> stage, std::string role, std::string port)
    : ScpiInstrument(std::move(stage), "oscilloscope", port), role_(std::move(role)), port_(std::move(port)) {
    SimulatedOscilloscope::reset();
    add_format();
    number("[SENSe]:SWEep:TIME", span_s_, ScpiUnit::second, {1e-9, 100, 1e-6});
    number("[SENSe]:SWEep:POINts", points_, ScpiUnit::plain, {2, 5e6, 1000},
           [this] { points_ = std::round(points_); });
    tree_.on_query("[SENSe]:SWEep:TIME:STEP", [this](const auto&) { return exact(span_s_ / (points_ - 1)); });
    tree_.on(
        "[SENSe]:VOLTage#:[DC]:RANGe",
        [this](const ScpiArguments& a) {
            if (a.size() != 2) throw ScpiError{-109, "Missing parameter"};
            range_v_[static_cast<std::size_t>(channel_of(a, channels) - 1)] =
                scpi_number(a[1], ScpiUnit::plain, {1e-3, 100, 1});
        },
        [this](const ScpiArguments& a) {
            return exact(range_v_[static_cast<std::size_t>(channel_of(a, channels) - 1)]);
        });
    number("TRIGger:LEVel", trigger_v_, ScpiUnit::plain, {-100, 100, 0});
    tree_.on_command("TRIGger:SOURce", [](const ScpiArguments& a) {
        scpi_word(only_argument(a), {"CHAN1", "CHAN2", "CHAN3", "CHAN4"});
    });
    tree_.on_command("INITiate:[IMMediate]", [this](const auto&) { acquire(); });
    tree_.on_query("TRACe#:[DATA]", [this](const ScpiArguments& a) {
        const auto channel = static_cast<std::size_t>(channel_of(a, channels) - 1);
        if (channel >= records_.size()) throw ScpiError{-230, "Data corrupt or stale"};
        return numbers(records_[channel]);
    });
    add_picture([this] { return records_.empty() ? std::vector<double>{} : records_[0]; });
}

void SimulatedOscilloscope::reset() {
    span_s_ = 1e-6, points_ = 1000, trigger_v_ = 0;
    range_v_.assign(channels, 1.0);
    records_.clear();
    note_overload(false);
}

void SimulatedOscilloscope::acquire() {
    stage_->spend(span_s_);
    records_.clear();
    bool clipped = false;
    const WaveDisplay display{span_s_, static_cast<std::size_t>(points_)};
    const auto bus = stage_->bus(port_);
    const auto pair = stage_->pair(port_);
    auto played = stage_->arriving_samples(role_);
    if (!played) played = stage_->arriving_samples(port_);
    const auto looped = stage_->looped(port_);
    for (std::size_t channel = 0; channel < channels; ++channel) {
        const auto waveform =
            stage_->waveform(channel == 0 ? port_ : port_ + "-" + std::to_string(channel + 1));
        const auto seed =
            seed_of(stage_->options().seed, stage_->state_text() + std::to_string(channel), acquisitions_++);
        std::vector<double> record(display.points);
        if (waveform) record = show_waveform(*waveform, display, seed);
        if (bus && channel < 2) record = show_bus(*bus, channel == 0, display, seed);
        if (pair && channel < 2) record = show_pair(*pair, channel == 1, display, seed);
        if (played && channel == 0) record = show_samples(*played, display, seed);
        if (looped && channel == 0) record = show_looped(looped->first, looped->second, display, seed);
        // The instrument's own noise and its converter's range.
        Random random(seed ^ 0x5eed);
        for (double& v : record) {
            v += 0.0005 * range_v_[channel] * random.normal();
            if (std::abs(v) <= range_v_[channel]) continue;
            clipped = true;
            v = std::copysign(range_v_[channel], v);
        }
        records_.push_back(std::move(record));
    }
    note_overload(clipped);
}

SimulatedNetworkAnalyser::SimulatedNetworkAnalyser(std::shared_ptr<Stage> stage, std::string role,
                                                   std::string wire_from)
    : ScpiInstrument(std::move(stage), "network analyser", wire_from),
      role_(std::move(role)),
      wire_from_(std::move(wire_from)) {
    add_format();
    const auto stale = [this] { trace_.clear(); };
    const auto sweeps = [this, stale] {
        held_ = false;
        send_signal();
        stale();
    };
    number("[SENSe]:FREQuency:STARt", start_hz_, ScpiUnit::hertz, {9e3, 110e9, 1e6}, sweeps);
    number("[SENSe]:FREQuency:STOP", stop_hz_, ScpiUnit::hertz, {9e3, 110e9, 3e9}, sweeps);
    number("SOURce:FREQuency:[CW]", held_hz_, ScpiUnit::hertz, {9e3, 110e9, 1e9}, [this, stale] {
        held_ = true;
        send_signal();
        stale();
    });
    number("SOURce:POWer:SLOPe", slope_db_, ScpiUnit::decibel, {-2, 2, 0}, [this] { send_signal(); });
    flag("SOURce:CORRection:STATe", table_on_, [this] { send_signal(); });
    tree_.on(
        "SOURce:CORRection:DATA",
        [this](const ScpiArguments& given) {
            // In quotes or bare.
            std::string all;
            for (const auto& part : given) all += (all.empty() ? "" : ",") + part;
            std::erase(all, '"');
            const auto a = split(all, ',');
            std::vector<std::pair<double, double>> table;
            const bool none = a.size() == 1 && a[0] == "NONE";
            for (std::size_t i = 0; i + 1 < a.size(); i += 2)
                table.emplace_back(scpi_number(std::string(a[i]), ScpiUnit::hertz, {9e3, 110e9, 1e9}),
                                   scpi_number(std::string(a[i + 1]), ScpiUnit::decibel, {-60, 60, 0}));
            if ((a.size() % 2 != 0 && !none) || !std::is_sorted(table.begin(), table.end()))
                throw ScpiError{-220, "Parameter error; frequencies must rise, each with its level"};
            table_text_ = none ? "" : all;
            table_ = std::move(table);
            send_signal();
        },
        [this](const auto&) { return table_text_.empty() ? "NONE" : table_text_; });
    number("[SENSe]:SWEep:POINts", points_, ScpiUnit::plain, {2, 100001, 201}, [this, stale] {
        points_ = std::round(points_);
        stale();
    });
    number("[SENSe]:BANDwidth:[RESolution]", bandwidth_hz_, ScpiUnit::hertz, {1, 1e6, 1e3}, stale);
    number("SOURce:POWer:[LEVel]", power_dbm_, ScpiUnit::dbm, {-80, 10, -10}, [this, stale] {
        send_signal();
        stale();
    });
    number("SOURce:POWer:ATTenuation", attenuation_db_, ScpiUnit::decibel, {0, 70, 0}, [this, stale] {
        attenuation_db_ = 10 * std::round(attenuation_db_ / 10);
        stale();
    });
    flag("OUTPut:[STATe]", output_, [this] { send_signal(); });
    flag("[SENSe]:CORRection:STATe", corrected_, stale);
    send_signal();
    word("CALCulate:PARameter", parameter_, {"S11", "S12", "S21", "S22", "A2B2", "A1B1"}, stale);
    tree_.on_command("INITiate:[IMMediate]", [this](const auto&) { sweep(); });
    tree_.on_query("TRACe:[DATA]", [this](const auto&) {
        if (trace_.empty()) throw ScpiError{-230, "Data corrupt or stale"};
        return numbers(trace_);
    });
}

void SimulatedNetworkAnalyser::reset() {
    corrected_ = output_ = true;
    attenuation_db_ = slope_db_ = 0, held_hz_ = 1e9, held_ = false;
    table_on_ = false;
    start_hz_ = 1e6, stop_hz_ = 3e9, points_ = 201, bandwidth_hz_ = 1e3, power_dbm_ = -10;
    parameter_ = 0;
    trace_.clear();
    note_overload(false);
}

void SimulatedNetworkAnalyser::send_signal() {
    stage_->set_signal(output_ ? std::optional(power_dbm_) : std::nullopt);
    stage_->set_tone(role_, {held_hz_, level_at(held_hz_), output_ && held_, false});
}

double SimulatedNetworkAnalyser::level_at(double hz) const {
    double level = power_dbm_ + slope_db_ * (hz - start_hz_) / 1e9;
    if (!table_on_ || table_.empty()) return level;
    const auto above = std::lower_bound(table_.begin(), table_.end(), std::pair(hz, -1e9));
    if (above == table_.begin()) return level + table_.front().second;
    if (above == table_.end()) return level + table_.back().second;
    const auto& [x1, y1] = *above;
    const auto& [x0, y0] = *(above - 1);
    return level + y0 + (y1 - y0) * (hz - x0) / (x1 - x0);
}

void SimulatedNetworkAnalyser::sweep_wafer() {
    const Wafer& wafer = *stage_->unit().surroundings().wafer;
    const double noise = wafer.noise * std::pow(10, (-10 - power_dbm_) / 20) * std::sqrt(bandwidth_hz_ / 1e3);
    const double drift = wafer.drift_per_hour * stage_->seconds() / 3600;
    Random random(seed_of(stage_->options().seed, wire_from_, sweeps_++));
    trace_.clear();
    const auto device = stage_->probed();
    for (double i = 0; i < points_; ++i) {
        const double hz = start_hz_ + (stop_hz_ - start_hz_) * i / (points_ - 1);
        const ProbeBoxes boxes = probe_boxes(hz, attenuation_db_, drift);
        const Two actual = device(hz);
        const Two seen = corrected_ ? actual : boxes.read(actual, wafer.crosstalk);
        const Complex all[]{seen.a, seen.b, seen.c, seen.d, boxes.forward, boxes.backward};
        const Complex value = output_ ? all[parameter_] : Complex(0);
        trace_.push_back(value.real() + noise * random.normal() / std::sqrt(2));
        trace_.push_back(value.imag() + noise * random.normal() / std::sqrt(2));
    }
    note_overload(power_dbm_ > 5);
}

// A wire of 10 ns with its loss, matched to 26 dB. The noise follows bandwidth and source power.
void SimulatedNetworkAnalyser::sweep() {
    if (!(stop_hz_ > start_hz_)) throw ScpiError{-221, "Settings conflict"};
    stage_->spend(points_ / bandwidth_hz_);
    if (stage_->unit().surroundings().wafer) return sweep_wafer();
    if (parameter_ > 3) throw ScpiError{-221, "Settings conflict"};
    const auto wire = stage_->wire(wire_from_, "");
    const auto load = stage_->load(wire_from_);
    constexpr double delay_s = 10e-9, reflection = 0.05;
    const double noise = std::pow(10, (-120 - power_dbm_ + 10 * std::log10(bandwidth_hz_)) / 20);
    Random random(seed_of(stage_->options().seed, wire_from_, sweeps_++));
    trace_.clear();
    for (double i = 0; i < points_; ++i) {
        const double hz = start_hz_ + (stop_hz_ - start_hz_) * i / (points_ - 1);
        const bool through = parameter_ == 1 || parameter_ == 2;
        if (load) {
            const auto [own, other] = load->scattering(hz);
            const auto s = through ? other : own;
            trace_.push_back(s.real() + noise * random.normal());
            trace_.push_back(s.imag() + noise * random.normal());
            continue;
        }
        const double size =
            through ? (wire ? std::pow(10, -wire->loss_at(hz) / 20) : 1e-5) : (wire ? reflection : 1.0);
        const double delay = through ? delay_s : 2 * delay_s;
        const auto value = std::polar(size, -2 * std::numbers::pi * hz * delay);
        trace_.push_back(value.real() + noise * random.normal());
        trace_.push_back(value.imag() + noise * random.normal());
    }
    note_overload(false);
}

}  // namespace rt::lab
