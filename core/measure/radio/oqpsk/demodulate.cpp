// A frame of IEEE 802.15.4 O-QPSK (IEEE Std 802.15.4-2020, clause 12; 2 Mchip/s, half-sine chips). The square
// of the signal has lines half the chip rate beside twice the carrier: up to eight carriers are tried by
// correlation with preamble and delimiter (half of it must match). Symbols are the best of 16 chip sequences,
// phase and frequency followed from one to the next. A least squares fit over all chips of what is decoded
// (amplitude, phase, frequency, time, chip clock, offset, imbalance, skew) is repeated until the instants
// stand still to 0.05 ns, and again whenever twice as many symbols are known. The signal at the chips'
// instants is what error vectors are taken of.
#include "core/measure/radio/oqpsk/demodulate.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/text.hpp"
#include "core/dsp/fft.hpp"
#include "core/dsp/least_squares.hpp"
#include "core/measure/radio/oqpsk/frame.hpp"
#include "core/quantity/quantity.hpp"
#include "core/signal/interpolate.hpp"

namespace rt::oqpsk {
namespace {

using Complex = std::complex<double>;
using std::numbers::pi;
constexpr double chip_s = 1 / chip_rate_hz;

// The ideal signal `t` seconds after the first chip began. A chip's half sine is two chip periods long.
Complex ideal(const std::vector<std::int8_t>& chips, double t) {
    const auto at = [&](std::ptrdiff_t n) -> double {
        if (n < 0 || n >= static_cast<std::ptrdiff_t>(chips.size())) return 0;
        const double inside = t - static_cast<double>(n) * chip_s;
        return inside < 0 || inside >= 2 * chip_s
                   ? 0
                   : chips[static_cast<std::size_t>(n)] * std::sin(pi * inside / (2 * chip_s));
    };
    const auto k = static_cast<std::ptrdiff_t>(std::floor(t / chip_s));
    Complex out = 0;
    for (std::ptrdiff_t n = k - 1; n <= k; ++n) out += (n % 2 == 0) ? Complex(at(n), 0) : Complex(0, at(n));
    return out;
}

struct Sync {
    double frequency_hz = 0, start_s = 0, phase = 0, match = 0;
};

// Frequencies at which the squared signal has lines at +-1 MHz around twice of them, best first.
std::vector<double> carrier_candidates(const std::vector<Complex>& x, double rate, double search_hz) {
    const std::size_t size = fast_size(2 * x.size());
    std::vector<Complex> squared(size);
    for (std::size_t i = 0; i < x.size(); ++i) squared[i] = x[i] * x[i];
    kept_transform(size)(squared.data());
    const double bin = rate / static_cast<double>(size);
    // Half a bin of the carrier is a whole one of the squared signal.
    const auto n = static_cast<std::ptrdiff_t>(size);
    const auto index_of = [&](double f) {
        return ((static_cast<std::ptrdiff_t>(std::lround(f / bin)) % n) + n) % n;
    };
    std::ptrdiff_t above = index_of(-2 * search_hz + chip_rate_hz / 2);
    std::ptrdiff_t below = index_of(-2 * search_hz - chip_rate_hz / 2);
    std::vector<std::pair<double, double>> found;  // power, frequency
    const double step = bin / 2;
    std::vector<double> metric;
    for (double f = -search_hz; f <= search_hz; f += step) {
        metric.push_back(std::norm(squared[static_cast<std::size_t>(above)]) +
                         std::norm(squared[static_cast<std::size_t>(below)]));
        above = above + 1 < n ? above + 1 : 0;
        below = below + 1 < n ? below + 1 : 0;
    }
    for (std::size_t i = 1; i + 1 < metric.size(); ++i) {
        if (metric[i] < metric[i - 1] || metric[i] < metric[i + 1]) continue;
        found.emplace_back(metric[i], -search_hz + static_cast<double>(i) * step);
    }
    std::sort(found.rbegin(), found.rend());
    std::vector<double> out;
    for (const auto& [level, f] : found) {
        const bool near =
            std::any_of(out.begin(), out.end(), [&, g = f](double kept) { return std::abs(kept - g) < 4e3; });
        if (near) continue;
        out.push_back(f);
        if (out.size() == 8) break;
    }
    return out;
}

// The best match of preamble and delimiter with the signal turned back by `frequency`.
class Matcher {
  public:
    Matcher(const std::vector<Complex>& x, double rate) : x_(x), rate_(rate) {
        const std::uint8_t none[1] = {};
        auto symbols = frame_symbols(std::span<const std::uint8_t>(none, 0));
        symbols.resize(preamble_symbols + 2);
        const auto chips = chips_of(symbols);
        length_ = static_cast<std::size_t>(std::floor(static_cast<double>(chips.size()) * chip_s * rate));
        window_ = std::min(x.size(), length_ + static_cast<std::size_t>(200e-6 * rate));
        size_ = fast_size(window_ + length_);
        reference_.resize(size_);
        for (std::size_t i = 0; i < length_; ++i) {
            reference_[i] = ideal(chips, static_cast<double>(i) / rate);
            energy_ += std::norm(reference_[i]);
        }
        forward_ = &kept_transform(size_);
        backward_ = &kept_transform(size_, Fft<double>::Direction::backward);
        (*forward_)(reference_.data());
        for (auto& value : reference_) value = std::conj(value);
    }

    Sync match(double frequency) const {
        std::vector<Complex> work(size_);
        std::vector<double> sum(window_ + 1);
        for (std::size_t i = 0; i < window_; ++i) {
            const double turn = -2 * pi * frequency * static_cast<double>(i) / rate_;
            work[i] = x_[i] * std::polar(1.0, turn);
            sum[i + 1] = sum[i] + std::norm(x_[i]);
        }
        (*forward_)(work.data());
        for (std::size_t i = 0; i < size_; ++i) work[i] *= reference_[i];
        (*backward_)(work.data());
        Sync best;
        best.frequency_hz = frequency;
        if (window_ <= length_) return best;
        std::size_t top = 0;
        double highest = 0;
        const auto quality = [&](std::size_t i) {
            const double energy = sum[std::min(i + length_, window_)] - sum[i];
            return std::abs(work[i]) / static_cast<double>(size_) / std::sqrt(energy * energy_ + 1e-30);
        };
        for (std::size_t i = 0; i + length_ <= window_; ++i) {
            if (std::norm(work[i]) > highest) highest = std::norm(work[i]), top = i;
        }
        best.match = quality(top);
        double shift = 0;
        if (top > 0 && top + length_ < window_) {
            const double a = std::abs(work[top - 1]), b = std::abs(work[top]), c = std::abs(work[top + 1]);
            if (a - 2 * b + c < 0) shift = (a - c) / (2 * (a - 2 * b + c));
        }
        best.start_s = (static_cast<double>(top) + shift) / rate_;
        best.phase = std::arg(work[top]);
        return best;
    }
    std::size_t length() const { return length_; }

  private:
    const std::vector<Complex>& x_;
    double rate_;
    std::size_t length_ = 0, window_ = 0, size_ = 0;
    double energy_ = 0;
    std::vector<Complex> reference_;
    const Fft<double>*forward_ = nullptr, *backward_ = nullptr;
};

// What turns samples into chips: value of chip n is the signal at start + (n + 1) chip / (1 + clock).
struct Fit {
    double start_s, frequency_hz, phase, clock;
    double instant(std::size_t n) const {
        return start_s + (static_cast<double>(n) + 1) * chip_s / (1 + clock);
    }
};

// The signal at the instants of `count` chips from `first` on, turned back.
void values_at(const std::vector<Complex>& x, double rate, const Fit& fit, std::size_t first,
               std::size_t count, std::vector<Complex>& out) {
    out.resize(count);
    // The turn from one chip to the next is always the same.
    const double chip = chip_s / (1 + fit.clock), start = fit.instant(first);
    Complex turn = std::polar(1.0, -(fit.phase + 2 * pi * fit.frequency_hz * (start - fit.start_s)));
    const Complex step = std::polar(1.0, -2 * pi * fit.frequency_hz * chip);
    for (std::size_t k = 0; k < count; ++k) {
        out[k] = value_between(x, (start + static_cast<double>(k) * chip) * rate) * turn;
        turn *= step;
    }
}

struct Decision {
    unsigned symbol;
    Complex sum;  // over the chips, each turned to the real axis
};

// `values` is room for the chips' values.
Decision decide(const std::vector<Complex>& x, double rate, const Fit& fit, std::size_t index,
                std::vector<Complex>& values) {
    values_at(x, rate, fit, index * chips_per_symbol, chips_per_symbol, values);
    for (std::size_t c = 1; c < chips_per_symbol; c += 2) values[c] *= Complex(0, -1);
    Decision best{0, 0};
    for (unsigned s = 0; s < 16; ++s) {
        const auto& chips = chips_of(s);
        Complex sum = 0;
        for (std::size_t c = 0; c < chips_per_symbol; ++c) sum += static_cast<double>(chips[c]) * values[c];
        if (std::abs(sum) > std::abs(best.sum)) best = {s, sum};
    }
    return best;
}

// Appends symbols up to `wanted` of them, the phase followed from one to the next. False when the samples end
// first.
bool decode(const std::vector<Complex>& x, double rate, Fit fit, std::size_t wanted,
            std::vector<std::uint8_t>& out) {
    const double seconds = static_cast<double>(x.size()) / rate;
    std::vector<Complex> values;
    for (std::size_t i = out.size(); i < wanted; ++i) {
        if (fit.instant((i + 1) * chips_per_symbol - 1) > seconds) return false;
        const Decision d = decide(x, rate, fit, i, values);
        out.push_back(static_cast<std::uint8_t>(d.symbol));
        const double error = std::arg(d.sum);
        fit.phase += error;
        // The frequency follows the drift of the phase.
        if (i >= 4) {
            const double correction = 0.05 * error / (2 * pi * chips_per_symbol * chip_s);
            fit.frequency_hz += correction;
            fit.phase -= 2 * pi * correction * (fit.instant((i + 1) * chips_per_symbol) - fit.start_s);
        }
    }
    return true;
}

// Slope of the other branch at the instant of chip n: both halves of its neighbours meet there.
Complex slope_at(const std::vector<std::int8_t>& chips, std::size_t n) {
    const double before = n == 0 ? 0 : chips[n - 1];
    const double after = n + 1 < chips.size() ? chips[n + 1] : 0;
    const double slope = (after - before) / 2 * pi / (2 * chip_s);
    return n % 2 == 0 ? Complex(0, slope) : Complex(slope, 0);
}

struct Refined {
    Fit fit;
    double amplitude;
    Complex offset;        // relative to the amplitude
    double imbalance;      // (I - Q) / 2 relative to the mean, each along its own axis
    double skew;           // what of Q stands along I, relative to the mean
    double last_move_s{};  // by how much the last round moved the instants at the ends
};

// Gauss-Newton: unknowns are amplitude, phase, frequency, time, clock, offset (2), imbalance, skew.
Refined refine(const std::vector<Complex>& x, double rate, Fit fit, const std::vector<std::int8_t>& chips) {
    Refined out{fit, 1, 0, 0, 0};
    double amplitude = 0;
    std::vector<Complex> values;
    // The preamble alone tells the amplitude well enough to begin with.
    const std::size_t preamble = preamble_symbols * chips_per_symbol;
    values_at(x, rate, fit, 0, preamble, values);
    for (std::size_t n = 0; n < preamble; ++n)
        amplitude += chips[n] * (n % 2 ? values[n].imag() : values[n].real());
    amplitude /= static_cast<double>(preamble);
    // The problem is linear only while the instants are right to a fraction of a chip: rounds until they
    // stay.
    constexpr int most_rounds = 8;
    constexpr double still_s = 0.05e-9;
    for (int round = 0; round < most_rounds; ++round) {
        LeastSquares system(9);
        const double middle = fit.instant(chips.size() / 2) - fit.start_s;
        values_at(x, rate, fit, 0, chips.size(), values);
        for (std::size_t n = 0; n < chips.size(); ++n) {
            const Complex y = values[n];
            const Complex a = n % 2 ? Complex(0, chips[n]) : Complex(chips[n], 0);
            const Complex slope = amplitude * slope_at(chips, n);
            const double t = fit.instant(n) - fit.start_s;
            const Complex turn = Complex(0, amplitude) * a;
            const Complex columns[9] = {a,
                                        turn,
                                        turn * (2 * pi * (t - middle) * 1e3),
                                        slope * 1e-9,
                                        slope * ((t - middle) * 1e-6),
                                        1.0,
                                        Complex(0, 1),
                                        n % 2 ? -a * amplitude : a * amplitude,
                                        n % 2 ? Complex(-chips[n] * amplitude, 0) : Complex(0)};
            double row[9];
            for (std::size_t k = 0; k < 9; ++k) row[k] = columns[k].real();
            system.add(row, y.real());
            for (std::size_t k = 0; k < 9; ++k) row[k] = columns[k].imag();
            system.add(row, y.imag());
        }
        const auto s = system.solve();
        amplitude = s[0];
        const double frequency = s[2] * 1e3;
        fit.phase += s[1] - 2 * pi * frequency * middle;
        fit.frequency_hz += frequency;
        // The signal was seen too early where the slope adds: the instants move back by as much.
        const double late = -s[3] * 1e-9;
        const double stretch = -s[4] * 1e-6;
        const double before = fit.start_s;
        fit.start_s += late - middle * stretch;
        fit.clock -= stretch;
        fit.phase += 2 * pi * fit.frequency_hz * (fit.start_s - before);
        out.fit = fit;
        out.amplitude = amplitude;
        out.offset = Complex(s[5], s[6]) / amplitude;
        out.imbalance = s[7];
        out.skew = s[8];
        out.last_move_s = std::abs(late) + std::abs(middle * stretch);
        if (round > 0 && out.last_move_s < still_s) break;
    }
    return out;
}

std::string percent(double share) {
    return fixed(100 * share, 0) + " %";
}

// Each step gives why the frame cannot be taken, "" when it can.

std::string synchronise(const std::vector<Complex>& x, double rate, double search_hz, Fit& fit,
                        Demodulated& out) {
    const Matcher matcher(x, rate);
    if (x.size() < matcher.length()) {
        return "the burst of " + fixed(static_cast<double>(x.size()) / rate * 1e6, 0) +
               " us is shorter than preamble and start-of-frame delimiter, 160 us";
    }
    Sync best;
    for (const double frequency : carrier_candidates(x, rate, search_hz)) {
        const Sync sync = matcher.match(frequency);
        if (sync.match > best.match) best = sync;
        if (best.match > 0.9) break;
    }
    constexpr double least_match = 0.5;
    if (best.match < least_match) {
        return "no IEEE 802.15.4 O-QPSK preamble: the best match is " + percent(best.match) + ", at least " +
               percent(least_match) + " were expected";
    }
    fit = {best.start_s, best.frequency_hz, best.phase + 2 * pi * best.frequency_hz * best.start_s, 0};
    out.preamble_match = best.match;
    return {};
}

std::string decode_frame(const std::vector<Complex>& x, double rate, Fit& fit, Demodulated& out) {
    const auto& s = out.symbols;
    constexpr std::size_t header = preamble_symbols + 4;
    if (!decode(x, rate, fit, header, out.symbols)) return "the burst ends before its length field";
    if (s[preamble_symbols] != 7 || s[preamble_symbols + 1] != 10)
        return "no start-of-frame delimiter after the preamble";
    const unsigned length = (s[preamble_symbols + 2] | (s[preamble_symbols + 3] << 4)) & 127U;
    const std::size_t symbols = header + 2 * std::size_t{length};
    // A clock error of 50 ppm moves the last chips of a long frame by almost half a chip: the fit over what
    // was decoded so far tells where twice as many symbols lie.
    while (s.size() < symbols) {
        fit = refine(x, rate, fit, chips_of(out.symbols)).fit;
        if (!decode(x, rate, fit, std::min(symbols, 2 * s.size()), out.symbols)) {
            return "the burst ends before the " + std::to_string(length) +
                   " octets that its length field states";
        }
    }
    for (std::size_t i = 0; i < length; ++i) {
        out.psdu.push_back(static_cast<std::uint8_t>(s[header + 2 * i] | (s[header + 2 * i + 1] << 4)));
    }
    if (length >= 2) {
        const auto check = frame_check(std::span(out.psdu).first(length - 2));
        out.check_ok = out.psdu[length - 2] == (check & 255) && out.psdu[length - 1] == check >> 8;
    }
    out.chips = chips_of(out.symbols);
    return {};
}

std::string compare(const std::vector<Complex>& x, double rate, const Fit& fit, Demodulated& out) {
    const Refined r = refine(x, rate, fit, out.chips);
    constexpr double settled_s = 5e-9, most_clock = 500e-6;
    if (!(r.last_move_s < settled_s) || !(std::abs(r.fit.clock) < most_clock)) {
        return "the fit of carrier and clock does not settle: no constant chip clock within " +
               fixed(most_clock * 1e6, 0) + " ppm makes this signal";
    }
    out.start_s = r.fit.start_s;
    out.frequency_offset_hz = r.fit.frequency_hz;
    out.chip_clock_ppm = r.fit.clock * 1e6;
    out.offset = r.offset;
    out.amplitude = r.amplitude;
    // Q stands at a right angle and phi from I: gQ sin(phi) of it along I, gQ cos(phi) beside it.
    const double along = r.skew, beside = 1 - r.imbalance;
    out.gain_imbalance_db = 20 * std::log10((1 + r.imbalance) / std::hypot(along, beside));
    out.quadrature_error_deg = std::atan2(along, beside) * 180 / pi;
    out.imbalance = r.imbalance;
    out.skew = r.skew;
    values_at(x, rate, r.fit, 0, out.chips.size(), out.at_chip);
    for (auto& value : out.at_chip) value /= r.amplitude;
    return {};
}

// Synchronised and decoded in `x`, compared in `compared`.
Attempt demodulate_in(const std::vector<Complex>& x, const std::vector<Complex>& compared, double rate,
                      double search_hz) {
    if (rate < 2 * chip_rate_hz) {
        return {{},
                "O-QPSK at 2 Mchip/s needs at least 4 million samples a second, the record has " +
                    fixed(rate / 1e6, 3) + " million"};
    }
    Fit fit{};
    Demodulated out;
    std::string why = synchronise(x, rate, search_hz, fit, out);
    if (why.empty()) why = decode_frame(x, rate, fit, out);
    if (why.empty()) why = compare(compared, rate, fit, out);
    if (!why.empty()) return {{}, std::move(why)};
    return {std::move(out), {}};
}

}  // namespace

Attempt demodulate(std::span<const std::complex<float>> samples, double rate, double search_hz,
                   std::span<const std::complex<float>> behind_filter) {
    const std::vector<Complex> x(samples.begin(), samples.end());
    Attempt plain = demodulate_in(x, x, rate, search_hz);
    if (behind_filter.empty() || (plain.burst && plain.burst->check_ok)) return plain;
    Attempt quiet = demodulate_in({behind_filter.begin(), behind_filter.end()}, x, rate, search_hz);
    if (!quiet.burst || (plain.burst && !quiet.burst->check_ok)) return plain;
    quiet.burst->behind_filter = true;
    return quiet;
}

}  // namespace rt::oqpsk
