#include "lab/formats/wav.hpp"

#include <sndfile.h>

#include <cmath>
#include <mutex>

#include "core/base/error.hpp"
#include "core/base/widen.hpp"

namespace rt::lab {
namespace {

struct Closer {
    void operator()(SNDFILE* file) const { sf_close(file); }
};
using Handle = std::unique_ptr<SNDFILE, Closer>;

// One past the largest integer of the sample type, or 0 for floating point.
double full_scale(int format) {
    switch (format & SF_FORMAT_SUBMASK) {
        case SF_FORMAT_PCM_S8:
        case SF_FORMAT_PCM_U8:
            return 128;
        case SF_FORMAT_PCM_16:
            return 32768;
        case SF_FORMAT_PCM_24:
            return 8388608;
        case SF_FORMAT_PCM_32:
            return 2147483648.0;
        default:
            return 0;
    }
}

float rail_of(int format) {
    const double scale = full_scale(format);
    return scale > 0 ? static_cast<float>((scale - 1) / scale) : 1.0F;
}

class WavSamples : public IqSamples {
  public:
    WavSamples(Handle file, std::uint64_t size, float rail, std::string place)
        : IqSamples(rail, place), file_(std::move(file)), size_(size), place_(std::move(place)) {}
    std::uint64_t size() const override { return size_; }

  protected:
    float fetch(std::uint64_t first, std::span<std::complex<float>> out) const override {
        const std::lock_guard lock(guard_);
        const auto count = static_cast<sf_count_t>(out.size());
        if (sf_seek(file_.get(), static_cast<sf_count_t>(first), SEEK_SET) < 0 ||
            sf_readf_float(file_.get(), reinterpret_cast<float*>(out.data()), count) != count) {
            fail_input(place_, "is shorter than its header says");
        }
        return largest_component(out);
    }

  private:
    Handle file_;
    mutable std::mutex guard_;
    std::uint64_t size_;
    std::string place_;
};

// One channel of a file of which each channel has its own handle.
class WavWave : public WaveSamples {
  public:
    WavWave(const std::filesystem::path& file, int channel, double volts) : place_(file.string()) {
        file_.reset(sf_open(file.c_str(), SFM_READ, &info_));
        if (!file_) fail_input(place_, std::string("cannot be read as WAV: ") + sf_strerror(nullptr));
        channel_ = channel;
        volts_ = static_cast<float>(volts);
        rail_ = full_scale(info_.format) > 0 ? rail_of(info_.format) : 0;
    }
    std::uint64_t size() const override { return static_cast<std::uint64_t>(info_.frames); }
    bool clipped() const override { return watch_.clipped(); }

    void read(std::uint64_t first, std::span<float> out) const override {
        const std::lock_guard lock(guard_);
        const auto channels = static_cast<std::size_t>(info_.channels);
        all_.resize(out.size() * channels);
        const auto count = static_cast<sf_count_t>(out.size());
        if (sf_seek(file_.get(), static_cast<sf_count_t>(first), SEEK_SET) < 0 ||
            sf_readf_float(file_.get(), all_.data(), count) != count) {
            fail_input(place_, "is shorter than its header says");
        }
        for (std::size_t i = 0; i < out.size(); ++i) {
            const float value = all_[i * channels + static_cast<std::size_t>(channel_)];
            if (rail_ > 0 && std::abs(value) >= rail_) watch_.note(first + i);
            if (first_no_number(&value, 1))
                fail_input(place_, "sample " + std::to_string(first + i) + " is not a finite number");
            out[i] = value * volts_;
        }
    }

  private:
    std::string place_;
    SF_INFO info_{};
    Handle file_;
    int channel_ = 0;
    float volts_ = 1, rail_ = 0;
    mutable std::mutex guard_;
    mutable std::vector<float> all_;
    mutable RailWatch watch_;
};

}  // namespace

Capture read_wav(const std::filesystem::path& file, const CaptureHints& hints) {
    SF_INFO info{};
    Handle handle(sf_open(file.c_str(), SFM_READ, &info));
    const std::string place = file.string();
    if (!handle) fail_input(place, std::string("cannot be read as WAV: ") + sf_strerror(nullptr));
    if (info.frames <= 0) fail_input(place, "holds no samples");
    const double rate = *agreed(place, "sample rate", static_cast<double>(info.samplerate),
                                hints.sample_rate_hz, Unit::hertz);
    if (info.channels == 2) {
        IqRecord record;
        record.samples = std::make_shared<WavSamples>(
            std::move(handle), static_cast<std::uint64_t>(info.frames), rail_of(info.format), place);
        record.sample_rate_hz = rate;
        record.centre_hz = hints.centre_hz.value_or(0);
        record.reference_level_dbm = hints.reference_level_dbm;
        return record;
    }
    Waveform out;
    out.step_s = 1 / rate;
    out.scaled = hints.volts_per_unit.has_value();
    for (int k = 0; k < info.channels; ++k)
        out.channels.push_back(std::make_shared<WavWave>(file, k, hints.volts_per_unit.value_or(1)));
    return out;
}

}  // namespace rt::lab
