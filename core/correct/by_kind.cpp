#include "core/correct/by_kind.hpp"

#include <algorithm>
#include <cmath>
#include <utility>

#include "core/base/error.hpp"

namespace rt {
namespace {

// How far the losses of a path differ over all its frequencies, in dB.
double spread_db(const SignalPath& path) {
    double sum = 0;
    for (const auto& part : path.parts) {
        if (!part.table) continue;
        const auto [low, high] = std::minmax_element(part.table->db().begin(), part.table->db().end());
        sum += *high - *low;
    }
    return sum;
}

// The loss of a path that is the same at every frequency.
double flat_loss_db(const SignalPath& path) {
    double sum = 0;
    for (const auto& part : path.parts) {
        sum += part.constant_db;
        if (part.table) sum += part.table->db().front();
    }
    return sum;
}

void apply(Spectrum& s, const SignalPath& path) {
    correct(s, path);
}

void apply(PowerReading& p, const SignalPath& path) {
    // As the kept capture states it: four decimals.
    p.correction_db = std::round(path.loss_db(p.frequency_hz) * 1e4) / 1e4;
    p.level_dbm = std::round((p.level_dbm + *p.correction_db) * 1e4) / 1e4;
}

void apply(IqRecord& r, const SignalPath& path) {
    const double middle = path.loss_db(r.centre_hz);
    r.path_db = middle;
    if (r.reference_level_dbm) *r.reference_level_dbm += middle;
    const bool varies = std::any_of(path.parts.begin(), path.parts.end(),
                                    [](const PathPart& p) { return p.table.has_value(); });
    if (!varies) return;
    constexpr int steps = 32;
    double largest = 0;
    for (int i = 0; i <= steps; ++i) {
        const double hz = r.centre_hz + r.sample_rate_hz * (static_cast<double>(i) / steps - 0.5);
        if (!(hz > 0)) continue;
        r.path_tilt.emplace_back(hz, path.loss_db(hz) - middle);
        largest = std::max(largest, std::abs(r.path_tilt.back().second));
    }
    constexpr double nothing_db = 0.001;
    if (largest < nothing_db) r.path_tilt.clear();
}

void apply(Waveform& w, const SignalPath& path) {
    const double ratio = std::pow(10, flat_loss_db(path) / 20);
    for (auto& channel : w.channels) channel = mixed({channel, nullptr, ratio, 0, 0});
    w.path_ratio = ratio;
}

void apply(Counts&, const SignalPath&) {}

void apply(Network&, const SignalPath&) {}

void apply(BiasCurves&, const SignalPath&) {}

void apply(CalibrationKit&, const SignalPath&) {}

void apply(ErrorTerms&, const SignalPath&) {}

void apply(WaferMap&, const SignalPath&) {}

void apply(Registers&, const SignalPath&) {}

void apply(CodeWord&, const SignalPath&) {}

void apply(Indication&, const SignalPath&) {}

void apply(Traffic&, const SignalPath&) {}
void apply(Devices&, const SignalPath&) {}

void apply(ResultTable&, const SignalPath&) {}

bool has(const Spectrum& s) {
    return !s.correction_db.empty();
}
bool has(const PowerReading& p) {
    return p.correction_db.has_value();
}
bool has(const IqRecord& r) {
    return r.path_db.has_value();
}
bool has(const Waveform& w) {
    return w.path_ratio.has_value();
}
bool has(const Counts&) {
    return false;
}
bool has(const Network&) {
    return false;
}
bool has(const BiasCurves&) {
    return false;
}
bool has(const CalibrationKit&) {
    return true;  // no path leads to what is written down
}
bool has(const ErrorTerms&) {
    return true;
}
bool has(const WaferMap&) {
    return true;
}
bool has(const Registers&) {
    return true;  // what a module says of itself
}
bool has(const CodeWord&) {
    return true;
}
bool has(const Indication&) {
    return true;  // what a receiver shows
}
bool has(const Traffic&) {
    return false;
}
bool has(const Devices&) {
    return false;
}
bool has(const ResultTable&) {
    return true;  // results count everything in that was to be counted
}

// Levels behind an antenna are field strengths only where they are a spectrum's.
std::string antenna_refusal(const SignalPath& path, const char* what) {
    if (!path.has_antenna()) return {};
    return std::string(what) +
           " cannot be brought to a field strength: behind an antenna measure swept spectra";
}

// What each kind is, for refusal().
template <typename Data>
struct Kind {};

std::string refusal(Kind<Spectrum>, const SignalPath&) {
    return {};
}
std::string refusal(Kind<PowerReading>, const SignalPath& path) {
    return antenna_refusal(path, "a power reading");
}
std::string refusal(Kind<IqRecord>, const SignalPath& path) {
    return antenna_refusal(path, "complex samples");
}
std::string refusal(Kind<Waveform>, const SignalPath& path) {
    if (auto why = antenna_refusal(path, "a waveform"); !why.empty()) return why;
    constexpr double flat_db = 0.1;
    if (spread_db(path) <= flat_db) return {};
    return "the losses of the path differ by " + format({spread_db(path), Unit::db}, 3) +
           " over frequency: a waveform can only be corrected by a ratio; give a probe's ratio or a loss";
}
std::string refusal(Kind<Counts>, const SignalPath&) {
    return "counts have no level that a path could change: leave the path out";
}
std::string refusal(Kind<Indication>, const SignalPath&) {
    return {};
}
std::string refusal(Kind<Devices>, const SignalPath&) {
    return "the levels of devices are those of the tester's input: leave the path out";
}
std::string refusal(Kind<Traffic>, const SignalPath&) {
    return "traffic has no level that a path could change: leave the path out";
}
std::string refusal(Kind<ResultTable>, const SignalPath&) {
    return {};
}
std::string refusal(Kind<CalibrationKit>, const SignalPath&) {
    return {};
}
std::string refusal(Kind<ErrorTerms>, const SignalPath&) {
    return {};
}
std::string refusal(Kind<WaferMap>, const SignalPath&) {
    return {};
}
std::string refusal(Kind<Registers>, const SignalPath&) {
    return {};
}
std::string refusal(Kind<CodeWord>, const SignalPath&) {
    return {};
}
std::string refusal(Kind<BiasCurves>, const SignalPath&) {
    return "bias curves have no level that a path could change: leave the path out";
}
std::string refusal(Kind<Network>, const SignalPath&) {
    return "network data cannot be corrected by the losses of a path, which have no phase: calibrate the "
           "analyser to the unit's port and leave the path out";
}

template <std::size_t... index>
std::string refusal_of(std::size_t kind, const SignalPath& path, std::index_sequence<index...>) {
    std::string why;
    (void)((index == kind &&
            (why = refusal(Kind<std::variant_alternative_t<index, Capture>>{}, path), true)) ||
           ...);
    return why;
}

}  // namespace

std::string path_refusal(const Capture& capture, const SignalPath& path) {
    if (path.parts.empty()) return {};
    return refusal_of(capture.index(), path, std::make_index_sequence<std::variant_size_v<Capture>>{});
}

std::string path_refusal(const CaptureSetup& setup, const SignalPath& path) {
    if (path.parts.empty()) return {};
    return refusal_of(setup.index(), path, std::make_index_sequence<std::variant_size_v<CaptureSetup>>{});
}

void correct(Capture& capture, const SignalPath& path) {
    if (path.parts.empty() || corrected(capture)) return;
    if (const auto why = path_refusal(capture, path); !why.empty()) fail_input(why);
    std::visit([&](auto& c) { apply(c, path); }, capture);
}

bool corrected(const Capture& capture) {
    return std::visit([](const auto& c) { return has(c); }, capture);
}

}  // namespace rt
