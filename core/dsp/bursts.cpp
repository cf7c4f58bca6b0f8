#include "core/dsp/bursts.hpp"

#include <algorithm>
#include <cmath>

#include "core/dsp/noise.hpp"

namespace rt {
namespace {

constexpr std::size_t piece = 1 << 16;

// Calls work(index of first, smoothed |x|^2, raw |x|^2) for the record piece by piece. Near its ends the mean
// is over fewer samples.
template <typename Work>
void each_piece(const IqRecord& record, std::size_t width, const Work& work) {
    const std::uint64_t size = record.size();
    const std::size_t reach = width / 2;
    std::vector<double> smooth, raw, sum;
    for (std::uint64_t at = 0; at < size; at += piece) {
        const auto count = static_cast<std::size_t>(std::min<std::uint64_t>(piece, size - at));
        const std::uint64_t from = at > reach ? at - reach : 0;
        const std::uint64_t to = std::min(size, at + count + reach);
        const auto samples = record.read(from, static_cast<std::size_t>(to - from));
        sum.assign(samples.size() + 1, 0);
        for (std::size_t i = 0; i < samples.size(); ++i) {
            sum[i + 1] = sum[i] + std::norm(std::complex<double>(samples[i]));
        }
        smooth.resize(count);
        raw.resize(count);
        for (std::size_t i = 0; i < count; ++i) {
            const auto here = static_cast<std::size_t>(at - from) + i;
            const std::size_t low = here > reach ? here - reach : 0;
            const std::size_t high = std::min(here + reach + 1, samples.size());
            smooth[i] = (sum[high] - sum[low]) / static_cast<double>(high - low);
            raw[i] = sum[here + 1] - sum[here];
        }
        work(at, smooth, raw);
    }
}

// The quietest and the loudest piece of the record, as means over so many samples that the envelope of
// noise-like signals evens out.
struct Range {
    double quiet = 1e300, loud = 0;
};

Range range_of(const IqRecord& record, std::size_t width) {
    Range out;
    const std::size_t brief = std::max<std::size_t>(width, 16), block = 4 * brief;
    each_piece(record, width, [&](std::uint64_t, const auto&, const auto& raw) {
        for (std::size_t i = 0; i + brief <= raw.size(); i += brief) {
            double sum = 0;
            for (std::size_t k = i; k < i + brief; ++k) sum += raw[k];
            out.quiet = std::min(out.quiet, sum / static_cast<double>(brief));
        }
        for (std::size_t i = 0; i + block <= raw.size(); i += block) {
            double sum = 0;
            for (std::size_t k = i; k < i + block; ++k) sum += raw[k];
            out.loud = std::max(out.loud, sum / static_cast<double>(block));
        }
    });
    out.quiet = std::min(out.quiet, out.loud);
    return out;
}

double decibels(double power) {
    return 10 * std::log10(std::max(power, 1e-30));
}

// Power that changes by less is one signal all the time.
constexpr double no_gap_db = 6;

double automatic_level(const Range& range) {
    const double loud = decibels(range.loud), quiet = decibels(range.quiet);
    if (loud - quiet < no_gap_db) return quiet - no_gap_db;
    return std::max(loud - 20, (loud + quiet) / 2);
}

// Follows the power sample by sample.
class Trigger {
  public:
    Trigger(double rate, const TriggerSettings& settings, double level_db)
        : rate_(rate),
          on_(std::pow(10, level_db / 10)),
          off_(std::pow(10, (level_db - settings.hysteresis_db) / 10)),
          hold_(static_cast<std::uint64_t>(std::max(1.0, std::round(settings.hold_off_s * rate)))) {}

    // What lies outside of bursts: the noise that the trigger must stand above.
    struct Outside {
        double sum = 0, squares = 0;  // of the smoothed power
        std::uint64_t samples = 0;
        double mean() const { return sum / static_cast<double>(samples); }
        double deviation() const {
            return std::sqrt(std::max(0.0, squares / static_cast<double>(samples) - mean() * mean()));
        }
    } outside;

    void take(std::uint64_t index, double smooth, double raw) {
        if (!open_) {
            if (smooth >= on_) begin(index, smooth);
        }
        if (open_) {
            sum_ += raw;
            ++samples_;
            peak_ = std::max(peak_, smooth);
            if (smooth >= on_) {
                above_ = index;
                sum_above_ = sum_;
                samples_above_ = samples_;
            }
            if (smooth >= off_) last_ = index;
            // The burst's end is where the level was crossed for good.
            if (previous_ >= on_ && smooth < on_) {
                crossing_ = static_cast<double>(index) - 1 + (previous_ - on_) / (previous_ - smooth);
            }
            if (index >= last_ + hold_) end(true);
        } else {
            outside.sum += smooth;
            outside.squares += smooth * smooth;
            ++outside.samples;
        }
        previous_ = smooth;
        first_ = false;
    }
    void finish() {
        if (open_) end(previous_ < on_);
    }

    std::vector<Burst> bursts;

  private:
    void begin(std::uint64_t index, double smooth) {
        open_ = true;
        whole_ = !first_;
        const double back = first_ || smooth == previous_ ? 0 : (smooth - on_) / (smooth - previous_);
        start_ = static_cast<double>(index) - back;
        crossing_ = static_cast<double>(index) + 1;
        last_ = above_ = index;
        sum_ = sum_above_ = peak_ = 0;
        samples_ = samples_above_ = 0;
    }
    void end(bool whole) {
        open_ = false;
        Burst burst;
        const double stop = whole ? crossing_ : static_cast<double>(above_) + 1;
        burst.start_s = start_ / rate_;
        burst.stop_s = stop / rate_;
        burst.power = sum_above_ / static_cast<double>(std::max<std::uint64_t>(samples_above_, 1));
        burst.peak = peak_;
        burst.whole = whole_ && whole;
        bursts.push_back(burst);
    }

    double rate_, on_, off_;
    std::uint64_t hold_;
    bool open_ = false, first_ = true, whole_ = true;
    double previous_ = 0, start_ = 0, crossing_ = 0;
    double sum_ = 0, sum_above_ = 0, peak_ = 0;
    std::uint64_t last_ = 0, above_ = 0, samples_ = 0, samples_above_ = 0;
};

// The mean of |x|^2 over `width` samples around each; fewer at the ends.
std::vector<double> smoothed_power(const std::vector<std::complex<float>>& samples, std::size_t width) {
    std::vector<double> sum(samples.size() + 1), out(samples.size());
    for (std::size_t i = 0; i < samples.size(); ++i)
        sum[i + 1] = sum[i] + std::norm(std::complex<double>(samples[i]));
    const std::size_t reach = width / 2;
    for (std::size_t i = 0; i < out.size(); ++i) {
        const std::size_t low = i > reach ? i - reach : 0, high = std::min(i + reach + 1, samples.size());
        out[i] = (sum[high] - sum[low]) / static_cast<double>(high - low);
    }
    return out;
}

// Time between 10 % and 90 % of the mean power around an edge, within `reach_s` of it; nothing when the power
// does not pass both there.
std::optional<double> edge_time(const IqRecord& record, std::size_t width, double edge_s, double power,
                                bool rising, double reach_s) {
    const double rate = record.sample_rate_hz;
    const auto size = static_cast<double>(record.size());
    const double from = std::floor(std::max(0.0, (edge_s - reach_s) * rate)),
                 to = std::ceil(std::min(size, (edge_s + reach_s) * rate));
    if (to - from < 3) return std::nullopt;
    auto samples = record.read(static_cast<std::uint64_t>(from), static_cast<std::size_t>(to - from));
    auto edge = static_cast<std::size_t>(std::clamp(edge_s * rate - from, 0.0, to - from - 1));
    if (!rising) {
        std::reverse(samples.begin(), samples.end());
        edge = samples.size() - 1 - edge;
    }
    const auto smooth = smoothed_power(samples, width);
    // From the edge inwards to 90 % (or outwards, where it lies above that), then out to 10 %.
    std::size_t high = edge;
    while (high < smooth.size() && smooth[high] < 0.9 * power) ++high;
    if (high == smooth.size()) return std::nullopt;
    while (high > 0 && smooth[high - 1] >= 0.9 * power) --high;
    if (high == 0) return std::nullopt;
    std::size_t low = high;
    while (low > 0 && smooth[low] > 0.1 * power) --low;
    if (smooth[low] > 0.1 * power) return std::nullopt;
    const auto crossing = [&](std::size_t after, double level) {
        return static_cast<double>(after) - (smooth[after] - level) / (smooth[after] - smooth[after - 1]);
    };
    return (crossing(high, 0.9 * power) - crossing(low + 1, 0.1 * power)) / rate;
}

// The same of a whole burst: a slow edge may take up to half of it.
std::optional<double> edge_time(const IqRecord& record, std::size_t width, const Burst& burst, bool rising) {
    constexpr double usual_s = 200e-6, most_samples = 1 << 24;
    const double half = std::min(burst.length_s() / 2, most_samples / record.sample_rate_hz);
    for (double reach = std::min(half, usual_s);; reach = std::min(half, 8 * reach)) {
        const auto seen =
            edge_time(record, width, rising ? burst.start_s : burst.stop_s, burst.power, rising, reach);
        if (seen || reach >= half) return seen;
    }
}

struct Attempt {
    std::vector<Burst> bursts;
    Trigger::Outside outside;
    double level_db = 0;
    double hysteresis_db = 0;
    bool no_gap = false;  // taken for one signal all the time
};

Attempt attempt(const IqRecord& record, const TriggerSettings& settings, std::size_t width) {
    Attempt out;
    TriggerSettings used = settings;
    if (settings.level_db) {
        out.level_db = *settings.level_db;
    } else {
        const Range range = range_of(record, width);
        out.level_db = automatic_level(range);
        out.no_gap = decibels(range.loud) - decibels(range.quiet) < no_gap_db;
        // Little above the noise the end of a burst must still be above it.
        used.hysteresis_db = std::min(used.hysteresis_db, (out.level_db - decibels(range.quiet)) / 3);
        if (out.no_gap) used.hysteresis_db = settings.hysteresis_db;
    }
    out.hysteresis_db = used.hysteresis_db;
    Trigger trigger(record.sample_rate_hz, used, out.level_db);
    each_piece(record, width, [&](std::uint64_t at, const auto& smooth, const auto& raw) {
        for (std::size_t i = 0; i < smooth.size(); ++i) trigger.take(at + i, smooth[i], raw[i]);
    });
    trigger.finish();
    out.bursts = std::move(trigger.bursts);
    out.outside = trigger.outside;
    return out;
}

// So few samples outside of bursts tell nothing of the noise.
constexpr std::uint64_t few_outside = 64;

// The level stands six standard deviations of the smoothed noise above its mean: noise alone reaches it once
// in thousands of millions of samples. The level at which bursts end stands two above it: else noise holds
// them open.
bool stands_out(const Attempt& seen) {
    constexpr double to_begin = 6, to_end = 2;
    if (seen.outside.samples < few_outside) return true;
    const double mean = seen.outside.mean(), deviation = seen.outside.deviation();
    return std::pow(10, seen.level_db / 10) >= mean + to_begin * deviation &&
           std::pow(10, (seen.level_db - seen.hysteresis_db) / 10) >= mean + to_end * deviation;
}

// True when bursts or the gaps between them are hardly longer than the mean that found them, or hardly differ
// in power: in a record as flat as noise such are its own ups and downs.
bool noise_like(const Attempt& seen, std::size_t width, double rate) {
    constexpr double longer = 4, apart_db = 6;
    const auto bursts = static_cast<double>(seen.bursts.size()), wide = static_cast<double>(width);
    const auto outside = static_cast<double>(seen.outside.samples);
    if (outside < longer * wide * bursts) return true;
    double seconds = 0, energy = 0;
    for (const auto& burst : seen.bursts) {
        seconds += burst.length_s();
        energy += burst.power * burst.length_s();
    }
    if (seconds * rate < longer * wide * bursts) return true;
    return energy / seconds < seen.outside.mean() * std::pow(10, apart_db / 10);
}

// One signal all the time is even over many samples, where steps of power stay: bursts little above the
// noise. The power of the quiet then.
std::optional<double> unclear_steps(const IqRecord& record, std::size_t widest) {
    constexpr double steps_db = 1.2;
    constexpr std::size_t fewest = 256;
    std::size_t w = widest | 1U;
    while (w > fewest && 16 * w > record.size()) w = (w / 2) | 1U;
    if (w <= fewest) return std::nullopt;
    double loud = 0, quiet = 1e300;
    for (std::uint64_t at = 0; at + w <= record.size(); at += w) {
        double sum = 0;
        for (const auto& x : record.read(at, w)) sum += std::norm(std::complex<double>(x));
        loud = std::max(loud, sum / static_cast<double>(w));
        quiet = std::min(quiet, sum / static_cast<double>(w));
    }
    if (decibels(loud) - decibels(quiet) < steps_db) return std::nullopt;
    return decibels(quiet);
}

// The widest smoothing tried, in samples.
constexpr std::size_t widest = 2048;

bool can_widen(const IqRecord& record, std::size_t width) {
    return 4 * width <= widest && 16 * width <= record.size();
}

// Bursts found with the smoothing that is wanted, or with a longer one: where noise reaches the trigger, a
// mean over more samples keeps it out, as long as bursts are longer than that. `width` becomes that one.
Attempt best_attempt(const IqRecord& record, const TriggerSettings& settings, std::size_t& width) {
    Attempt seen = attempt(record, settings, width);
    // Gaps of a few samples are real, or all that is left of gaps full of noise: then a longer mean opens
    // them.
    if (seen.bursts.size() > 1 && stands_out(seen) &&
        seen.outside.samples < few_outside * seen.bursts.size()) {
        constexpr std::uint64_t opened = 4;
        std::size_t w = width;
        Attempt longer = seen;
        while (can_widen(record, w) && longer.outside.samples < opened * seen.outside.samples) {
            w = (4 * w) | 1U;
            longer = attempt(record, settings, w);
        }
        if (longer.outside.samples >= opened * seen.outside.samples) {
            width = w;
            seen = std::move(longer);
        }
    }
    while (!stands_out(seen) && can_widen(record, width)) {
        width = (4 * width) | 1U;
        seen = attempt(record, settings, width);
    }
    return seen;
}

// The level of the noise when it is all that was found; nothing when there are bursts.
std::optional<double> only_noise(const IqRecord& record, const Attempt& seen, std::size_t width) {
    if (seen.no_gap) {
        if (const auto noise_db = unclear_steps(record, widest)) return noise_db;
        if (mostly_noise(record)) return seen.level_db + no_gap_db;
    }
    if (seen.bursts.empty()) return std::nullopt;
    const double noise_db = decibels(seen.outside.samples ? seen.outside.mean() : 0);
    if (!stands_out(seen)) return noise_db;
    if (noise_like(seen, width, record.sample_rate_hz) && flat_as_noise(record))
        return seen.outside.samples > 0 ? noise_db : decibels(seen.bursts[0].power);
    return std::nullopt;
}

// Edges of a burst, and its begin and end where they were sharp. `level` is the trigger's power.
void time_edges(const IqRecord& record, const Attempt& seen, std::size_t width, double level, Burst& burst) {
    const double rate = record.sample_rate_hz;
    std::optional<double> rise, fall;
    if (burst.whole) {
        rise = edge_time(record, width, burst, true);
        fall = edge_time(record, width, burst, false);
    }
    // In noise of half the 10 % level and more, its ups and downs are what was timed.
    constexpr double quiet = 0.05;
    const bool noisy = !(seen.outside.mean() < quiet * burst.power);
    if (!noisy) burst.rise_s = rise, burst.fall_s = fall;
    // A sharp edge, averaged over a width, crosses a low level early by this much.
    const double early = static_cast<double>(width) * std::max(0.0, 0.5 - level / burst.power) / rate;
    const double sharp = 1.2 * static_cast<double>(width) / rate;
    const auto is_sharp = [&](const std::optional<double>& time) {
        return burst.whole && (time ? *time < sharp : noisy);
    };
    if (is_sharp(rise)) burst.start_s += early;
    if (is_sharp(fall)) burst.stop_s -= early;
}

}  // namespace

BurstList find_bursts(const IqRecord& record, const TriggerSettings& settings) {
    const double rate = record.sample_rate_hz;
    auto width = static_cast<std::size_t>(std::max(3.0, std::round(settings.smoothing_s * rate))) | 1U;
    const Attempt seen = best_attempt(record, settings, width);
    BurstList out;
    out.level_db = seen.level_db;
    out.noise_db = only_noise(record, seen, width);
    if (out.noise_db) return out;
    const double level = std::pow(10, out.level_db / 10);
    for (Burst burst : seen.bursts) {
        // What is shorter than the smoothing is a spike of noise, not a burst.
        if (burst.length_s() < std::max(settings.shortest_s, static_cast<double>(width) / rate)) continue;
        time_edges(record, seen, width, level, burst);
        out.bursts.push_back(burst);
    }
    return out;
}

PowerCurve power_curve(const IqRecord& record, std::size_t most) {
    PowerCurve out;
    const std::uint64_t size = record.size();
    const std::uint64_t step = std::max<std::uint64_t>(1, (size + most - 1) / most);
    for (std::uint64_t at = 0; at < size; at += step) {
        const auto samples = record.read(at, static_cast<std::size_t>(std::min(step, size - at)));
        double sum = 0, highest = 0;
        for (const auto& x : samples) {
            const double power = std::norm(std::complex<double>(x));
            sum += power;
            highest = std::max(highest, power);
        }
        out.time_s.push_back((static_cast<double>(at) + static_cast<double>(samples.size()) / 2) /
                             record.sample_rate_hz);
        out.mean.push_back(sum / static_cast<double>(samples.size()));
        out.highest.push_back(highest);
    }
    return out;
}

}  // namespace rt
