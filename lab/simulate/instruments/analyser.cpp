#include "lab/simulate/instruments/analyser.hpp"

#include <algorithm>
#include <chrono>
#include <cmath>
#include <thread>

#include "core/base/text.hpp"
#include "core/dsp/detect.hpp"
#include "lab/bench/numbers.hpp"
#include "lab/simulate/made_spectrum.hpp"
#include "lab/simulate/random.hpp"

namespace rt::lab {
namespace {

const std::vector<std::string> detectors{"POSitive", "NEGative", "SAMPle",  "AVERage",
                                         "RMS",      "QPEak",    "MAVerage"};
constexpr Detector detector_of[] = {Detector::peak,         Detector::negative_peak, Detector::sample,
                                    Detector::average,      Detector::rms,           Detector::quasi_peak,
                                    Detector::cispr_average};
const std::vector<std::string> power_units{"DBM", "DBUV"};
constexpr double dbm_to_dbuv_50 = 106.98970004336019;

}  // namespace

SimulatedAnalyser::SimulatedAnalyser(std::shared_ptr<Stage> stage, Options options)
    : ScpiInstrument(std::move(stage), "analyser", options.port), options_(std::move(options)) {
    SimulatedAnalyser::reset();
    add_format();
    add_settings();
    add_trace_commands();
    add_sample_commands();
    add_picture([this] { return trace_dbm_.empty() ? envelope_dbm() : trace_dbm_; });
}

void SimulatedAnalyser::reset() {
    start_hz_ = 9e3, stop_hz_ = 3e9, bandwidth_hz_ = 100e3, dwell_s_ = 0.01, reference_dbm_ = 0,
    attenuation_db_ = 10;
    points_ = 1001;
    attenuation_coupled_ = true;
    continuous_ = false;
    detector_ = power_unit_ = 0;
    centre_hz_ = 1e9, sample_rate_hz_ = 10e6, samples_ = 10000;
    record_ = {};
    trace_dbm_.clear();
    note_overload(false);
}

void SimulatedAnalyser::add_settings() {
    const auto stale = [this] { trace_dbm_.clear(); };  // what was swept before no longer fits the settings
    number("[SENSe]:FREQuency:STARt", start_hz_, ScpiUnit::hertz, {0, 6e9, 9e3}, stale);
    number("[SENSe]:FREQuency:STOP", stop_hz_, ScpiUnit::hertz, {0, 6e9, 3e9}, stale);
    number("[SENSe]:BANDwidth:[RESolution]", bandwidth_hz_, ScpiUnit::hertz, {10, 10e6, 100e3}, stale);
    number("[SENSe]:SWEep:POINts", points_, ScpiUnit::plain, {2, 100001, 1001}, [this, stale] {
        points_ = std::round(points_);
        stale();
    });
    number("[SENSe]:SWEep:DWELl", dwell_s_, ScpiUnit::second, {1e-6, 100, 0.01}, stale);
    number("INPut:ATTenuation", attenuation_db_, ScpiUnit::decibel, {0, 60, 10}, [this, stale] {
        attenuation_coupled_ = false;
        stale();
    });
    number("DISPlay:[WINDow]:TRACe:Y:[SCALe]:RLEVel", reference_dbm_, ScpiUnit::dbm, {-120, 50, 0}, stale);
    flag("INPut:ATTenuation:AUTO", attenuation_coupled_);
    word("[SENSe]:DETector:[FUNCtion]", detector_, detectors);
    word("UNIT:POWer", power_unit_, power_units);
}

void SimulatedAnalyser::add_trace_commands() {
    tree_.on_command("INITiate:[IMMediate]", [this](const auto&) { sweep(); });
    flag("INITiate:CONTinuous", continuous_);
    tree_.on_query("TRACe:[DATA]", [this](const ScpiArguments& a) {
        scpi_word(only_argument(a), {"TRACE1"});
        if (trace_dbm_.empty()) throw ScpiError{-230, "Data corrupt or stale"};
        return numbers(shown());
    });
}

void SimulatedAnalyser::add_sample_commands() {
    const auto stale = [this] { record_ = {}; };
    number("[SENSe]:FREQuency:CENTer", centre_hz_, ScpiUnit::hertz, {0, 6e9, 1e9}, stale);
    number("[SENSe]:SAMPle:RATE", sample_rate_hz_, ScpiUnit::hertz, {1e3, 200e6, 10e6}, stale);
    number("[SENSe]:SAMPle:COUNt", samples_, ScpiUnit::plain, {1, 20e6, 10000}, [this, stale] {
        samples_ = std::round(samples_);
        stale();
    });
    tree_.on_command("INITiate:SAMPle", [this](const auto&) { record(); });
    tree_.on_query("[SENSe]:SAMPle:FSCale", [this](const auto&) { return exact(reference_dbm_ + 3); });
    tree_.on_query("FETCh:SAMPle", [this](const auto&) {
        if (record_.samples.empty()) throw ScpiError{-230, "Data corrupt or stale"};
        const std::string bytes(reinterpret_cast<const char*>(record_.samples.data()),
                                record_.samples.size() * sizeof(record_.samples.front()));
        return block_of(bytes);
    });
}

// What its screen shows of a record: the highest level of each piece.
std::vector<double> SimulatedAnalyser::envelope_dbm() const {
    constexpr std::size_t most = 600;
    std::vector<double> out(std::min(most, record_.samples.size()), -200);
    for (std::size_t i = 0; i < record_.samples.size(); ++i) {
        double& level = out[i * out.size() / record_.samples.size()];
        level =
            std::max(level, record_.full_scale_dbm + 10 * std::log10(std::norm(record_.samples[i]) + 1e-20));
    }
    return out;
}

// What generators at the end of the wire play, and modems at the port send.
std::vector<ArrivingIq> SimulatedAnalyser::heard_iq() const {
    auto out = stage_->arriving_iq(options_.role);
    for (auto& sent : stage_->sent_iq(options_.port, options_.role)) out.push_back(std::move(sent));
    return out;
}

void SimulatedAnalyser::record() {
    IqSetup setup{centre_hz_, sample_rate_hz_, samples_ / sample_rate_hz_, reference_dbm_};
    if (attenuation_coupled_)
        attenuation_db_ = std::clamp(std::ceil((reference_dbm_ + 20) / 5) * 5, 0.0, 60.0);
    const std::string key = stage_->state_text() + "samples " + exact(centre_hz_) + "," +
                            exact(sample_rate_hz_) + "," + exact(samples_) + "," + exact(reference_dbm_);
    const std::uint64_t seed =
        fnv1a(key + "#" + std::to_string(visits_[key]++), fnv1a(std::to_string(stage_->options().seed)));
    const Emission emission = stage_->emission(options_.port, options_.role);
    const auto sharing = stage_->sharing(options_.port, options_.role);
    const Stage::Watch watch = stage_->watch();
    const auto beacons = stage_->beacons(options_.port, options_.role);
    const auto homings = stage_->homings(options_.port, options_.role);
    const auto played = heard_iq();
    const double now = stage_->seconds();
    MoreSamples more = [&](auto& samples, double full_scale_dbm) {
        for (const auto& beacon : beacons) add_beacon(samples, setup, full_scale_dbm, beacon, now);
        for (const auto& homing : homings) add_homing(samples, setup, full_scale_dbm, homing, now);
        const double even = Random(seed).uniform();
        for (const auto& one : played) add_played(samples, setup, full_scale_dbm, one, even);
    };
    if (sharing) {
        // Who switches an interferer meanwhile does so in real time.
        std::this_thread::sleep_for(std::chrono::duration<double>(setup.duration_s));
        more = [&](auto& samples, double full_scale_dbm) {
            add_sharing(samples, setup, full_scale_dbm, *sharing,
                        stage_->heard(watch, options_.port, options_.role, setup.duration_s), seed);
        };
    } else {
        stage_->spend(setup.duration_s);
    }
    record_ = record_samples(emission, setup, {reference_dbm_, attenuation_db_, InputStage{}.noise_figure_db},
                             seed, more);
    note_overload(record_.overload);
}

std::vector<double> SimulatedAnalyser::shown() const {
    std::vector<double> out = trace_dbm_;
    if (power_unit_ == 1) {
        for (double& level : out) level += dbm_to_dbuv_50;
    }
    return out;
}

void SimulatedAnalyser::sweep() {
    if (!(stop_hz_ > start_hz_)) throw ScpiError{-221, "Settings conflict"};
    SpectrumSetup setup;
    setup.start_hz = start_hz_, setup.stop_hz = stop_hz_, setup.points = static_cast<std::size_t>(points_);
    setup.resolution_bandwidth_hz = bandwidth_hz_, setup.dwell_s = dwell_s_;
    setup.detector = detector_of[detector_];
    double longer = 0;
    if (has_meter(setup.detector)) {
        if (const auto band = cispr_band_with(bandwidth_hz_)) {
            longer = band->settling_s();
        } else {
            tree_.push_error({-221, "Settings conflict"});
            setup.detector = Detector::peak;
        }
    }
    // Coupled attenuation keeps the reference level at -20 dBm at the mixer, in steps of 5 dB.
    if (attenuation_coupled_)
        attenuation_db_ = std::clamp(std::ceil((reference_dbm_ + 20) / 5) * 5, 0.0, 60.0);
    const std::string key = stage_->state_text() + exact(start_hz_) + "," + exact(stop_hz_) + "," +
                            exact(bandwidth_hz_) + "," + std::to_string(detector_) + "," +
                            exact(reference_dbm_);
    const std::uint64_t seed =
        fnv1a(key + "#" + std::to_string(visits_[key]++), fnv1a(std::to_string(stage_->options().seed)));
    Emission emission = stage_->emission(options_.port, options_.role);
    for (const auto& sent : heard_iq()) {
        auto density = density_of(sent, bandwidth_hz_);
        if (!density.mw_per_hz.empty()) emission.made.push_back(std::move(density));
    }
    stage_->spend((dwell_s_ + longer) * std::ceil((stop_hz_ - start_hz_) / options_.scan_bandwidth_hz));
    auto display =
        show(emission, setup, {reference_dbm_, attenuation_db_, InputStage{}.noise_figure_db}, seed);
    trace_dbm_ = std::move(display.level_dbm);
    note_overload(display.overload);
}

}  // namespace rt::lab
