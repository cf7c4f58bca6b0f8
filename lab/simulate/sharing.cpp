#include "lab/simulate/sharing.hpp"

#include <algorithm>
#include <array>
#include <cmath>
#include <numbers>

#include "core/dsp/fir.hpp"
#include "lab/simulate/levels.hpp"
#include "lab/simulate/random.hpp"
#include "lab/simulate/surroundings.hpp"

namespace rt::lab {
namespace {

using Complex = std::complex<double>;

constexpr std::array sharing_keys{
    KeyInfo{"port", Key::text, true, "where it transmits and listens"},
    KeyInfo{"when", Key::pairs, false, "settings under which it transmits"},
    KeyInfo{"frequency", Key::quantity, true, "of its carrier", Unit::hertz},
    KeyInfo{"level", Key::quantity, true, "of its bursts", Unit::dbm},
    KeyInfo{"occupancy", Key::quantity, false, "length of a burst; 5 ms without it", Unit::second},
    KeyInfo{"idle", Key::quantity, false, "between bursts; 0.5 ms without it", Unit::second},
    KeyInfo{"threshold", Key::quantity, false, "what it hears; -70 dBm without it", Unit::dbm},
    KeyInfo{"reaction", Key::quantity, false,
            "how long after interference began it still begins bursts; 0 s without it", Unit::second},
    KeyInfo{"away", Key::quantity, false, "how long it stays away after interference ended; 0 s without it",
            Unit::second},
    KeyInfo{"control", Key::quantity, false,
            "length of short signals while it is kept quiet; none without it", Unit::second},
    KeyInfo{"control_period", Key::quantity, false, "from one to the next; 50 ms without it", Unit::second},
    KeyInfo{"interference_width", Key::quantity, false,
            "bandwidth of what modulated generators send, and of the channel that it listens to; 5 MHz "
            "without it",
            Unit::hertz},
    KeyInfo{"blocked_at", Key::quantity, false,
            "while so much arrives beside its channel it hears nothing; never without it", Unit::dbm},
};

struct Span {
    double from_s, to_s;
};

// When it is on.
std::vector<Span> bursts_of(const Sharing& s, const std::vector<Heard>& heard, double seconds,
                            Random& random) {
    std::vector<Span> busy, blocked;
    for (const auto& part : heard) {
        if (std::abs(part.frequency_hz - s.frequency_hz) > s.interference_width_hz / 2) {
            if (part.at_unit_dbm >= s.blocked_dbm) blocked.push_back({part.from_s, part.to_s});
            continue;
        }
        if (part.at_unit_dbm < s.threshold_dbm) continue;
        if (!busy.empty() && part.from_s <= busy.back().to_s) {
            busy.back().to_s = std::max(busy.back().to_s, part.to_s);
        } else {
            busy.push_back({part.from_s, part.to_s});
        }
    }
    std::vector<Span> out;
    double next_control = -1;
    for (double t = -random.uniform() * s.occupancy_s; t < seconds;) {
        auto kept = std::find_if(busy.begin(), busy.end(), [&](const Span& span) {
            return t >= span.from_s + s.reaction_s && t < span.to_s + s.away_s;
        });
        if (std::any_of(blocked.begin(), blocked.end(),
                        [&](const Span& span) { return t >= span.from_s && t < span.to_s; }))
            kept = busy.end();
        if (kept == busy.end()) {
            out.push_back({t, t + s.occupancy_s});
            t += s.occupancy_s + s.idle_s;
            next_control = -1;
            continue;
        }
        if (next_control < 0) next_control = t + s.control_period_s;
        constexpr double listens_s = 100e-6;
        if (s.control_s > 0 && t >= next_control) {
            out.push_back({t, t + s.control_s});
            next_control += s.control_period_s;
            t += s.control_s;
        }
        t += listens_s;
    }
    return out;
}

void add_burst(std::vector<Complex>& x, const IqSetup& setup, const Span& span, double offset_hz,
               double level, Random& random) {
    const double rate = setup.sample_rate_hz;
    const auto place = [&](double t) {
        return static_cast<std::size_t>(std::clamp(t * rate, 0.0, static_cast<double>(x.size())));
    };
    // Constant envelope, its frequency going about within a hundredth of the rate.
    double phase = 2 * std::numbers::pi * random.uniform(), wander = 0;
    for (std::size_t n = place(span.from_s), end = place(span.to_s); n < end; ++n) {
        wander = 0.99 * wander + 0.01 * random.normal();
        phase += 2 * std::numbers::pi * (offset_hz / rate + 0.05 * wander);
        x[n] += std::polar(level, phase);
    }
}

void add_interference(std::vector<Complex>& x, const IqSetup& setup, const Heard& part, double width_hz,
                      double level, Random& random) {
    const double rate = setup.sample_rate_hz, offset = part.frequency_hz - setup.centre_hz;
    const auto place = [&](double t) {
        return static_cast<std::size_t>(std::clamp(t * rate, 0.0, static_cast<double>(x.size())));
    };
    const std::size_t from = place(part.from_s), to = place(part.to_s);
    if (from >= to) return;
    std::vector<Complex> own(to - from, Complex(level, 0));
    if (part.modulated) {
        // White noise through a low-pass of that width keeps width / rate of its power.
        const double share = width_hz / rate;  // above 1 the record holds a part of it only
        for (auto& value : own)
            value = Complex(random.normal(), random.normal()) * (level / std::sqrt(2 * share));
        if (width_hz < 0.9 * rate) own = filtered(own, low_pass(width_hz / 2, width_hz / 8, rate));
    }
    if (!part.modulated && std::abs(offset) > rate / 2) return;
    for (std::size_t n = from; n < to; ++n) {
        const double cycles = offset * static_cast<double>(n) / rate;
        x[n] += own[n - from] * std::polar(1.0, 2 * std::numbers::pi * (cycles - std::floor(cycles)));
    }
}

}  // namespace

const SectionInfo sharing_section{"[[sharing]]", "A transmitter that listens before it talks.", sharing_keys};

Sharing read_sharing(const ConfigSection& s, const std::map<std::string, std::string>& settings) {
    Sharing out;
    out.port = s.text("port");
    out.when = when_of(s, settings);
    out.frequency_hz = s.quantity("frequency")->value;
    out.level_dbm = s.quantity("level")->value;
    out.occupancy_s = s.quantity_or("occupancy", out.occupancy_s);
    out.idle_s = s.quantity_or("idle", out.idle_s);
    out.threshold_dbm = s.quantity_or("threshold", out.threshold_dbm);
    out.reaction_s = s.quantity_or("reaction", 0);
    out.away_s = s.quantity_or("away", 0);
    out.control_s = s.quantity_or("control", 0);
    out.control_period_s = s.quantity_or("control_period", out.control_period_s);
    out.blocked_dbm = s.quantity_or("blocked_at", out.blocked_dbm);
    out.interference_width_hz = s.quantity_or("interference_width", out.interference_width_hz);
    for (const char* key : {"occupancy", "idle", "control_period", "interference_width"})
        if (const auto given = s.quantity(key); given && !(given->value > 0)) s.fail(key, "must be above 0");
    return out;
}

void add_sharing(std::vector<Complex>& samples, const IqSetup& setup, double full_scale_dbm,
                 const Sharing& sharing, const std::vector<Heard>& heard, std::uint64_t seed) {
    Random random(seed);
    const double offset = sharing.frequency_hz - setup.centre_hz;
    const auto bursts = bursts_of(sharing, heard, setup.duration_s, random);
    if (std::abs(offset) < setup.sample_rate_hz / 2) {
        for (const auto& burst : bursts)
            add_burst(samples, setup, burst, offset, amplitude(sharing.level_dbm, full_scale_dbm), random);
    }
    for (const auto& part : heard)
        add_interference(samples, setup, part, sharing.interference_width_hz,
                         amplitude(part.at_analyser_dbm, full_scale_dbm), random);
}

}  // namespace rt::lab
