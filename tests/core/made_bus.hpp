// Lines of a bus drawn from known times.
#pragma once

#include <cstddef>
#include <vector>

namespace made {

// A line of straight ramps: levels in parts of 3.3 V; each change begins at a time and takes a time from 0 to
// 100 %.
class Drawn {
  public:
    explicit Drawn(bool high) : level_(high ? 1 : 0) {}
    void to(bool high, double at, double ramp) { changes_.push_back({at, ramp, high ? 1.0 : 0.0}); }
    std::vector<double> volts(double step, std::size_t count) const {
        std::vector<double> out(count);
        double level = level_;
        std::size_t next = 0;
        for (std::size_t i = 0; i < count; ++i) {
            const double t = static_cast<double>(i) * step;
            while (next < changes_.size() && t >= changes_[next].at + changes_[next].ramp)
                level = changes_[next++].to;
            double v = level;
            if (next < changes_.size() && t > changes_[next].at) {
                const auto& c = changes_[next];
                v += (c.to - level) * (t - c.at) / c.ramp;
            }
            out[i] = 3.3 * v;
        }
        return out;
    }

  private:
    struct Change {
        double at, ramp, to;
    };
    double level_;
    std::vector<Change> changes_;
};

// A 100 kHz bus: ramps of 1 us rising and 0.25 us falling, from 30 to 70 % 0.4 us and 0.1 us.
struct TwoWire {
    static constexpr double us = 1e-6, rise = 1 * us, fall = 0.25 * us;
    Drawn clock{true}, data{true};
    double t = 20 * us;
    bool level = true;

    void set(bool bit, double at) {
        if (bit != level) data.to(bit, at, bit ? rise : fall);
        level = bit;
    }
    void start() {
        set(false, t);
        t += 5 * us;
        clock.to(false, t, fall);
    }
    // One clock of 10 us from falling edge to falling edge; data changes `hold` behind the fall.
    void bit(bool value, double hold = 1 * us) {
        set(value, t + hold);
        clock.to(true, t + 5 * us, rise);
        clock.to(false, t + 10 * us, fall);
        t += 10 * us;
    }
    void byte(int value, bool acknowledge) {
        for (int k = 7; k >= 0; --k) bit(value >> k & 1);
        bit(!acknowledge);
    }
    void stop() {
        set(false, t + 1 * us);
        clock.to(true, t + 5 * us, rise);
        set(true, t + 11 * us);
        t += 30 * us;
    }
    void repeated_start() {
        set(true, t + 1 * us);
        clock.to(true, t + 5 * us, rise);
        set(false, t + 11 * us);
        t += 16 * us;
        clock.to(false, t, fall);
    }
};

}  // namespace made
