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

}  // namespace

Attempt demodulate(std::span<const std::complex<float>> samples, double rate) {
    Stream stream(samples, rate);
    const auto length = static_cast<std::size_t>(stream.length());
    if (length < 400 + 80) return {{}, "the burst is shorter than training and SIGNAL field, 20 us"};
    // Short training: ten times 16 samples.
    const std::size_t room = std::min<std::size_t>(length - 400, 400);
    std::vector<Complex> head(room + 400);
    for (std::size_t i = 0; i < head.size(); ++i) head[i] = stream(static_cast<double>(i));
    std::size_t begin = 0;
    double best = 0;
    for (std::size_t i = 0; i + 160 < head.size(); ++i) {
        const Lag l = lag(head, i, 128, 16);
        const double quality = std::abs(l.product) / std::max(l.power, 1e-30);
        if (quality > best * 1.001 && l.power > 0) best = quality, begin = i;
        if (best > 0.9 && i > begin + 40) break;
    }
    if (best < 0.5) {
        return {{},
                "no OFDM short training sequence: the best repetition is " + fixed(100 * best, 0) +
                    " %, at least 50 % were expected"};
    }
    stream.frequency_hz = std::arg(lag(head, begin, 128, 16).product) / (2 * pi * 16) * rate_hz;
    // Long training: where two symbols 64 samples apart match best.
    const auto reference = long_symbol();
    for (std::size_t i = 0; i < head.size(); ++i) head[i] = stream(static_cast<double>(i));
    std::vector<double> match(head.size());
    for (std::size_t i = 0; i + points <= head.size(); ++i) {
        Complex sum = 0;
        double energy = 0;
        for (std::size_t k = 0; k < points; ++k) {
            sum += head[i + k] * std::conj(reference[k]);
            energy += std::norm(head[i + k]);
        }
        match[i] = std::norm(sum) / std::max(energy * points * 52, 1e-30);
    }
    std::size_t first = 0;
    double pair = 0;
    for (std::size_t i = 0; i + 128 < head.size(); ++i) {
        if (match[i] + match[i + points] > pair) pair = match[i] + match[i + points], first = i;
    }
    if (pair < 2 * 0.25) {
        return {{},
                "no OFDM long training sequence behind the short one: the best match is " +
                    fixed(100 * std::sqrt(pair / 2), 0) + " %"};
    }
    const Lag fine = lag(head, first, points, points);
    stream.frequency_hz += std::arg(fine.product) / (2 * pi * points) * rate_hz;

    Demodulated out;
    const double start = static_cast<double>(first);
    out.start_s = (start - 192) / rate_hz;
    const auto one = carriers(stream, start - early), two = carriers(stream, start + points - early);
    std::array<Complex, 53> channel{};
    double total = 0;
    for (int k = -outermost; k <= outermost; ++k) {
        const Complex mean = (one[at(k)] + two[at(k)]) / 2.0;
        total += std::norm(mean);
        if (k == 0) continue;
        channel[at(k)] = mean * long_training(k);
        out.channel_power.push_back(std::norm(channel[at(k)]));
    }
    out.channel_power.insert(out.channel_power.begin() + outermost, 0);
    out.leakage = std::norm((one[at(0)] + two[at(0)]) / 2.0) / total;

    // SIGNAL and data: the symbol `n` begins here.
    const auto begin_of = [&](std::size_t n) {
        return start + 2 * points + static_cast<double>(n * symbol) + guard - early;
    };
    const auto seen = carriers(stream, begin_of(0));
    const Turn signal_turn = turn_of(seen, channel, 0);
    std::vector<double> values;
    for (int k = -outermost; k <= outermost; ++k) {
        if (k != 0 && !is_pilot(k))
            values.push_back(correct(seen, channel, {signal_turn.phase, 0}, k).real());
    }
    const auto signal = decode_signal(values);
    if (!signal) return {{}, "the SIGNAL field of the OFDM frame cannot be decoded (parity, rate or tail)"};
    out.signal = *signal;
    // Twice: first the slopes are followed from symbol to symbol, each expected by a line through those
    // before, and their trend is the clock error; then the symbols are taken at the instants of that clock,
    // and what is left of the trend is added. Slope per symbol in radians per carrier: 2 pi / 64 per sample
    // of drift, 80 samples a symbol. The training's phase belongs to its middle, 2.4 symbols before the
    // middle of the first data symbol.
    constexpr double to_training = 2.4;
    const double middle = start + points - early;  // of the training, from where instants are counted
    std::vector<std::array<Complex, 53>> data;
    std::vector<Turn> turns;
    double clock = 0;  // how much longer a sample of the transmitter is than ours, as a share
    for (int pass = 0; pass < 2; ++pass) {
        data.clear(), turns.clear();
        double slope = 0, growth = 0;
        for (std::size_t n = 1; n <= signal->symbols; ++n) {
            const double from = middle + (begin_of(n) - middle) * (1 + clock);
            if (from + points * (1 + clock) > stream.length()) {
                return {{},
                        "the burst ends before the " + std::to_string(signal->symbols) +
                            " data symbols that its SIGNAL field states"};
            }
            data.push_back(carriers(stream, from, 1 + clock));
            turns.push_back(turn_of(data.back(), channel, n, slope + growth));
            // A loop of second order, slow enough for the noise of four pilots.
            const double error = turns.back().slope - (slope + growth);
            slope += growth + 0.2 * error;
            growth += 0.01 * error;
        }
        const double per_symbol = turns.size() > 3 ? trend(turns) : 0;
        clock -= per_symbol * points / (2 * pi) / symbol;
        if (pass == 0) continue;
        for (std::size_t i = 0; i < turns.size(); ++i)
            turns[i].slope = per_symbol * (static_cast<double>(i) + to_training);
    }
    out.clock_ppm = -clock * 1e6;
    double drift = 0;
    for (std::size_t i = 1; i < turns.size(); ++i)
        drift += std::remainder(turns[i].phase - turns[i - 1].phase, 2 * pi);
    // The rest of the carrier offset is the even drift of the common phase.
    out.frequency_offset_hz = stream.frequency_hz;
    if (turns.size() > 1) {
        out.frequency_offset_hz +=
            drift / static_cast<double>(turns.size() - 1) / (2 * pi * symbol) * rate_hz;
    }
    const auto ideal_of = [&](Complex value, std::size_t n, int k) -> Complex {
        for (std::size_t i = 0; i < 4; ++i) {
            if (pilot_carriers[i] == k) return pilot(n, i);
        }
        return nearest(value, signal->rate.bits_per_carrier);
    };
    double sum = 0;
    std::array<Complex, 53> product{};
    std::array<double, 53> power{};
    for (std::size_t i = 0; i < data.size(); ++i) {
        double own = 0;
        for (int k = -outermost; k <= outermost; ++k) {
            if (k == 0) continue;
            const Complex value = correct(data[i], channel, turns[i], k), ideal = ideal_of(value, i + 1, k);
            own += std::norm(value - ideal);
            if (!is_pilot(k)) out.constellation.push_back(value);
            product[at(k)] += value * std::conj(ideal);
            power[at(k)] += std::norm(ideal);
        }
        out.error_of_symbol.push_back(std::sqrt(own / 52));
        sum += own;
    }
    out.error_training = std::sqrt(sum / (52 * static_cast<double>(data.size())));
    // Once more with the channel that fits the whole frame best.
    sum = 0;
    for (std::size_t i = 0; i < data.size(); ++i) {
        for (int k = -outermost; k <= outermost; ++k) {
            if (k == 0) continue;
            const Complex value = correct(data[i], channel, turns[i], k);
            const Complex again = value / (product[at(k)] / power[at(k)]);
            sum += std::norm(again - ideal_of(value, i + 1, k));
        }
    }
    out.error_whole = std::sqrt(sum / (52 * static_cast<double>(data.size())));
    std::vector<double> weight;
    for (int k = -outermost; k <= outermost; ++k) {
        if (k != 0 && !is_pilot(k)) weight.push_back(std::norm(channel[at(k)]));
    }
    out.payload = decode_payload(out.constellation, weight, *signal);
    return {std::move(out), {}};
}

}  // namespace rt::ofdm
