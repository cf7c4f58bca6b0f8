// The weighting detectors of CISPR 16-1-1: quasi-peak and the meter behind the average.
#pragma once

#include <cstddef>
#include <optional>
#include <span>
#include <vector>

namespace rt {

// One band of CISPR 16-1-1: its bandwidth and the time constants of its detector and meter.
struct CisprBand {
    const char* name;  // "A", "B", "C/D"
    double bandwidth_hz;
    double charge_s;     // to 63 % of the final value after a sine begins
    double discharge_s;  // to 37 % after it ends
    double meter_s;      // critically damped
    // Share of the published charge time constant with which the model below follows the published pulse
    // response best; see docs/measurements/emission.md.
    double charge_share;

    // How long a meter needs to come within 0.1 dB of its deflection.
    double settling_s() const { return 7 * meter_s; }
};

std::span<const CisprBand> cispr_bands();
// The band that uses this bandwidth: 200 Hz, 9 kHz, 120 kHz.
std::optional<CisprBand> cispr_band_with(double bandwidth_hz);

// Quasi-peak detectors, one for each frequency bin, fed with the envelope behind the resolution filter in
// steps of `step_s`.
//
// Model: a rectifier charges a capacitor through a resistor S while the intermediate-frequency sine of
// envelope A is above the voltage V it holds, that is over a conduction angle of arccos(V/A) to each side; a
// resistor discharges it all the time:
//     dV/dt = A g(V/A) / tau_x - V / tau_d,   g(r) = (sqrt(1 - r^2) - r arccos r) / pi
// tau_x = S C is chosen so that V reaches 63 % of its final value in the charge time constant. Two equal
// first-order stages are the critically damped meter; the reading is its highest deflection. It is scaled so
// that a sine reads its own envelope.
class QuasiPeakBank {
  public:
    QuasiPeakBank(const CisprBand& band, double step_s, std::size_t bins);
    // One envelope sample of bins `first` on.
    void add(std::size_t first, std::span<const float> envelope);
    // Ends a step of all bins together: moves the meters on when it is time.
    void step(std::size_t first, std::size_t count, std::size_t steps_done);
    double reading(std::size_t bin) const { return highest_[bin] * scale_; }

  private:
    float charge_, keep_;
    std::size_t stride_;
    double meter_share_, scale_;
    std::vector<float> held_, sum_;
    std::vector<double> first_, second_, highest_;
};

// The same for one frequency over many samples: several of them are charged from the same voltage where that
// moves by less than 1 %.
class QuasiPeak {
  public:
    QuasiPeak(const CisprBand& band, double step_s);
    void add(std::span<const float> envelope);
    double reading() const { return highest_ * scale_; }

  private:
    void move_meter();

    float charge_, keep_, held_ = 0;
    std::size_t group_, stride_, done_ = 0;
    double meter_share_, scale_;
    double sum_ = 0, first_ = 0, second_ = 0, highest_ = 0;
};

// The critically damped meter alone, behind an averaging detector (CISPR 16-1-1 clause 6).
class MeterBank {
  public:
    MeterBank(const CisprBand& band, double step_s, std::size_t bins);
    void add(std::size_t first, std::span<const float> envelope);
    void step(std::size_t first, std::size_t count, std::size_t steps_done);
    double reading(std::size_t bin) const { return highest_[bin]; }

  private:
    std::size_t stride_;
    double meter_share_;
    std::vector<float> sum_;
    std::vector<double> first_, second_, highest_;
};

}  // namespace rt
