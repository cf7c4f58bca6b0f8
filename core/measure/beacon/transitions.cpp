#include "core/measure/beacon/transitions.hpp"

namespace rt::beacon {

std::optional<Edge> edge_of(const Cumulated& power, const Baseband& base, double from_s, double to_s, int way,
                            double carrier, double noise, double smoothing_s) {
    const auto level = [&](double t) {
        return (power.mean(t - smoothing_s / 2, t + smoothing_s / 2) - noise) / carrier;
    };
    const double step = 1 / base.rate;
    const auto crossing = [&](double wanted, double begin) -> std::optional<double> {
        double before = level(begin);
        for (double t = begin + way * step; way * (to_s - t) >= 0; t += way * step) {
            const double now = level(t);
            if (before < wanted && now >= wanted) return t - way * step * (now - wanted) / (now - before);
            before = now;
        }
        return std::nullopt;
    };
    const auto half = crossing(0.5, from_s);
    if (!half) return std::nullopt;
    const auto high = crossing(0.9, *half - way * step), low = crossing(0.1, from_s);
    if (!high) return std::nullopt;
    Edge out;
    // Averaging over this time spreads a step: what it adds is taken off.
    const double spread = 0.4 * smoothing_s, own = std::abs(*high - *half);
    out.at_90_s = *half + way * std::sqrt(std::max(0.0, own * own - spread * spread));
    if (low) {
        const double time = std::abs(*high - *low), filter = std::hypot(0.8 * smoothing_s, base.rise_s);
        out.hidden = time < 1.3 * filter;
        out.rise_s = out.hidden ? time : std::sqrt(std::max(0.0, time * time - filter * filter));
    }
    return out;
}

static double openness(const Cumulated& phase, const Clock& clock, int bits) {
    double sum = 0;
    for (int k = 0; k < bits; ++k) {
        const double a = clock.begin(k), b = clock.begin(k + 0.5), c = clock.begin(k + 1);
        sum += std::abs(phase.mean(a, b) - phase.mean(b, c));
    }
    return sum;
}

Clock clock_of(const Cumulated& phase, double modulation_s, int bits) {
    Clock best{modulation_s, nominal_rate};
    double most = -1;
    const auto search = [&](double rate_range, double rate_step, double time_range, double time_step) {
        const Clock centre = best;
        for (double r = -rate_range; r <= rate_range + 1e-9; r += rate_step) {
            for (double t = -time_range; t <= time_range + 1e-12; t += time_step) {
                const Clock now{centre.first_s + t, centre.rate + r};
                const double open = openness(phase, now, bits);
                if (open > most) most = open, best = now;
            }
        }
    };
    search(24, 0.5, 0.3e-3, 0.1e-3);
    search(0.5, 0.05, 0.1e-3, 0.02e-3);
    return best;
}

std::optional<Transition> transition_at(const Cumulated& phase, double t, double bit_s) {
    const double reach = 0.22 * bit_s, flat = 0.1 * bit_s;
    Transition out;
    out.from = phase.mean(t - reach, t - reach + flat);
    out.to = phase.mean(t + reach - flat, t + reach);
    if (std::abs(out.to - out.from) < 0.5) return std::nullopt;
    const double mean = phase.mean(t - reach, t + reach);
    out.time_s = t - reach + 2 * reach * (out.to - mean) / (out.to - out.from);
    return out;
}

std::optional<double> shape_rise(const std::vector<Transition>& all, bool rising,
                                 const std::vector<double>& phase, const Baseband& base, double bit_s) {
    const double reach = 0.2 * bit_s;
    constexpr std::size_t cells = 100;
    std::vector<double> sum(cells), count(cells);
    for (const auto& one : all) {
        if (one.rising() != rising) continue;
        const auto first = static_cast<std::size_t>(std::max(0.0, std::ceil(base.place(one.time_s - reach))));
        for (std::size_t n = first; n < phase.size() && base.time(n) < one.time_s + reach; ++n) {
            const double x = (base.time(n) - one.time_s + reach) / (2 * reach);
            const auto cell = std::min(cells - 1, static_cast<std::size_t>(x * cells));
            sum[cell] += (phase[n] - one.from) / (one.to - one.from);
            count[cell] += 1;
        }
    }
    std::vector<double> x, y;
    for (std::size_t i = 0; i < cells; ++i) {
        if (count[i] == 0) continue;
        x.push_back((static_cast<double>(i) + 0.5) / cells * 2 * reach);
        y.push_back(sum[i] / count[i]);
    }
    if (x.size() < 10) return std::nullopt;
    const auto crossing = [&](double wanted) -> std::optional<double> {
        // From the middle outwards: noise on the flat parts does not count.
        std::size_t middle = x.size() / 2;
        if (wanted < 0.5) {
            for (std::size_t i = middle; i > 0; --i)
                if (y[i - 1] < wanted && y[i] >= wanted)
                    return x[i - 1] + (wanted - y[i - 1]) / (y[i] - y[i - 1]) * (x[i] - x[i - 1]);
        } else {
            for (std::size_t i = middle; i < x.size(); ++i)
                if (y[i - 1] < wanted && y[i] >= wanted)
                    return x[i - 1] + (wanted - y[i - 1]) / (y[i] - y[i - 1]) * (x[i] - x[i - 1]);
        }
        return std::nullopt;
    };
    const auto low = crossing(0.1), high = crossing(0.9);
    if (!low || !high) return std::nullopt;
    return *high - *low;
}

}  // namespace rt::beacon
