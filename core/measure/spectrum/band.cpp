#include "core/measure/spectrum/band.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/dsp/resolution.hpp"

namespace rt {
namespace {

double power_at(const Spectrum& s, std::size_t i) {
    return std::pow(10, s.level[i] / 10);
}

// From half way to the point before to half way to the one after.
struct Cell {
    double from, to;
};

Cell cell_of(const Spectrum& s, std::size_t i) {
    const auto& f = s.frequency_hz;
    const std::size_t last = f.size() - 1;
    const double before = i == 0 ? f[1] - f[0] : f[i] - f[i - 1];
    const double after = i == last ? f[last] - f[last - 1] : f[i + 1] - f[i];
    return {f[i] - before / 2, f[i] + after / 2};
}

}  // namespace

double to_db(double power) {
    return 10 * std::log10(std::max(power, 1e-30));
}

std::optional<double> noise_bandwidth(const Spectrum& s) {
    if (s.noise_bandwidth_hz) return s.noise_bandwidth_hz;
    if (!s.resolution_bandwidth_hz) return std::nullopt;
    return GaussianFilter::customary(*s.resolution_bandwidth_hz).noise_bandwidth_hz();
}

std::optional<double> band_power(const Spectrum& s, double from, double to) {
    const auto width = noise_bandwidth(s);
    if (!width || s.level.size() < 2) return std::nullopt;
    double sum = 0;
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        const Cell cell = cell_of(s, i);
        const double inside = std::min(cell.to, to) - std::max(cell.from, from);
        if (inside > 0) sum += power_at(s, i) * inside;
    }
    return sum / *width;
}

PowerBelow::PowerBelow(const Spectrum& s)
    : first_hz_(s.frequency_hz.front()),
      step_hz_((s.frequency_hz.back() - s.frequency_hz.front()) /
               static_cast<double>(s.frequency_hz.size() - 1)),
      sum_(s.frequency_hz.size() + 1) {
    const double noise = *noise_bandwidth(s);
    for (std::size_t i = 0; i < s.level.size(); ++i)
        sum_[i + 1] = sum_[i] + std::pow(10, s.level[i] / 10) * step_hz_ / noise;
}

double PowerBelow::operator()(double hz) const {
    const auto points = static_cast<double>(sum_.size() - 1);
    const double place = std::clamp((hz - first_hz_) / step_hz_ + 0.5, 0.0, points);
    const auto whole = std::min(static_cast<std::size_t>(place), sum_.size() - 2);
    return sum_[whole] + (place - static_cast<double>(whole)) * (sum_[whole + 1] - sum_[whole]);
}

bool covers(const Spectrum& s, double from, double to) {
    if (s.level.size() < 2) return false;
    const double step = s.frequency_hz[1] - s.frequency_hz[0];
    return s.frequency_hz.front() <= from + step && s.frequency_hz.back() >= to - step;
}

BandEdges occupied_edges(const Spectrum& s, double share, double from, double to) {
    double total = 0;
    const auto inside_of = [&](std::size_t i) {
        const Cell cell = cell_of(s, i);
        return Cell{std::max(cell.from, from), std::min(cell.to, to)};
    };
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        const Cell cell = inside_of(i);
        if (cell.to > cell.from) total += power_at(s, i) * (cell.to - cell.from);
    }
    const double below = total * (1 - share) / 2, above = total - below;
    BandEdges out{from, to};
    double sum = 0;
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        const Cell cell = inside_of(i);
        if (cell.to <= cell.from) continue;
        const double next = sum + power_at(s, i) * (cell.to - cell.from);
        const auto at = [&](double wanted) {
            return cell.from + (cell.to - cell.from) * (wanted - sum) / (next - sum);
        };
        if (sum < below && next >= below) out.low_hz = at(below);
        if (sum < above && next >= above) out.high_hz = at(above);
        sum = next;
    }
    return out;
}

std::optional<BandEdges> level_edges(const Spectrum& s, double below_db, double from, double to) {
    const double level = s.level[highest_in(s, from, to)] - below_db;
    const auto inside = [&](std::size_t i) { return s.frequency_hz[i] >= from && s.frequency_hz[i] <= to; };
    const auto crossing = [&](std::size_t i) {
        const double share = (level - s.level[i]) / (s.level[i + 1] - s.level[i]);
        return s.frequency_hz[i] + share * (s.frequency_hz[i + 1] - s.frequency_hz[i]);
    };
    std::optional<double> low, high;
    for (std::size_t i = 0; i + 1 < s.level.size(); ++i) {
        if (!inside(i) || !inside(i + 1)) continue;
        if (!low && s.level[i] < level && s.level[i + 1] >= level) low = crossing(i);
        if (s.level[i] >= level && s.level[i + 1] < level) high = crossing(i);
    }
    // A trace that begins or ends above the level has no edge there.
    std::optional<std::size_t> first, last;
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        if (!inside(i)) continue;
        if (!first) first = i;
        last = i;
    }
    if (s.level[*first] >= level || s.level[*last] >= level || !low || !high) return std::nullopt;
    return BandEdges{*low, *high};
}

std::size_t highest_in(const Spectrum& s, double from, double to) {
    std::optional<std::size_t> best;
    for (std::size_t i = 0; i < s.level.size(); ++i) {
        if (s.frequency_hz[i] < from || s.frequency_hz[i] > to) continue;
        if (!best || s.level[i] > s.level[*best]) best = i;
    }
    if (best) return *best;
    fail_input("the trace has no point between " + format({from, Unit::hertz}) + " and " +
               format({to, Unit::hertz}) + ": it covers " + format({s.frequency_hz.front(), Unit::hertz}) +
               " to " + format({s.frequency_hz.back(), Unit::hertz}));
}

Unit density_unit(Unit level) {
    return level == Unit::dbm ? Unit::dbm_per_hz : Unit::dbfs_per_hz;
}

void require_power(const Spectrum& s, const char* procedure) {
    if (s.unit == Unit::dbm || s.unit == Unit::dbfs) return;
    fail_input(std::string(procedure) + " needs levels in dBm, the capture has " + symbol(s.unit));
}

void note_detector(const Spectrum& s, Outcome& outcome) {
    if (s.detector == Detector::rms) return;
    outcome.notes.push_back("summed power is a mean power only with the rms detector" +
                            std::string(s.detector ? std::string(", this is ") + name(*s.detector) : ""));
}

}  // namespace rt
