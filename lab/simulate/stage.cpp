#include "lab/simulate/stage.hpp"

#include <algorithm>
#include <cmath>
#include <set>
#include <thread>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt::lab {

using Lock = std::lock_guard<std::mutex>;

Stage::Stage(std::shared_ptr<SimulatedUnit> unit, Options options)
    : unit_(std::move(unit)), options_(options), output_(!options.supplied) {
    volts_ = options.supplied ? 0 : unit_->supply_volts();
}

double Stage::seconds() const {
    const Lock lock(mutex_);
    return spent_s_;
}

void Stage::spend(double seconds) {
    if (!options_.instant) std::this_thread::sleep_for(std::chrono::duration<double>(seconds));
    const Lock lock(mutex_);
    spent_s_ += seconds;
}

void Stage::set_tone(const std::string& generator, Tone tone) {
    const Lock lock(mutex_);
    Tone& known = tones_[generator];
    if (known == tone) return;
    known = tone;
    constexpr std::size_t most = 1000;
    changes_.push_back({std::chrono::steady_clock::now(), generator, tone});
    if (changes_.size() > most) changes_.pop_front();
}

void Stage::set_samples(const std::string& generator, PlayedSamples played) {
    std::uint64_t print = 0;
    if (played.there())
        print =
            fnv1a({reinterpret_cast<const char*>(played.volts->data()), played.volts->size() * sizeof(float)},
                  fnv1a(exact(played.rate_hz)));
    const bool bursts = powered() && holds_bursts(played);
    const Lock lock(mutex_);
    samples_[generator] = std::move(played);
    played_[generator] = print;
    for (const auto& wire : unit_->surroundings().wires) {
        if (bursts && wire.from == generator) up_.insert(wire.to);
    }
}

std::optional<PlayedSamples> Stage::arriving_samples(const std::string& end) const {
    std::optional<Wire> way;
    PlayedSamples played;
    {
        const Lock lock(mutex_);
        for (const auto& wire : unit_->surroundings().wires) {
            const auto source = samples_.find(wire.from);
            if (wire.to != end || source == samples_.end() || !source->second.there()) continue;
            way = wire, played = source->second;
        }
    }
    return way ? std::optional(behind(played, *way)) : std::nullopt;
}

void Stage::set_iq(const std::string& generator, PlayedIq played) {
    const LandingHeard heard = heard_of(played, 0);
    const Lock lock(mutex_);
    landing_[generator] = heard;
    iq_[generator] = std::move(played);
}

std::vector<ArrivingIq> Stage::arriving_iq(const std::string& end) const {
    std::vector<ArrivingIq> out;
    const Lock lock(mutex_);
    for (const auto& wire : unit_->surroundings().wires) {
        const auto tone = tones_.find(wire.from);
        const auto played = iq_.find(wire.from);
        if (wire.to != end || tone == tones_.end() || played == iq_.end()) continue;
        if (!tone->second.on || !tone->second.modulated || !played->second.samples) continue;
        out.push_back({played->second, level_behind(wire, tone->second), tone->second.frequency_hz});
    }
    return out;
}

std::optional<std::pair<LandingReceiver, LandingHeard>> Stage::landing_receiver(
    const std::string& port) const {
    const auto receiver = present(unit_->surroundings().landings, port);
    if (!receiver) return std::nullopt;
    constexpr double channel_hz = 20e3;
    LandingHeard heard;
    const Lock lock(mutex_);
    for (const auto& wire : unit_->surroundings().wires) {
        const auto tone = tones_.find(wire.from);
        if (wire.to != port || tone == tones_.end() || !tone->second.on) continue;
        if (std::abs(tone->second.frequency_hz - receiver->frequency_hz) > channel_hz) continue;
        const double level = level_behind(wire, tone->second);
        const auto played = landing_.find(wire.from);
        LandingHeard one;
        one.carrier_dbm = level;
        if (tone->second.modulated && played != landing_.end()) {
            one = played->second;
            one.carrier_dbm += level;
        }
        if (one.carrier_dbm > heard.carrier_dbm) heard = one;
    }
    return std::pair{*receiver, heard};
}

std::optional<std::pair<Looped, PlayedSamples>> Stage::looped(const std::string& out) const {
    if (!powered() || hung()) return std::nullopt;
    for (const Looped& one : unit_->surroundings().looped) {
        if (one.out != out || !unit_->holds_now(one.when)) continue;
        auto arriving = arriving_samples(one.port);
        if (!arriving) continue;
        if (one.out_of_band) {
            const Lock lock(mutex_);
            if (!up_.contains(one.port)) continue;
        }
        Looped now = one;
        const auto moved = [&](const std::string& setting, Unit unit) {
            if (setting.empty()) return 0.0;
            try {
                return parse_quantity(unit_->get(setting), unit).value;
            } catch (const Error&) {
                return 0.0;
            }
        };
        now.phase_ui = moved(now.phase_setting, Unit::unit_interval);
        now.threshold_v += moved(now.threshold_setting, Unit::volt);
        return std::pair{std::move(now), std::move(*arriving)};
    }
    return std::nullopt;
}

Stage::Tone Stage::tone(const std::string& generator) const {
    const Lock lock(mutex_);
    const auto at = tones_.find(generator);
    return at == tones_.end() ? Tone{} : at->second;
}
void Stage::set_attenuation(const std::string& attenuator, double db) {
    const Lock lock(mutex_);
    attenuations_[attenuator] = db;
}
void Stage::set_supply(double volts, double limit_a, bool on) {
    {
        const Lock lock(mutex_);
        volts_ = volts, limit_a_ = limit_a, output_ = on;
        if (!on) hung_ = false, up_.clear();
    }
    if (!on) unit_->restart();
}
void Stage::set_angle(double degrees) {
    const Lock lock(mutex_);
    angle_deg_ = degrees;
}
void Stage::set_height(double metres) {
    const Lock lock(mutex_);
    height_m_ = metres;
}

void Stage::set_probes(const ProbePlace& place) {
    const Lock lock(mutex_);
    probes_ = place;
}
void Stage::set_bias(const ProbeBias& bias) {
    const Lock lock(mutex_);
    bias_ = bias;
}
void Stage::set_signal(std::optional<double> dbm) {
    const Lock lock(mutex_);
    signal_dbm_ = dbm;
}

Wafer::Currents Stage::probe_currents() const {
    const auto& wafer = unit_->surroundings().wafer;
    const Lock lock(mutex_);
    return wafer ? wafer->currents(probes_, bias_, signal_dbm_) : Wafer::Currents{};
}

std::function<Two(double)> Stage::probed() const {
    const Lock lock(mutex_);
    return unit_->surroundings().wafer->scattering(probes_, bias_, signal_dbm_);
}

bool Stage::powered() const {
    const Lock lock(mutex_);
    return output_ && volts_ >= 0.8 * unit_->supply_volts() && limit_a_ > 0;
}

double Stage::current() const {
    if (!powered()) return 0;
    double sum = 0;
    for (const auto& draw : unit_->surroundings().draws) {
        if (unit_->holds_now(draw.when)) sum += draw.ampere;
    }
    const Lock lock(mutex_);
    return std::min(sum, limit_a_);
}

double Stage::temperature() const {
    const double passed = seconds();
    return unit_->temperature(powered() ? passed : 0);
}

std::vector<EmittedLine> Stage::arriving(const std::string& end) const {
    std::vector<EmittedLine> out;
    const Lock lock(mutex_);
    for (const auto& wire : unit_->surroundings().wires) {
        if (wire.to != end) continue;
        const auto tone = tones_.find(wire.from);
        if (tone == tones_.end() || !tone->second.on) continue;
        out.push_back({tone->second.frequency_hz, level_behind(wire, tone->second), 1});
    }
    return out;
}

// Of these, the one at the port that is there under the present settings.
template <typename Thing>
std::optional<Thing> Stage::present(const std::vector<Thing>& things, const std::string& port) const {
    if (!powered() || hung()) return std::nullopt;
    for (const Thing& thing : things) {
        if (thing.port == port && unit_->holds_now(thing.when)) return thing;
    }
    return std::nullopt;
}

double Stage::level_behind(const Wire& wire, const Tone& tone) const {
    const auto attenuator = attenuations_.find(wire.attenuator);
    return tone.level_dbm - wire.loss_at(tone.frequency_hz) -
           (attenuator != attenuations_.end() ? attenuator->second : 0);
}

Stage::Watch Stage::watch() const {
    const Lock lock(mutex_);
    return {std::chrono::steady_clock::now(), tones_};
}

std::vector<Heard> Stage::heard(const Watch& watch, const std::string& port, const std::string& role,
                                double seconds) const {
    std::vector<Heard> out;
    const Lock lock(mutex_);
    const auto& wires = unit_->surroundings().wires;
    const auto wire_to = [&](const std::string& generator, const std::string& end) {
        return std::find_if(wires.begin(), wires.end(),
                            [&](const Wire& wire) { return wire.from == generator && wire.to == end; });
    };
    for (const auto& [generator, first] : watch.tones) {
        const auto to_unit = wire_to(generator, port), to_role = wire_to(generator, role);
        if (to_unit == wires.end()) continue;
        Tone tone = first;
        double from = 0;
        const auto until = [&](double to) {
            if (tone.on && to > from) {
                constexpr double nothing = -300;
                out.push_back({from, to, tone.frequency_hz, level_behind(*to_unit, tone),
                               to_role == wires.end() ? nothing : level_behind(*to_role, tone),
                               tone.modulated});
            }
            from = to;
        };
        for (const auto& change : changes_) {
            if (change.generator != generator || change.at < watch.begun) continue;
            until(std::min(seconds, std::chrono::duration<double>(change.at - watch.begun).count()));
            tone = change.tone;
        }
        until(seconds);
    }
    std::sort(out.begin(), out.end(), [](const Heard& a, const Heard& b) { return a.from_s < b.from_s; });
    return out;
}

// Those at the port that are there now, weaker by the wire to the role.
template <typename Thing>
std::vector<Thing> Stage::arriving_of(const std::vector<Thing>& things, const std::string& port,
                                      const std::string& role) const {
    std::vector<Thing> out;
    if (!powered() || hung()) return out;
    const auto way = wire(port, role);
    for (const Thing& thing : things) {
        if (thing.port != port || !unit_->holds_now(thing.when)) continue;
        out.push_back(thing);
        if (way) out.back().level_dbm -= way->loss_at(thing.frequency_hz);
    }
    return out;
}

std::vector<SimulatedBeacon> Stage::beacons(const std::string& port, const std::string& role) const {
    return arriving_of(unit_->surroundings().beacons, port, role);
}

std::vector<SimulatedHoming> Stage::homings(const std::string& port, const std::string& role) const {
    return arriving_of(unit_->surroundings().homings, port, role);
}

std::optional<Sharing> Stage::sharing(const std::string& port, const std::string& role) const {
    auto out = present(unit_->surroundings().sharings, port);
    if (!out) return out;
    if (const auto way = wire(port, role)) out->level_dbm -= way->loss_at(out->frequency_hz);
    return out;
}

Emission Stage::emission(const std::string& port, const std::string& role) const {
    if (!powered() || hung()) return {};
    double gain = 0;
    const double passed = seconds();
    {
        const Lock lock(mutex_);
        gain = drift_db_;
        for (const auto& pattern : unit_->surroundings().patterns) {
            if (pattern.port == port) gain += pattern.gain_db(angle_deg_, height_m_);
        }
    }
    Emission out = unit_->emission(port, passed, gain);
    for (const auto& through : unit_->surroundings().throughs) {
        if (through.to != port || !unit_->holds_now(through.when)) continue;
        for (auto line : arriving(through.from)) {
            // Soft saturation: the output approaches its highest level.
            const double ideal = line.level_dbm + through.gain_db;
            line.level_dbm = ideal - 10 * std::log10(1 + std::pow(10, (ideal - through.saturation_dbm) / 10));
            out.lines.push_back(line);
        }
    }
    std::sort(out.lines.begin(), out.lines.end(),
              [](const auto& a, const auto& b) { return a.frequency_hz < b.frequency_hz; });
    for (const auto& wire : unit_->surroundings().wires) {
        if (role.empty() || wire.from != port || wire.to != role) continue;
        for (auto& line : out.lines) line.level_dbm -= wire.loss_at(line.frequency_hz);
        for (auto& noise : out.noise) {
            noise.density_dbm_hz -= wire.loss_at(noise.from_hz);
            noise.density_to_dbm_hz -= wire.loss_at(noise.to_hz);
        }
        for (auto& carrier : out.carriers) {
            carrier.level_dbm -= wire.loss_at(carrier.frequency_hz);
            carrier.regrowth_dbm -= wire.loss_at(carrier.frequency_hz);
        }
    }
    return out;
}

std::optional<Receiver> Stage::receiver(const std::string& port) const {
    if (!powered() || hung()) return std::nullopt;
    for (const auto& receiver : unit_->surroundings().receivers) {
        if (receiver.port == port && unit_->holds_now(receiver.when)) return receiver;
    }
    return std::nullopt;
}

std::vector<DeviceAround> Stage::devices(const std::string& port) const {
    const bool alive = powered() && !hung();
    std::vector<DeviceAround> out;
    for (const auto& one : unit_->surroundings().devices) {
        if (one.port == port && (alive || one.loss) && unit_->holds_now(one.when)) out.push_back(one);
    }
    return out;
}

std::optional<Stage::Reception> Stage::reception(const std::string& port) const {
    const auto tuned = receiver(port);
    if (!tuned) return std::nullopt;
    Reception out;
    double beside_dbm = -300;
    for (const auto& line : arriving(port)) {
        const bool within = !tuned->frequency_hz ||
                            std::abs(line.frequency_hz - *tuned->frequency_hz) <= tuned->bandwidth_hz / 2;
        double& level = within ? out.level_dbm : beside_dbm;
        level = std::max(level, line.level_dbm);
    }
    out.loss = tuned->loss_share(out.level_dbm, beside_dbm);
    return out;
}

bool Stage::associated(const std::string& port) {
    const auto tuned = receiver(port);
    const auto heard = reception(port);
    if (!tuned || !heard) return false;
    const bool well = heard->level_dbm >= tuned->association_dbm;
    if (!tuned->sticky) return well;
    const Lock lock(mutex_);
    if (!well) lost_.insert(port);
    return !lost_.contains(port);
}

void Stage::connect() {
    for (const auto& one : unit_->surroundings().receivers) {
        const auto tuned = receiver(one.port);
        const auto heard = reception(one.port);
        if (!tuned || !heard || heard->level_dbm < tuned->association_dbm) continue;
        const Lock lock(mutex_);
        lost_.erase(one.port);
    }
}

std::optional<std::string> Stage::link() {
    for (const auto& one : unit_->surroundings().looped) {
        if (!one.out_of_band || !unit_->holds_now(one.when)) continue;
        const Lock lock(mutex_);
        return up_.contains(one.port) ? "up" : "down";
    }
    for (const auto& one : unit_->surroundings().receivers) {
        if (receiver(one.port)) return associated(one.port) ? "up" : "down";
    }
    return std::nullopt;
}

std::optional<double> Stage::reported_level() const {
    for (const auto& one : unit_->surroundings().receivers) {
        const auto tuned = receiver(one.port);
        if (const auto heard = reception(one.port); tuned && heard && heard->level_dbm > -200)
            return tuned->reported(heard->level_dbm,
                                   [&](const std::string& name) { return unit_->get(name); });
    }
    return std::nullopt;
}

std::optional<Registers> Stage::module_registers(const std::string& port) const {
    const auto module = present(unit_->surroundings().modules, port);
    return module ? std::optional(module->registers) : std::nullopt;
}

std::optional<DigitalWaveform> Stage::waveform(const std::string& port) const {
    return present(unit_->surroundings().waveforms, port);
}

std::optional<BusTraffic> Stage::bus(const std::string& port) const {
    return present(unit_->surroundings().buses, port);
}

std::optional<LinePair> Stage::pair(const std::string& port) const {
    return present(unit_->surroundings().pairs, port);
}

std::optional<PairLoad> Stage::load(const std::string& port) const {
    return present(unit_->surroundings().loads, port);
}

std::optional<Wire> Stage::wire(const std::string& from, const std::string& to) const {
    for (const auto& wire : unit_->surroundings().wires) {
        if (wire.from == from && (to.empty() || wire.to == to)) return wire;
    }
    return std::nullopt;
}

std::string Stage::state_text() const {
    const Lock lock(mutex_);
    std::string out = unit_->state_text();
    for (const auto& [name, tone] : tones_) {
        if (tone.on) out += name + ":" + exact(tone.frequency_hz) + "," + exact(tone.level_dbm) + ";";
    }
    for (const auto& [name, db] : attenuations_) out += name + ":" + exact(db) + ";";
    for (const auto& [name, print] : played_) {
        if (print != 0) out += name + "#" + std::to_string(print) + ";";
    }
    return out + exact(angle_deg_) + ";" + exact(height_m_) + ";";
}

void Stage::hang() {
    const Lock lock(mutex_);
    hung_ = true;
}
bool Stage::hung() const {
    const Lock lock(mutex_);
    return hung_;
}
void Stage::take_no_settings() {
    const Lock lock(mutex_);
    follows_ = false;
}
bool Stage::follows() const {
    const Lock lock(mutex_);
    return follows_;
}
void Stage::drift(double db) {
    const Lock lock(mutex_);
    drift_db_ += db;
}

}  // namespace rt::lab
