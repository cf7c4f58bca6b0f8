#include "lab/formats/wav.hpp"

#include <sndfile.h>

#include <cmath>
#include <mutex>

#include "core/base/error.hpp"

namespace rt {
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
        : IqSamples(rail), file_(std::move(file)), size_(size), place_(std::move(place)) {}
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
    if (info.channels != 1) {
        fail_input(place,
                   "has " + std::to_string(info.channels) + " channels: one is a waveform, two are I and Q");
    }
    Waveform out;
    out.step_s = 1 / rate;
    out.volts.resize(static_cast<std::size_t>(info.frames));
    if (sf_readf_double(handle.get(), out.volts.data(), info.frames) != info.frames) {
        fail_input(place, "is shorter than its header says");
    }
    const double scale = hints.volts_per_unit.value_or(1), rail = static_cast<double>(rail_of(info.format));
    std::size_t at_rail = 0;
    for (double& value : out.volts) {
        at_rail += full_scale(info.format) > 0 && std::abs(value) >= rail;
        value *= scale;
    }
    if (at_rail > 3) out.overload = clipped_text(at_rail);
    return out;
}

}  // namespace rt
