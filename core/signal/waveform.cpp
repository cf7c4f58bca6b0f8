#include "core/signal/waveform.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/signal/interpolate.hpp"

namespace rt {
namespace {

class MemoryWave : public WaveSamples {
  public:
    explicit MemoryWave(const std::vector<double>& volts) : volts_(volts.begin(), volts.end()) {}
    std::uint64_t size() const override { return volts_.size(); }
    void read(std::uint64_t first, std::span<float> out) const override {
        std::copy_n(volts_.begin() + static_cast<std::ptrdiff_t>(first), out.size(), out.begin());
    }

  private:
    std::vector<float> volts_;
};

class PartOf : public WaveSamples {
  public:
    PartOf(std::shared_ptr<const WaveSamples> whole, std::uint64_t first, std::uint64_t count)
        : whole_(std::move(whole)), first_(first), count_(count) {}
    std::uint64_t size() const override { return count_; }
    void read(std::uint64_t first, std::span<float> out) const override { whole_->read(first_ + first, out); }
    bool clipped() const override { return whole_->clipped(); }

  private:
    std::shared_ptr<const WaveSamples> whole_;
    std::uint64_t first_, count_;
};

class Mixed : public WaveSamples {
  public:
    explicit Mixed(const Mix& what)
        : what_(what), whole_(static_cast<std::ptrdiff_t>(std::floor(what.delay_samples))) {
        const double fraction = what.delay_samples - std::floor(what.delay_samples);
        if (fraction > 1e-9) between_ = weights_between(fraction);
    }
    std::uint64_t size() const override { return what_.a->size(); }

    void read(std::uint64_t first, std::span<float> out) const override {
        what_.a->read(first, out);
        const auto gain_a = static_cast<float>(what_.gain_a), gain_b = static_cast<float>(what_.gain_b);
        for (float& value : out) value *= gain_a;
        if (!what_.b) return;
        const std::ptrdiff_t before = between_.empty() ? 0 : interpolation_reach - 1;
        const std::size_t more = between_.empty() ? 0 : 2 * interpolation_reach - 1;
        thread_local std::vector<float> other;
        other.resize(out.size() + more);
        read_held(static_cast<std::ptrdiff_t>(first) + whole_ - before, other);
        for (std::size_t n = 0; n < out.size(); ++n) {
            if (between_.empty()) {
                out[n] += gain_b * other[n];
                continue;
            }
            double sum = 0;
            for (std::size_t k = 0; k < between_.size(); ++k)
                sum += between_[k] * static_cast<double>(other[n + k]);
            out[n] += gain_b * static_cast<float>(sum);
        }
    }
    bool clipped() const override { return what_.a->clipped() || (what_.b && what_.b->clipped()); }

  private:
    // Channel b from a place that may lie outside: its ends are held there.
    void read_held(std::ptrdiff_t first, std::span<float> out) const {
        const auto size = static_cast<std::ptrdiff_t>(what_.b->size());
        const auto count = static_cast<std::ptrdiff_t>(out.size());
        const std::ptrdiff_t low = std::clamp<std::ptrdiff_t>(-first, 0, count);
        const std::ptrdiff_t high = std::clamp<std::ptrdiff_t>(size - first, low, count);
        if (high > low) {
            what_.b->read(static_cast<std::uint64_t>(first + low),
                          out.subspan(static_cast<std::size_t>(low), static_cast<std::size_t>(high - low)));
        }
        float edge = 0;
        if (low > 0) {
            what_.b->read(0, {&edge, 1});
            std::fill_n(out.begin(), low, edge);
        }
        if (high < count) {
            what_.b->read(static_cast<std::uint64_t>(size - 1), {&edge, 1});
            std::fill(out.begin() + high, out.end(), edge);
        }
    }

    Mix what_;
    std::ptrdiff_t whole_;
    std::vector<double> between_;
};

}  // namespace

void RailWatch::note(std::uint64_t sample) {
    if (clipped()) return;
    const std::lock_guard lock(guard_);
    const auto end = samples_.begin() + static_cast<std::ptrdiff_t>(seen_.load());
    if (seen_ == enough || std::find(samples_.begin(), end, sample) != end) return;
    *end = sample;
    ++seen_;
}

std::vector<double> Waveform::volts(std::size_t channel) const {
    constexpr std::uint64_t most = 100'000'000;
    if (size() > most) {
        fail_input("the record has " + std::to_string(size()) +
                   " samples, this measurement takes at most 100000000: cut out a part with from and to");
    }
    std::vector<float> read(static_cast<std::size_t>(size()));
    channels.at(channel)->read(0, read);
    return {read.begin(), read.end()};
}

bool Waveform::clipped() const {
    return std::any_of(channels.begin(), channels.end(), [](const auto& c) { return c->clipped(); });
}

Waveform waveform_in_memory(std::vector<std::vector<double>> channels, double step_s) {
    Waveform out;
    out.step_s = step_s;
    for (const auto& volts : channels) out.channels.push_back(std::make_shared<MemoryWave>(volts));
    return out;
}

std::shared_ptr<const WaveSamples> mixed(const Mix& what) {
    return std::make_shared<Mixed>(what);
}

std::shared_ptr<const WaveSamples> part_of(std::shared_ptr<const WaveSamples> whole, std::uint64_t first,
                                           std::uint64_t count) {
    return std::make_shared<PartOf>(std::move(whole), first, count);
}

std::string spoilt(const Waveform& capture) {
    return capture.clipped() ? clipped_text : "";
}

}  // namespace rt
