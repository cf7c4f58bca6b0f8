// Subcarriers of one symbol after another out of a record.
#pragma once

#include <complex>
#include <cstddef>
#include <numbers>
#include <span>
#include <vector>

#include "core/cellular/uplink.hpp"
#include "core/dsp/fft.hpp"
#include "core/dsp/resample.hpp"
#include "core/signal/iq_record.hpp"

namespace rt::cellular {

using Complex = std::complex<double>;
using Rows = std::vector<std::vector<Complex>>;  // a row for each symbol
inline constexpr double two_pi = 2 * std::numbers::pi;

// Where a slot lies in a record, and how its clocks run.
struct SlotPlace {
    double start_s = 0;    // of the prefix of its first symbol
    double offset_hz = 0;  // of the carrier
    double stretch = 0;    // of its times: 1e-5 when its clock is 10 ppm slow
};

class GridReader {
  public:
    // `record` has the carrier at 0 Hz. Throws Error(input) when its band does not hold the channel.
    GridReader(const IqRecord& record, const UplinkFormat& format);

    std::size_t size() const { return transform_.size(); }  // of a transform
    double rate_hz() const { return static_cast<double>(size()) * spacing_hz_; }
    std::size_t subcarriers() const { return subcarriers_; }
    double seconds() const { return record_.seconds(); }
    double reach_s() const { return static_cast<double>(resampler_.reach()) / record_.sample_rate_hz; }

    // Samples at rate_hz() from a time on; 0 beyond the record.
    std::vector<std::complex<float>> samples(double from_s, std::size_t count) const;

    // Amplitudes of the channel's subcarriers, and `beyond` more on each side, of a symbol whose useful part
    // begins `useful_s` behind the slot's start (by its own clock). The transform begins `back_s` earlier, in
    // the prefix; phases are those at the useful part's begin.
    void symbol(const SlotPlace& place, double useful_s, double back_s, std::size_t beyond,
                std::span<Complex> out) const;
    // The same for several transforms, that which begins first first: their begins are whole samples apart.
    void symbol(const SlotPlace& place, double useful_s, std::span<const double> backs_s, std::size_t beyond,
                std::span<const std::span<Complex>> outs) const;
    // The time that is whole samples long and nearest.
    double whole(double seconds) const;
    // The same of a window of samples that are at hand.
    void transformed(std::span<const std::complex<float>> window, double back_s, std::size_t beyond,
                     std::span<Complex> out) const;
    // What a line of amplitude 1 at the carrier frequency comes to on each subcarrier.
    std::vector<Complex> line_at_carrier(double back_s) const;

  private:
    // Keeps what lies around a time at hand: neighbouring symbols share it.
    void fetch(double from_s, double to_s) const;

    IqRecord record_;
    double spacing_hz_, half_hz_;
    std::size_t subcarriers_;
    Fft<float> transform_;
    Resampler resampler_;
    std::vector<std::complex<float>> half_turns_;  // moves subcarriers onto whole multiples of the spacing
    mutable std::vector<std::complex<float>> held_;
    mutable std::uint64_t held_first_ = 0;
    mutable std::vector<std::complex<float>> window_;
    mutable std::vector<std::complex<float>> work_;
};

}  // namespace rt::cellular
