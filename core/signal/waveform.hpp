// Records of an oscilloscope: one or several channels of the same moment, each maybe longer than memory.
#pragma once

#include <array>
#include <atomic>
#include <cstdint>
#include <memory>
#include <mutex>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace rt {

// Where the voltages of one channel come from. read() may be called from several threads at once.
class WaveSamples {
  public:
    virtual ~WaveSamples() = default;
    virtual std::uint64_t size() const = 0;
    // Fills `out` with volts from sample `first` on; both ends lie inside the record.
    virtual void read(std::uint64_t first, std::span<float> out) const = 0;
    // Whether what has been read so far shows a converter that was driven beyond its range.
    virtual bool clipped() const { return false; }
};

// Counts different samples at the end of a converter's range, for those that read integers.
class RailWatch {
  public:
    void note(std::uint64_t sample);
    bool clipped() const { return seen_ >= enough; }

  private:
    static constexpr std::size_t enough = 4;
    std::mutex guard_;
    std::array<std::uint64_t, enough> samples_{};
    std::atomic<std::size_t> seen_{0};
};

// What an oscilloscope has to be asked for.
struct WaveformSetup {
    double span_s = 0;
    std::size_t points = 0;
    double range_v = 1;            // to both sides
    std::vector<int> channels{1};  // counted from 1
    int trigger_channel = 1;
    double trigger_v = 0;
};

struct Waveform {
    using Setup = WaveformSetup;
    static constexpr const char* kind = "waveform";
    static constexpr const char* needed = "a waveform";  // what a procedure says that takes nothing else

    std::vector<std::shared_ptr<const WaveSamples>> channels;  // of one length
    double step_s = 0;                                         // between samples
    bool scaled = true;                                        // something says what a volt is
    std::optional<double> path_ratio = {};                     // by which voltages were raised for the path
    std::optional<std::string> distrust{};                     // why it cannot be trusted, if it cannot

    std::uint64_t size() const { return channels.empty() ? 0 : channels.front()->size(); }
    double seconds() const { return static_cast<double>(size()) * step_s; }
    // All of a channel. Throws Error(input) for more than 100 million samples.
    std::vector<double> volts(std::size_t channel = 0) const;
    bool clipped() const;
};

// Channels held in memory, of one length.
Waveform waveform_in_memory(std::vector<std::vector<double>> channels, double step_s);

// The same for one channel.
inline Waveform waveform_in_memory(std::vector<double> volts, double step_s) {
    return waveform_in_memory(std::vector<std::vector<double>>{std::move(volts)}, step_s);
}

// gain_a a + gain_b b, where b is read `delay_s` later (between its samples by interpolation): differences,
// sums and channels with different cable lengths. Without b only a.
struct Mix {
    std::shared_ptr<const WaveSamples> a, b;
    double gain_a = 1, gain_b = 0;
    double delay_samples = 0;  // of b
};
std::shared_ptr<const WaveSamples> mixed(const Mix& what);

// Samples `first` to `first` + `count` of another.
std::shared_ptr<const WaveSamples> part_of(std::shared_ptr<const WaveSamples> whole, std::uint64_t first,
                                           std::uint64_t count);

// What a record says whose converter was driven beyond its range.
inline constexpr const char* clipped_text =
    "overload: the converter was driven beyond its range (samples stand at the end of it)";

// Voltages can be anything until they are read: spoilt() says then.
inline std::string implausible(const Waveform&) {
    return {};
}
// Why what has been read of it so far cannot be trusted; empty when it can.
std::string spoilt(const Waveform& capture);

}  // namespace rt
