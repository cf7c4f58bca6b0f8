// A frame of IEEE 802.11 OFDM at 20 MHz (IEEE Std 802.11-2020, clause 17.3): the short training gives the
// coarse carrier offset, the long one the place, the fine offset and the channel; SIGNAL says how many
// symbols follow and how they are modulated; pilots give each symbol's common phase and, over the frame, the
// clock error. Values are compared with the nearest ideal point, through the channel of the training and
// through the one that fits the whole frame.
#include "core/measure/radio/ofdm/demodulate.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/dsp/fft.hpp"
#include "core/dsp/fir.hpp"
#include "core/quantity/quantity.hpp"
#include "core/signal/interpolate.hpp"

namespace rt::ofdm {
namespace {

using Complex = std::complex<double>;
using std::numbers::pi;

// Samples are taken this far before the end of the guard interval.
constexpr double early = 6;

// 20 million samples a second out of any higher rate.
class Stream {
  public:
    Stream(std::span<const std::complex<float>> samples, double rate)
        : x_(samples.begin(), samples.end()), rate_(rate) {
        if (rate > 1.01 * rate_hz) x_ = filtered(x_, low_pass(rate_hz / 2, 3.4e6, rate));
    }
    double length() const { return static_cast<double>(x_.size()) * rate_hz / rate_; }
    // The signal at `at` samples of 20 MHz, with the carrier and clock found so far taken out.
    Complex operator()(double at) const {
        const double place = at * rate_ / rate_hz;
        const double turn = -2 * pi * frequency_hz * at / rate_hz;
        const double whole = std::round(place);
        const Complex value =
            std::abs(place - whole) < 1e-9 && whole >= 0 && whole < static_cast<double>(x_.size())
                ? x_[static_cast<std::size_t>(whole)]
                : value_between(x_, place);
        return value * std::polar(1.0, turn);
    }
    double frequency_hz = 0;

  private:
    std::vector<Complex> x_;
    double rate_;
};

struct Lag {
    Complex product = 0;
    double power = 0;
};

Lag lag(const std::vector<Complex>& x, std::size_t from, std::size_t count, std::size_t distance) {
    Lag out;
    for (std::size_t i = from; i < from + count; ++i) {
        out.product += x[i + distance] * std::conj(x[i]);
        out.power += (std::norm(x[i]) + std::norm(x[i + distance])) / 2;
    }
    return out;
}

std::vector<Complex> long_symbol() {
    std::vector<Complex> out(points);
    for (int k = -outermost; k <= outermost; ++k) {
        out[static_cast<std::size_t>((k + 64) % 64)] = long_training(k);
    }
    Fft<double>(points, Fft<double>::Direction::backward)(out.data());
    return out;
}

// Spectrum of 64 samples from `at`, `spacing` apart, carriers -26 to 26.
std::array<Complex, 53> carriers(const Stream& x, double at, double spacing = 1) {
    static const Fft<double> transform(points);
    alignas(64) std::array<Complex, points> work;
    for (std::size_t i = 0; i < points; ++i) work[i] = x(at + spacing * static_cast<double>(i));
    transform(work.data());
    std::array<Complex, 53> out;
    for (int k = -outermost; k <= outermost; ++k) {
        out[static_cast<std::size_t>(k + outermost)] = work[static_cast<std::size_t>((k + 64) % 64)];
    }
    return out;
}

std::size_t at(int carrier) {
    return static_cast<std::size_t>(carrier + outermost);
}

// Common phase and slope over carriers of a symbol, from its pilots through the channel.
struct Turn {
    double phase = 0, slope = 0;
};

// `expected` is the slope that the symbols before let expect: what has accumulated over a long frame turns
// pilots against each other.
Turn turn_of(const std::array<Complex, 53>& seen, const std::array<Complex, 53>& channel, std::size_t n,
             double expected = 0) {
    Complex sum = 0;
    std::array<Complex, 4> each;
    for (std::size_t i = 0; i < 4; ++i) {
        const auto k = at(pilot_carriers[i]);
        each[i] =
            seen[k] * std::conj(channel[k]) * pilot(n, i) * std::polar(1.0, -expected * pilot_carriers[i]);
        sum += each[i];
    }
    Turn out;
    out.phase = std::arg(sum);
    double weighted = 0, weights = 0;
    for (std::size_t i = 0; i < 4; ++i) {
        const double rest = std::arg(each[i] * std::polar(1.0, -out.phase)), power = std::abs(each[i]);
        weighted += power * rest * pilot_carriers[i];
        weights += power * pilot_carriers[i] * pilot_carriers[i];
    }
    out.slope = expected;
    if (weights > 0) out.slope += weighted / weights;
    return out;
}

Complex correct(const std::array<Complex, 53>& seen, const std::array<Complex, 53>& channel, const Turn& turn,
                int k) {
    return seen[at(k)] / channel[at(k)] * std::polar(1.0, -turn.phase - turn.slope * k);
}

// Line through the slopes: the clock error moves them evenly.
double trend(const std::vector<Turn>& turns) {
    const auto n = static_cast<double>(turns.size());
    double sx = 0, sy = 0, sxx = 0, sxy = 0;
    for (std::size_t i = 0; i < turns.size(); ++i) {
        const auto x = static_cast<double>(i) + 1;
        sx += x, sy += turns[i].slope, sxx += x * x, sxy += x * turns[i].slope;
    }
    const double base = n * sxx - sx * sx;
    return base > 0 ? (n * sxy - sx * sy) / base : 0;
}

// One frame out of a burst, step by step. Each step gives why the frame cannot be taken, "" when it can.
class Receiver {
  public:
    Receiver(std::span<const std::complex<float>> samples, double rate)
        : stream_(samples, rate), length_(static_cast<std::size_t>(stream_.length())) {}

    Attempt take() {
        for (const auto step :
             {&Receiver::find_short_training, &Receiver::find_long_training, &Receiver::estimate_channel,
              &Receiver::read_signal, &Receiver::follow_symbols}) {
            if (auto why = (this->*step)(); !why.empty()) return {{}, std::move(why)};
        }
        tell_clock_and_carrier();
        compare_behind_training();
        compare_behind_frame();
        decode();
        return {std::move(out_), {}};
    }

  private:
    using Carriers = std::array<Complex, 53>;

    std::string find_short_training();
    std::string find_long_training();
    std::string estimate_channel();
    std::string read_signal();
    std::string follow_symbols();
    std::string follow_once();
    void tell_clock_and_carrier();
    void compare_behind_training();
    void compare_behind_frame();
    void decode();

    void look_at_head() {
        for (std::size_t i = 0; i < head_.size(); ++i) head_[i] = stream_(static_cast<double>(i));
    }
    // Where the symbol `n` is sampled from: SIGNAL is 0, data begin with 1.
    double begin_of(std::size_t n) const {
        return start_ + 2 * points + static_cast<double>(n * symbol) + guard - early;
    }
    Complex ideal_of(Complex value, std::size_t n, int k) const {
        for (std::size_t i = 0; i < 4; ++i) {
            if (pilot_carriers[i] == k) return pilot(n, i);
        }
        return nearest(value, out_.signal.rate.bits_per_carrier);
    }

    Stream stream_;
    std::size_t length_;
    std::vector<Complex> head_;  // the beginning, with the carrier found so far taken out
    std::size_t begin_ = 0;      // of the short training, in samples
    double start_ = 0;           // of the long training's first symbol
    Carriers channel_{};
    std::vector<Carriers> data_;
    std::vector<Turn> turns_;
    double clock_ = 0;                // how much longer a sample of the transmitter is than ours, as a share
    Carriers product_{};              // of values and their ideals over the frame, by carrier
    std::array<double, 53> power_{};  // of the ideals
    Demodulated out_;
};

// Ten times the same 16 samples: the product with the signal 16 samples on, relative to its power, is 1
// without noise and 1 / (1 + noise / signal) with it. Half is a signal as strong as the noise.
std::string Receiver::find_short_training() {
    if (length_ < 400 + 80) return "the burst is shorter than training and SIGNAL field, 20 us";
    head_.resize(std::min<std::size_t>(length_ - 400, 400) + 400);
    look_at_head();
    double best = 0;
    for (std::size_t i = 0; i + 160 < head_.size(); ++i) {
        const Lag l = lag(head_, i, 128, 16);
        const double quality = std::abs(l.product) / std::max(l.power, 1e-30);
        // Steps of a thousandth count: what follows the first of equal places is the same training.
        if (quality > best * 1.001 && l.power > 0) best = quality, begin_ = i;
        if (best > 0.9 && i > begin_ + 40) break;
    }
    if (best < 0.5) {
        return "no OFDM short training sequence: the best repetition is " + fixed(100 * best, 0) +
               " %, at least 50 % were expected";
    }
    stream_.frequency_hz = std::arg(lag(head_, begin_, 128, 16).product) / (2 * pi * 16) * rate_hz;
    return {};
}

// Where two symbols 64 samples apart match the known one best; a quarter of the power each is the least. The
// turn between the two is what is left of the carrier offset.
std::string Receiver::find_long_training() {
    const auto reference = long_symbol();
    look_at_head();
    std::vector<double> match(head_.size());
    for (std::size_t i = 0; i + points <= head_.size(); ++i) {
        Complex sum = 0;
        double energy = 0;
        for (std::size_t k = 0; k < points; ++k) {
            sum += head_[i + k] * std::conj(reference[k]);
            energy += std::norm(head_[i + k]);
        }
        match[i] = std::norm(sum) / std::max(energy * points * 52, 1e-30);
    }
    std::size_t first = 0;
    double pair = 0;
    for (std::size_t i = 0; i + 128 < head_.size(); ++i) {
        if (match[i] + match[i + points] > pair) pair = match[i] + match[i + points], first = i;
    }
    if (pair < 2 * 0.25) {
        return "no OFDM long training sequence behind the short one: the best match is " +
               fixed(100 * std::sqrt(pair / 2), 0) + " %";
    }
    const Lag fine = lag(head_, first, points, points);
    stream_.frequency_hz += std::arg(fine.product) / (2 * pi * points) * rate_hz;
    start_ = static_cast<double>(first);
    out_.start_s = (start_ - 192) / rate_hz;
    return {};
}

// The mean of the two long symbols against the known one. What stands on the carrier in the middle leaks.
std::string Receiver::estimate_channel() {
    const auto one = carriers(stream_, start_ - early), two = carriers(stream_, start_ + points - early);
    double total = 0;
    for (int k = -outermost; k <= outermost; ++k) {
        const Complex mean = (one[at(k)] + two[at(k)]) / 2.0;
        total += std::norm(mean);
        if (k == 0) continue;
        channel_[at(k)] = mean * long_training(k);
        out_.channel_power.push_back(std::norm(channel_[at(k)]));
    }
    out_.channel_power.insert(out_.channel_power.begin() + outermost, 0);
    out_.leakage = std::norm((one[at(0)] + two[at(0)]) / 2.0) / total;
    return {};
}

std::string Receiver::read_signal() {
    const auto seen = carriers(stream_, begin_of(0));
    const Turn turn = turn_of(seen, channel_, 0);
    std::vector<double> values;
    for (int k = -outermost; k <= outermost; ++k) {
        if (k != 0 && !is_pilot(k)) values.push_back(correct(seen, channel_, {turn.phase, 0}, k).real());
    }
    const auto signal = decode_signal(values);
    if (!signal) return "the SIGNAL field of the OFDM frame cannot be decoded (parity, rate or tail)";
    out_.signal = *signal;
    return {};
}

// Twice: first the slopes are followed from symbol to symbol, each expected by a line through those before,
// and their trend is the clock error; then the symbols are taken at the instants of that clock, and what is
// left of the trend is added. Slope per symbol in radians per carrier: 2 pi / 64 per sample of drift, 80
// samples a symbol. The training's phase belongs to its middle, 2.4 symbols before the middle of the first
// data symbol.
std::string Receiver::follow_symbols() {
    constexpr double to_training = 2.4;
    double per_symbol = 0;
    for (int pass = 0; pass < 2; ++pass) {
        if (auto why = follow_once(); !why.empty()) return why;
        per_symbol = turns_.size() > 3 ? trend(turns_) : 0;
        clock_ -= per_symbol * points / (2 * pi) / symbol;
    }
    for (std::size_t i = 0; i < turns_.size(); ++i)
        turns_[i].slope = per_symbol * (static_cast<double>(i) + to_training);
    return {};
}

std::string Receiver::follow_once() {
    const double middle = start_ + points - early;  // of the training, from where instants are counted
    data_.clear(), turns_.clear();
    double slope = 0, growth = 0;
    for (std::size_t n = 1; n <= out_.signal.symbols; ++n) {
        const double from = middle + (begin_of(n) - middle) * (1 + clock_);
        if (from + points * (1 + clock_) > stream_.length()) {
            return "the burst ends before the " + std::to_string(out_.signal.symbols) +
                   " data symbols that its SIGNAL field states";
        }
        data_.push_back(carriers(stream_, from, 1 + clock_));
        turns_.push_back(turn_of(data_.back(), channel_, n, slope + growth));
        // A loop of second order, slow enough for the noise of four pilots.
        const double error = turns_.back().slope - (slope + growth);
        slope += growth + 0.2 * error;
        growth += 0.01 * error;
    }
    return {};
}

// The rest of the carrier offset is the even drift of the common phase.
void Receiver::tell_clock_and_carrier() {
    out_.clock_ppm = -clock_ * 1e6;
    double drift = 0;
    for (std::size_t i = 1; i < turns_.size(); ++i)
        drift += std::remainder(turns_[i].phase - turns_[i - 1].phase, 2 * pi);
    out_.frequency_offset_hz = stream_.frequency_hz;
    if (turns_.size() > 1) {
        out_.frequency_offset_hz +=
            drift / static_cast<double>(turns_.size() - 1) / (2 * pi * symbol) * rate_hz;
    }
}

// Error of each symbol through the channel that the training has shown.
void Receiver::compare_behind_training() {
    double sum = 0;
    for (std::size_t i = 0; i < data_.size(); ++i) {
        double own = 0;
        for (int k = -outermost; k <= outermost; ++k) {
            if (k == 0) continue;
            const Complex value = correct(data_[i], channel_, turns_[i], k),
                          ideal = ideal_of(value, i + 1, k);
            own += std::norm(value - ideal);
            if (!is_pilot(k)) out_.constellation.push_back(value);
            product_[at(k)] += value * std::conj(ideal);
            power_[at(k)] += std::norm(ideal);
        }
        out_.error_of_symbol.push_back(std::sqrt(own / 52));
        sum += own;
    }
    out_.error_training = std::sqrt(sum / (52 * static_cast<double>(data_.size())));
}

// Once more with the channel that fits the whole frame best.
void Receiver::compare_behind_frame() {
    double sum = 0;
    for (std::size_t i = 0; i < data_.size(); ++i) {
        for (int k = -outermost; k <= outermost; ++k) {
            if (k == 0) continue;
            const Complex value = correct(data_[i], channel_, turns_[i], k);
            const Complex again = value / (product_[at(k)] / power_[at(k)]);
            sum += std::norm(again - ideal_of(value, i + 1, k));
        }
    }
    out_.error_whole = std::sqrt(sum / (52 * static_cast<double>(data_.size())));
}

void Receiver::decode() {
    std::vector<double> weight;
    for (int k = -outermost; k <= outermost; ++k) {
        if (k != 0 && !is_pilot(k)) weight.push_back(std::norm(channel_[at(k)]));
    }
    out_.payload = decode_payload(out_.constellation, weight, out_.signal);
}

}  // namespace

Attempt demodulate(std::span<const std::complex<float>> samples, double rate) {
    return Receiver(samples, rate).take();
}

}  // namespace rt::ofdm
