// Resolution-bandwidth filters of a Gaussian shape, as swept and FFT analysers realise them.
#pragma once

namespace rt {

// A Gaussian power response exp(-x^2 / (2 sigma^2)) around the tuned frequency.
// Its bandwidths (closed form): B3 = 2.3548 sigma, B6 = sqrt(2) B3, noise bandwidth = 1.0645 B3.
class GaussianFilter {
  public:
    static GaussianFilter with_3db(double bandwidth_hz);
    // CISPR 16-1-1 states its bandwidths (200 Hz, 9 kHz, 120 kHz) between the 6 dB points.
    static GaussianFilter with_6db(double bandwidth_hz);
    // 6 dB for the three CISPR bandwidths, 3 dB for all others: what analysers with both kinds do.
    static GaussianFilter customary(double bandwidth_hz);

    double power_response(double offset_hz) const;
    double noise_bandwidth_hz() const;
    double sigma_hz() const { return sigma_hz_; }
    // Its response in time to an impulse is a Gaussian too, with this standard deviation: 1 / (2 pi sqrt(2)
    // sigma).
    double sigma_s() const;
    double bandwidth_6db_hz() const;
    // Beyond this offset the response is below -150 dB.
    double reach_hz() const;

  private:
    explicit GaussianFilter(double sigma_hz) : sigma_hz_(sigma_hz) {}
    double sigma_hz_;
};

}  // namespace rt
