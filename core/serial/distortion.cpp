// Distortion of a transmitter in test mode (IEEE Std 802.3, 40.6.1.2.4 and its kin): the known sequence of
// 2047 symbols of 1 + x^9 + x^11 is found by correlation (a match of 0.3 and more; by chance below 0.12).
// Then, period by period: rate and disturber are refined (five steps of Gauss and Newton, each bounded by 500
// ppm), the record is sampled once a symbol at each phase, and what a linear channel explains (least squares
// over neighbouring symbols and a constant) and the disturber are taken out. The rest is the distortion; its
// peak at the worst phase is held against the limit.
#include "core/serial/distortion.hpp"

#include <algorithm>
#include <cmath>
#include <complex>
#include <numbers>

#include "core/base/error.hpp"
#include "core/dsp/least_squares.hpp"
#include "core/dsp/parallel.hpp"
#include "core/quantity/quantity.hpp"
#include "core/serial/test_symbols.hpp"
#include "core/signal/interpolate.hpp"

namespace rt {
namespace {

using Column = std::vector<double>;

constexpr std::size_t period = 2047;
using std::numbers::pi;

// The record between its samples, within a margin at both ends.
class Record {
  public:
    Record(std::span<const float> volts, double step_s) : v_(volts), step_(step_s) {}

    double first_s() const { return margin * step_; }
    double last_s() const { return (static_cast<double>(v_.size()) - 1 - margin) * step_; }
    double at(double t) const {
        const double place = t / step_;
        const auto k = static_cast<std::size_t>(place);
        return real_value_between(v_.data() + (k + 1 - reach), place - static_cast<double>(k)).value;
    }
    double slope(double t) const {
        const double h = step_ / 4;
        return (at(t + h) - at(t - h)) / (2 * h);
    }

  private:
    static constexpr auto reach = static_cast<std::size_t>(interpolation_reach);
    static constexpr double margin = static_cast<double>(reach) + 2;
    std::span<const float> v_;
    double step_;
};

// Where the sequence stands: symbol `shift` + n of it begins at first_s + n / rate.
struct Place {
    std::size_t shift = 0;
    double first_s = 0, interval_s = 0;
    double match = 0;  // correlation coefficient
};

// Phasors of the sine in blocks of the record; the slope of their phase is the deviation of the frequency.
double refined_disturber(std::span<const float> v, double step, double hz) {
    // Blocks short enough that 200 ppm are no quarter turn.
    const double longest = 1 / (8 * 2e-4 * hz), whole = static_cast<double>(v.size()) * step;
    const auto blocks = static_cast<std::size_t>(std::max(16.0, std::ceil(whole / longest)));
    const std::size_t size = v.size() / blocks;
    double turned = 0, before = 0, st = 0, sp = 0, stt = 0, stp = 0;
    for (std::size_t b = 0; b < blocks; ++b) {
        std::complex<double> sum;
        for (std::size_t i = b * size; i < (b + 1) * size; ++i)
            sum += static_cast<double>(v[i]) * std::polar(1.0, -2 * pi * hz * static_cast<double>(i) * step);
        const double phase = std::arg(sum);
        if (b > 0) turned += std::remainder(phase - before, 2 * pi);
        before = phase;
        const auto t = static_cast<double>(b);
        st += t, sp += turned, stt += t * t, stp += t * turned;
    }
    const auto n = static_cast<double>(blocks);
    const double slope = (n * stp - st * sp) / (n * stt - st * st);
    return hz + slope / (2 * pi * static_cast<double>(size) * step);
}

// The record without its disturber, to find the sequence in.
std::vector<float> without_sine(std::span<const float> v, double step, double hz) {
    std::complex<double> sum;
    for (std::size_t i = 0; i < v.size(); ++i)
        sum += static_cast<double>(v[i]) * std::polar(1.0, -2 * pi * hz * static_cast<double>(i) * step);
    sum *= 2.0 / static_cast<double>(v.size());
    std::vector<float> out(v.begin(), v.end());
    for (std::size_t i = 0; i < v.size(); ++i) {
        const auto turn = std::polar(1.0, 2 * pi * hz * static_cast<double>(i) * step);
        out[i] -= static_cast<float>((sum * turn).real());
    }
    return out;
}

Place find_sequence(const Record& record, const std::vector<int>& symbols, double interval) {
    Place best;
    best.interval_s = interval;
    double power_s = 0;
    for (const int s : symbols) power_s += s * s;
    std::vector<double> twice(symbols.begin(), symbols.end());
    twice.insert(twice.end(), symbols.begin(), symbols.end());
    for (int quarter = 0; quarter < 4; ++quarter) {
        const double first = record.first_s() + quarter * interval / 4;
        std::vector<double> y;
        double power_y = 0, mean = 0;
        for (std::size_t n = 0; n < period; ++n)
            y.push_back(record.at(first + static_cast<double>(n) * interval));
        for (const double v : y) mean += v / period;
        for (double& v : y) v -= mean, power_y += v * v;
        for (std::size_t shift = 0; shift < period; ++shift) {
            double c = 0;
            for (std::size_t n = 0; n < period; ++n) c += y[n] * twice[n + shift];
            const double match = std::abs(c) / std::sqrt(power_s * power_y);
            if (match > best.match) best.match = match, best.shift = shift, best.first_s = first;
        }
    }
    return best;
}

// Takes what the symbols explain out of a column: least squares by the normal equations, whose matrix is the
// same for every period and phase, factored once (Cholesky).
class Channel {
  public:
    Channel(const std::vector<int>& symbols, std::size_t shift, const DistortionSettings& s)
        : size_(s.fit_symbols + 1), factor_(size_ * size_) {
        // Two periods, so that every tap is a plain stretch of it; the last column is the constant.
        for (std::size_t i = 0; i < 2 * period; ++i) twice_.push_back(symbols[(shift + i) % period]);
        for (std::size_t k = 0; k < s.fit_symbols; ++k)
            first_.push_back((s.before + period - k % period) % period);
        for (std::size_t i = 0; i < size_; ++i) {
            const Column own = row(i);
            for (std::size_t k = 0; k <= i; ++k) factor_[i * size_ + k] = product(k, own);
        }
        for (std::size_t i = 0; i < size_; ++i) {
            for (std::size_t k = 0; k <= i; ++k) {
                double sum = factor_[i * size_ + k];
                for (std::size_t m = 0; m < k; ++m) sum -= factor_[i * size_ + m] * factor_[k * size_ + m];
                factor_[i * size_ + k] =
                    i == k ? std::sqrt(std::max(sum, 1e-12)) : sum / factor_[k * size_ + k];
            }
        }
    }
    Column left(const Column& column) const {
        Column x(size_);
        for (std::size_t k = 0; k < size_; ++k) x[k] = product(k, column);
        for (std::size_t i = 0; i < size_; ++i) {
            for (std::size_t m = 0; m < i; ++m) x[i] -= factor_[i * size_ + m] * x[m];
            x[i] /= factor_[i * size_ + i];
        }
        for (std::size_t i = size_; i-- > 0;) {
            for (std::size_t m = i + 1; m < size_; ++m) x[i] -= factor_[m * size_ + i] * x[m];
            x[i] /= factor_[i * size_ + i];
        }
        Column out = column;
        for (std::size_t k = 0; k + 1 < size_; ++k) {
            const double* tap = twice_.data() + first_[k];
            for (std::size_t n = 0; n < period; ++n) out[n] -= x[k] * tap[n];
        }
        for (double& v : out) v -= x.back();
        return out;
    }

  private:
    Column row(std::size_t k) const {
        if (k + 1 == size_) return Column(period, 1.0);
        const auto begin = twice_.begin() + static_cast<std::ptrdiff_t>(first_[k]);
        return {begin, begin + static_cast<std::ptrdiff_t>(period)};
    }
    double product(std::size_t k, const Column& column) const {
        double sum = 0;
        if (k + 1 == size_) {
            for (const double v : column) sum += v;
        } else {
            const double* tap = twice_.data() + first_[k];
            for (std::size_t n = 0; n < period; ++n) sum += tap[n] * column[n];
        }
        return sum;
    }

    std::size_t size_;
    Column twice_, factor_;
    std::vector<std::size_t> first_;
};

// Few columns against a value each.
std::vector<double> fitted(const std::vector<Column>& columns, const Column& values) {
    LeastSquares fit(columns.size());
    std::vector<double> row(columns.size());
    for (std::size_t n = 0; n < values.size(); ++n) {
        for (std::size_t c = 0; c < columns.size(); ++c) row[c] = columns[c][n];
        fit.add(row, values[n]);
    }
    return fit.solve();
}

// Times of a period's symbols count from its middle, so that rate and place do not mix.
struct Period {
    double first_s, interval_s, disturber_hz;

    double time(std::size_t n) const { return first_s + static_cast<double>(n) * interval_s; }
    double middle() const { return time(period / 2); }
};

Column sampled(const Record& record, const Period& p) {
    Column y(period);
    for (std::size_t n = 0; n < period; ++n) y[n] = record.at(p.time(n));
    return y;
}

// Cosine and sine of the disturber.
std::vector<Column> sines(const Period& p) {
    std::vector<Column> out(2, Column(period));
    for (std::size_t n = 0; n < period; ++n) {
        const double phase = 2 * pi * p.disturber_hz * (p.time(n) - p.middle());
        out[0][n] = std::cos(phase);
        out[1][n] = std::sin(phase);
    }
    return out;
}

// One step of Gauss and Newton towards the rate of the symbols and the frequency of the disturber.
void refine(const Record& record, const Channel& channel, bool disturbed, Period& p) {
    // Times in periods of the sequence: all columns have about the same size.
    const double span = static_cast<double>(period) * p.interval_s;
    std::vector<Column> columns(1, Column(period));
    for (std::size_t n = 0; n < period; ++n)
        columns[0][n] = (p.time(n) - p.middle()) * record.slope(p.time(n));
    if (disturbed) {
        for (Column& sine : sines(p)) columns.push_back(std::move(sine));
        // The slope of the record holds that of the disturber, which has its own columns.
        for (const std::size_t of : {1, 2}) {
            Column moved = columns[of];
            for (std::size_t n = 0; n < period; ++n) moved[n] *= (p.time(n) - p.middle()) / span;
            columns.push_back(std::move(moved));
        }
    }
    for (Column& column : columns) column = channel.left(column);
    const auto x = fitted(columns, channel.left(sampled(record, p)));
    const double middle = p.middle();
    const double stretch = std::clamp(x[0], -5e-4, 5e-4);
    // What is seen later than expected has a longer interval: y(t) = y0(t (1 - e)).
    p.interval_s *= 1 - stretch;
    p.first_s = middle - static_cast<double>(period / 2) * p.interval_s;
    if (!disturbed) return;
    const double a = x[1], b = x[2], size = a * a + b * b;
    if (size > 0) {
        const double limit = 5e-4 * p.disturber_hz;
        p.disturber_hz += std::clamp((b * x[3] - a * x[4]) / span / size / (2 * pi), -limit, limit);
    }
}

struct PhaseSeen {
    Column error;
    double sine_v = 0, explained = 0;
};

PhaseSeen fit_phase(const Record& record, const Channel& channel, bool disturbed, const Period& p) {
    PhaseSeen out;
    const Column y = sampled(record, p);
    out.error = channel.left(y);
    Column plain = y;
    if (disturbed) {
        const auto plain_sines = sines(p);
        const std::vector<Column> left{channel.left(plain_sines[0]), channel.left(plain_sines[1])};
        const auto x = fitted(left, out.error);
        for (std::size_t n = 0; n < period; ++n) {
            out.error[n] -= left[0][n] * x[0] + left[1][n] * x[1];
            plain[n] -= plain_sines[0][n] * x[0] + plain_sines[1][n] * x[1];
        }
        out.sine_v = std::hypot(x[0], x[1]);
    }
    double mean = 0, power = 0, missed = 0;
    for (const double v : plain) mean += v / period;
    for (const double v : plain) power += (v - mean) * (v - mean);
    for (const double v : out.error) missed += v * v;
    out.explained = 1 - missed / std::max(power, 1e-300);
    return out;
}

// What each symbol of the sequence leaves, over all periods.
Column mean_period(const Column& errors) {
    Column out(period);
    for (std::size_t i = 0; i < errors.size(); ++i) out[i % period] += errors[i];
    for (double& v : out) v /= static_cast<double>(errors.size() / period);
    return out;
}

// Rms of the rest, as of one period.
double apart_from(const Column& errors, const Column& mean) {
    const std::size_t periods = errors.size() / period;
    if (periods < 2) return 0;
    double squares = 0;
    for (std::size_t i = 0; i < errors.size(); ++i)
        squares += (errors[i] - mean[i % period]) * (errors[i] - mean[i % period]);
    return std::sqrt(squares / static_cast<double>(errors.size() - period));
}

// Where the sequence begins, the disturber's frequency known. Throws Error(signal) when it is not there.
Place place_of(std::span<const float> volts, double step, const Record& record,
               const std::vector<int>& symbols, const DistortionSettings& s, double sine_hz) {
    constexpr double least_match = 0.3;  // by chance below 0.12
    const double nominal = 1 / s.symbol_rate_hz;
    Place place;
    if (s.disturber_hz) {
        const auto plain = without_sine(volts, step, sine_hz);
        place = find_sequence(Record(plain, step), symbols, nominal);
    } else {
        place = find_sequence(record, symbols, nominal);
    }
    if (place.match < least_match) {
        fail_signal("expected: the test sequence of 1 + x^9 + x^11 with " + std::to_string(s.levels) +
                    " levels at " + format({s.symbol_rate_hz, Unit::hertz}) +
                    "; seen: a signal that is alike it by " + format({100 * place.match, Unit::percent}, 2) +
                    " only");
    }
    return place;
}

// Period after period of the sequence, each at all phases of sampling, and what they come to.
class Periods {
  public:
    Periods(const Record& record, const Channel& channel, const DistortionSettings& s, double step)
        : record_(record), channel_(channel), s_(s), step_(step), times_(s.phases), errors_(s.phases) {}

    // From `now` to the end of the record, or as many as are wanted.
    void take_all(Period now) {
        while (out_.periods < s_.most_periods) {
            const double end = now.time(period) + 2 * now.interval_s;
            if (end > record_.last_s()) break;
            for (int round = 0; round < 5; ++round) refine(record_, channel_, disturbed(), now);
            // Onto the record's own samples.
            now.first_s += (std::round(now.middle() / step_) * step_ - now.middle());
            take(now);
            now.first_s = now.time(period);
        }
        if (out_.periods == 0) fail_signal("the record is shorter than the test sequence of 2047 symbols");
    }

    Distortion result() {
        const auto n = static_cast<double>(out_.periods);
        std::vector<double> noise(s_.phases);
        for (std::size_t phase = 0; phase < s_.phases; ++phase) noise[phase] = finish(phase);
        const auto worst = static_cast<std::size_t>(
            std::max_element(out_.phase_peak_v.begin(), out_.phase_peak_v.end()) - out_.phase_peak_v.begin());
        out_.rate_hz = rate_sum_ / n;
        out_.disturber_hz = hz_sum_ / n, out_.disturber_v = sine_sum_ / n;
        out_.linear_share = share_sum_ / n / static_cast<double>(s_.phases);
        double squares = 0;
        for (const double e : errors_[worst]) squares += e * e;
        out_.rms_v = std::sqrt(squares / static_cast<double>(errors_[worst].size()));
        out_.noise_v = noise[worst];
        out_.time_s = std::move(times_[worst]), out_.error_v = std::move(errors_[worst]);
        return std::move(out_);
    }

  private:
    bool disturbed() const { return s_.disturber_hz.has_value(); }

    void take(const Period& now) {
        std::vector<PhaseSeen> seen(s_.phases);
        const auto at_phase = [&](std::size_t phase) {
            Period p = now;
            p.first_s += static_cast<double>(phase) / static_cast<double>(s_.phases) * now.interval_s;
            return p;
        };
        in_parallel(s_.phases, [&](std::size_t phase) {
            seen[phase] = fit_phase(record_, channel_, disturbed(), at_phase(phase));
        });
        for (std::size_t phase = 0; phase < s_.phases; ++phase) {
            const Period p = at_phase(phase);
            for (std::size_t n = 0; n < period; ++n) times_[phase].push_back(p.time(n));
            errors_[phase].insert(errors_[phase].end(), seen[phase].error.begin(), seen[phase].error.end());
            share_sum_ += seen[phase].explained;
        }
        rate_sum_ += 1 / now.interval_s;
        sine_sum_ += seen[0].sine_v;
        hz_sum_ += now.disturber_hz;
        ++out_.periods;
    }

    // The peak of one phase; averaged where that is wanted. Gives what differs from period to period.
    double finish(std::size_t phase) {
        auto& errors = errors_[phase];
        const Column mean = mean_period(errors);
        const double noise = apart_from(errors, mean);
        if (s_.average) errors = mean, times_[phase].resize(period);
        double peak = 0;
        for (std::size_t k = 0; k < errors.size(); ++k) {
            const double e = std::abs(errors[k]);
            peak = std::max(peak, e);
            if (e > out_.peak_v) out_.peak_v = e, out_.peak_at_s = times_[phase][k];
        }
        out_.phase_peak_v.push_back(peak);
        return noise;
    }

    const Record& record_;
    const Channel& channel_;
    const DistortionSettings& s_;
    double step_;
    std::vector<std::vector<double>> times_, errors_;  // by phase
    double rate_sum_ = 0, sine_sum_ = 0, share_sum_ = 0, hz_sum_ = 0;
    Distortion out_;
};

}  // namespace

Distortion transmitter_distortion(std::span<const float> volts, double step, const DistortionSettings& s) {
    const Record record(volts, step);
    const double nominal = 1 / s.symbol_rate_hz;
    const double least = record.first_s() + (period + 2) * nominal;
    if (record.last_s() < least) {
        fail_signal("the record of " + format({static_cast<double>(volts.size()) * step, Unit::second}) +
                    " is shorter than the test sequence of 2047 symbols, " + format({least, Unit::second}));
    }
    const double sine_hz = s.disturber_hz ? refined_disturber(volts, step, *s.disturber_hz) : 0;
    const auto symbols = transmitter_test_symbols(s.levels);
    const Place place = place_of(volts, step, record, symbols, s, sine_hz);
    const Channel channel(symbols, place.shift, s);
    Periods periods(record, channel, s, step);
    periods.take_all({place.first_s, nominal, sine_hz});
    return periods.result();
}

}  // namespace rt
