// Complex baseband samples of a receiver: a record that may be far longer than memory.
#pragma once

#include <atomic>
#include <complex>
#include <cstdint>
#include <memory>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace rt {

// Where samples come from. 1.0 is full scale. read() may be called from several threads at once.
class IqSamples {
  public:
    // `rail`: values at which the converter can go no higher. `place` names the source in errors; samples
    // that come as integers, or were looked at before, are numbers for sure.
    explicit IqSamples(float rail, std::string place = "", bool sure_numbers = false)
        : rail_(rail), place_(std::move(place)), sure_numbers_(sure_numbers) {}
    virtual ~IqSamples() = default;

    virtual std::uint64_t size() const = 0;
    // Fills `out` with samples from `first` on; both ends lie inside the record. Throws Error(input) naming
    // the sample that is no number.
    void read(std::uint64_t first, std::span<std::complex<float>> out) const;
    // Whether what has been read so far shows a converter that was driven beyond its range: samples with one
    // component at the rail while the magnitude is above it outnumber those just below the rail. A tone of
    // exactly full scale is not clipped by this, a noise-like signal with its tail cut off is.
    virtual bool clipped() const;
    // Why what has been read so far cannot be samples of anything: all of it is one number, or as small as
    // numbers of a wrong byte order are. Empty when it can, or nothing was read.
    virtual std::string dead() const;

  protected:
    // Fills `out` and returns the largest magnitude of all components.
    virtual float fetch(std::uint64_t first, std::span<std::complex<float>> out) const = 0;
    static float largest_component(std::span<const std::complex<float>> samples);

  private:
    float rail_;
    std::string place_;
    bool sure_numbers_;
    mutable std::atomic<std::uint64_t> at_rail_{0}, near_rail_{0}, read_{0};
    mutable std::atomic<float> largest_{0};
    mutable std::atomic<bool> varies_{false};
};

// What a signal analyser has to be asked for in complex samples.
struct IqSetup {
    double centre_hz = 0;
    double sample_rate_hz = 0;
    double duration_s = 0;
    double reference_level_dbm = 0;
};

struct IqRecord {
    using Setup = IqSetup;
    static constexpr const char* kind = "iq";
    static constexpr const char* needed =
        "complex samples (SigMF or two-channel WAV)";  // what a procedure says that takes nothing else

    std::shared_ptr<const IqSamples> samples;
    double sample_rate_hz = 0;
    double centre_hz = 0;                       // what 0 Hz of the baseband stands for
    std::optional<double> reference_level_dbm;  // power of a complex tone with |x| = 1, into 50 ohm
    // Loss of the path at the centre, contained in the reference level, and over frequency relative to there:
    // spectra of the record count each frequency by its own. Empty without a path.
    std::optional<double> path_db = {};
    std::vector<std::pair<double, double>> path_tilt = {};  // Hz, dB
    double from_s = 0;                                      // of the first sample in the whole record
    std::optional<std::string> distrust{};                  // why it cannot be trusted, if it cannot

    std::uint64_t size() const { return samples->size(); }
    double seconds() const { return static_cast<double>(size()) / sample_rate_hz; }
    std::vector<std::complex<float>> read(std::uint64_t first, std::size_t count) const;
    // What the path takes at a frequency more than at the centre, in dB.
    double tilt_db(double hz) const;
};

// Samples `first` to `first` + `count` of a record.
IqRecord part_of(const IqRecord& whole, std::uint64_t first, std::uint64_t count);

// Several records one behind the other: for procedures that take frame by frame. Throws Error(input) naming
// the one whose rate, centre or reference level is not that of the first.
IqRecord joined(const std::vector<IqRecord>& records);

// Samples held in memory; `rail` as for IqSamples.
IqRecord iq_in_memory(std::vector<std::complex<float>> samples, double sample_rate_hz, double centre_hz = 0,
                      std::optional<double> reference_level_dbm = {}, float rail = 1.0F);

// Samples can be anything until they are read: spoilt() says then.
inline std::string implausible(const IqRecord&) {
    return {};
}
// Why what has been read of it so far cannot be trusted; empty when it can.
std::string spoilt(const IqRecord& capture);

}  // namespace rt
