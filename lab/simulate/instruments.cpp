#include "lab/simulate/instruments.hpp"

#include <algorithm>
#include <bit>
#include <chrono>
#include <cmath>
#include <cstring>
#include <thread>

#include "core/base/text.hpp"

namespace rt {
namespace {

const std::vector<std::string> detectors{"POSitive", "NEGative", "SAMPle", "AVERage", "RMS"};
constexpr Detector detector_of[] = {Detector::peak, Detector::negative_peak, Detector::sample,
                                    Detector::average, Detector::rms};
const std::vector<std::string> power_units{"DBM", "DBUV"};
constexpr double dbm_to_dbuv_50 = 106.98970004336019;
constexpr int questionable_power = 8;  // bit 3, SCPI-1999 volume 1, 9.4

std::string flag_text(bool on) {
    return on ? "1" : "0";
}

bool scpi_flag(const ScpiArguments& arguments) {
    return scpi_word(only_argument(arguments), {"0", "1", "OFF", "ON"}) % 2 == 1;
}

}  // namespace

void add_common_commands(ScpiTree& tree, const std::string& identity, std::function<void()> reset) {
    tree.on_query("*IDN", [identity](const auto&) { return identity; });
    tree.on_command("*RST", [reset](const auto&) { reset(); });
    tree.on_command("*CLS", [&tree](const auto&) {
        tree.clear_errors();
        tree.take_events();
    });
    tree.on(
        "*OPC", [&tree](const auto&) { tree.complete(); }, [](const auto&) { return std::string("1"); });
    tree.on_command("*WAI", [](const auto&) {});
    tree.on_query("*TST", [](const auto&) { return std::string("0"); });
    tree.on_query("*ESR", [&tree](const auto&) { return std::to_string(tree.take_events()); });
    auto mask = std::make_shared<int>(0);
    tree.on(
        "*ESE",
        [mask](const ScpiArguments& a) {
            *mask = static_cast<int>(scpi_number(only_argument(a), ScpiUnit::plain, {0, 255, 0}));
        },
        [mask](const auto&) { return std::to_string(*mask); });
    auto requests = std::make_shared<int>(0);
    tree.on(
        "*SRE",
        [requests](const ScpiArguments& a) {
            *requests = static_cast<int>(scpi_number(only_argument(a), ScpiUnit::plain, {0, 255, 0}));
        },
        [requests](const auto&) { return std::to_string(*requests); });
    tree.on_query("*STB",
                  [&tree, mask](const auto&) { return std::to_string((tree.events() & *mask) ? 32 : 0); });
    tree.on_query("SYSTem:ERRor:[NEXT]", [&tree](const auto&) { return tree.pop_error(); });
    tree.on_query("SYSTem:VERSion", [](const auto&) { return std::string("1999.0"); });
}

SimulatedAnalyser::SimulatedAnalyser(std::shared_ptr<SimulatedUnit> unit, Options options)
    : unit_(std::move(unit)), options_(std::move(options)) {
    reset();
    add_common_commands(tree_, "Rare Tally,simulated analyser," + slug(options_.port) + ",1.0",
                        [this] { reset(); });
    add_settings();
    add_trace_commands();
}

void SimulatedAnalyser::reset() {
    start_hz_ = 9e3, stop_hz_ = 3e9, bandwidth_hz_ = 100e3, dwell_s_ = 0.01, reference_dbm_ = 0,
    attenuation_db_ = 10;
    points_ = 1001;
    attenuation_coupled_ = true;
    swapped_ = continuous_ = false;
    detector_ = power_unit_ = format_ = 0;
    trace_dbm_.clear();
    questionable_ = questionable_event_ = 0;
}

void SimulatedAnalyser::number(const std::string& pattern, double& value, ScpiUnit unit, ScpiRange range,
                               std::function<void()> after) {
    tree_.on(
        pattern,
        [this, &value, unit, range, after](const ScpiArguments& a) {
            value = scpi_number(only_argument(a), unit, range);
            trace_dbm_.clear();  // what was swept before no longer fits the settings
            if (after) after();
        },
        [&value, unit, range](const ScpiArguments& a) {
            return exact(a.empty() ? value : scpi_number(only_argument(a), unit, range));
        });
}

void SimulatedAnalyser::add_settings() {
    number("[SENSe]:FREQuency:STARt", start_hz_, ScpiUnit::hertz, {0, 6e9, 9e3});
    number("[SENSe]:FREQuency:STOP", stop_hz_, ScpiUnit::hertz, {0, 6e9, 3e9});
    number("[SENSe]:BANDwidth:[RESolution]", bandwidth_hz_, ScpiUnit::hertz, {10, 10e6, 100e3});
    number("[SENSe]:SWEep:POINts", points_, ScpiUnit::plain, {2, 100001, 1001},
           [this] { points_ = std::round(points_); });
    number("[SENSe]:SWEep:DWELl", dwell_s_, ScpiUnit::second, {1e-6, 100, 0.01});
    number("INPut:ATTenuation", attenuation_db_, ScpiUnit::decibel, {0, 60, 10},
           [this] { attenuation_coupled_ = false; });
    number("DISPlay:[WINDow]:TRACe:Y:[SCALe]:RLEVel", reference_dbm_, ScpiUnit::dbm, {-120, 50, 0});
    tree_.on(
        "INPut:ATTenuation:AUTO", [this](const ScpiArguments& a) { attenuation_coupled_ = scpi_flag(a); },
        [this](const auto&) { return flag_text(attenuation_coupled_); });
    const auto word = [this](const std::string& pattern, std::size_t& value,
                             const std::vector<std::string>& words) {
        tree_.on(
            pattern, [&value, &words](const ScpiArguments& a) { value = scpi_word(only_argument(a), words); },
            [&value, &words](const auto&) {
                std::string out;
                for (const char c : words[value]) {
                    if (!std::islower(static_cast<unsigned char>(c))) out += c;
                }
                return out;
            });
    };
    word("[SENSe]:DETector:[FUNCtion]", detector_, detectors);
    word("UNIT:POWer", power_unit_, power_units);
}

void SimulatedAnalyser::add_trace_commands() {
    tree_.on_command("INITiate:[IMMediate]", [this](const auto&) { sweep(); });
    tree_.on(
        "INITiate:CONTinuous", [this](const ScpiArguments& a) { continuous_ = scpi_flag(a); },
        [this](const auto&) { return flag_text(continuous_); });
    tree_.on(
        "FORMat:[DATA]",
        [this](const ScpiArguments& a) {
            if (a.empty()) throw ScpiError{-109, "Missing parameter"};
            const std::size_t kind = scpi_word(a[0], {"ASCii", "REAL"});
            if (kind == 1 && a.size() > 1 && a[1] != "64") throw ScpiError{-224, "Illegal parameter value"};
            format_ = kind;
        },
        [this](const auto&) { return std::string(format_ == 1 ? "REAL,64" : "ASC,0"); });
    tree_.on(
        "FORMat:BORDer",
        [this](const ScpiArguments& a) {
            swapped_ = scpi_word(only_argument(a), {"NORMal", "SWAPped"}) == 1;
        },
        [this](const auto&) { return std::string(swapped_ ? "SWAP" : "NORM"); });
    tree_.on_query("TRACe:[DATA]", [this](const ScpiArguments& a) {
        scpi_word(only_argument(a), {"TRACE1"});
        return trace();
    });
    tree_.on_query("STATus:QUEStionable:CONDition",
                   [this](const auto&) { return std::to_string(questionable_); });
    tree_.on_query("STATus:QUEStionable:[EVENt]",
                   [this](const auto&) { return std::to_string(std::exchange(questionable_event_, 0)); });
    tree_.on_query("STATus:OPERation:CONDition", [](const auto&) { return std::string("0"); });
    tree_.on_command("STATus:PRESet", [](const auto&) {});
}

void SimulatedAnalyser::sweep() {
    if (!(stop_hz_ > start_hz_)) throw ScpiError{-221, "Settings conflict"};
    SpectrumSetup setup;
    setup.start_hz = start_hz_, setup.stop_hz = stop_hz_, setup.points = static_cast<std::size_t>(points_);
    setup.resolution_bandwidth_hz = bandwidth_hz_, setup.dwell_s = dwell_s_;
    setup.detector = detector_of[detector_];
    // Coupled attenuation keeps the reference level at -20 dBm at the mixer, in steps of 5 dB.
    if (attenuation_coupled_)
        attenuation_db_ = std::clamp(std::ceil((reference_dbm_ + 20) / 5) * 5, 0.0, 60.0);
    const double duration = dwell_s_ * std::ceil((stop_hz_ - start_hz_) / options_.scan_bandwidth_hz);
    if (!options_.instant) std::this_thread::sleep_for(std::chrono::duration<double>(duration));
    const std::string key = unit_->state_text() + exact(start_hz_) + "," + exact(stop_hz_) + "," +
                            exact(bandwidth_hz_) + "," + std::to_string(detector_) + "," +
                            exact(reference_dbm_);
    const std::uint64_t seed =
        fnv1a(key + "#" + std::to_string(visits_[key]++), fnv1a(std::to_string(options_.seed)));
    auto display = show(unit_->emission(options_.port, elapsed_s_), setup,
                        {reference_dbm_, attenuation_db_, InputStage{}.noise_figure_db}, seed);
    elapsed_s_ += duration;
    trace_dbm_ = std::move(display.level_dbm);
    questionable_ = display.overload ? questionable_power : 0;
    questionable_event_ |= questionable_;
}

std::string SimulatedAnalyser::trace() {
    if (trace_dbm_.empty()) throw ScpiError{-230, "Data corrupt or stale"};
    const double shift = power_unit_ == 1 ? dbm_to_dbuv_50 : 0;
    std::string body;
    if (format_ == 0) {
        for (const double level : trace_dbm_) body += (body.empty() ? "" : ",") + exact(level + shift);
        return body;
    }
    body.resize(trace_dbm_.size() * sizeof(double));
    for (std::size_t i = 0; i < trace_dbm_.size(); ++i) {
        const double level = trace_dbm_[i] + shift;
        char* at = body.data() + i * sizeof(double);
        std::memcpy(at, &level, sizeof level);
        if ((std::endian::native == std::endian::little) != swapped_) std::reverse(at, at + sizeof level);
    }
    const std::string length = std::to_string(body.size());
    return "#" + std::to_string(length.size()) + length + body;
}

SimulatedUnitControl::SimulatedUnitControl(std::shared_ptr<SimulatedUnit> unit) : unit_(std::move(unit)) {
    add_common_commands(tree_, "Rare Tally,simulated unit control," + slug(unit_->name()) + ",1.0", [] {});
    for (const auto* name : {"STATe", "CHANnel", "LEVel", "MODE"}) {
        const std::string setting = lower(name);
        tree_.on(
            std::string("UNIT:") + name,
            [this, setting](const ScpiArguments& a) {
                std::string value = only_argument(a);
                if (value.size() >= 2 && value.front() == '"' && value.back() == '"')
                    value = value.substr(1, value.size() - 2);
                if (!unit_->set(setting, value)) throw ScpiError{-224, "Illegal parameter value"};
            },
            [this, setting](const auto&) { return unit_->get(setting); });
    }
}

}  // namespace rt
