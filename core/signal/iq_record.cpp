#include "core/signal/iq_record.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/error.hpp"
#include "core/base/simd.hpp"
#include "core/base/widen.hpp"

namespace rt {
namespace {

RT_SIMD float largest_of(const float* values, std::size_t count) {
    float lanes[16] = {};
    std::size_t i = 0;
    for (; i + 16 <= count; i += 16) {
        for (std::size_t k = 0; k < 16; ++k) {
            const float v = std::fabs(values[i + k]);
            lanes[k] = v > lanes[k] ? v : lanes[k];
        }
    }
    float largest = 0;
    for (; i < count; ++i) largest = std::max(largest, std::fabs(values[i]));
    for (const float lane : lanes) largest = std::max(largest, lane);
    return largest;
}

class MemorySamples : public IqSamples {
  public:
    MemorySamples(std::vector<std::complex<float>> samples, float rail)
        : IqSamples(rail), samples_(std::move(samples)), rail_(rail), largest_(largest_component(samples_)) {}
    std::uint64_t size() const override { return samples_.size(); }

  protected:
    float fetch(std::uint64_t first, std::span<std::complex<float>> out) const override {
        std::copy_n(samples_.begin() + static_cast<std::ptrdiff_t>(first), out.size(), out.begin());
        // Where nothing in the whole record comes near the rail, no piece of it needs a look.
        return largest_ < 0.5F * rail_ ? largest_ : largest_component(out);
    }

  private:
    std::vector<std::complex<float>> samples_;
    float rail_, largest_;
};

// What it is a part of looks at its numbers and its rail.
class PartSamples : public IqSamples {
  public:
    PartSamples(std::shared_ptr<const IqSamples> whole, std::uint64_t first, std::uint64_t count)
        : IqSamples(1e30F, "", true), whole_(std::move(whole)), first_(first), count_(count) {}
    std::uint64_t size() const override { return count_; }

  protected:
    float fetch(std::uint64_t first, std::span<std::complex<float>> out) const override {
        whole_->read(first_ + first, out);
        return largest_component(out);
    }

  private:
    std::shared_ptr<const IqSamples> whole_;
    std::uint64_t first_, count_;
};

// Each looks at its own numbers and its own rail.
class JoinedSamples : public IqSamples {
  public:
    explicit JoinedSamples(std::vector<std::shared_ptr<const IqSamples>> parts)
        : IqSamples(1e30F, "", true), parts_(std::move(parts)) {}
    std::uint64_t size() const override {
        std::uint64_t sum = 0;
        for (const auto& part : parts_) sum += part->size();
        return sum;
    }
    bool clipped() const override {
        return std::any_of(parts_.begin(), parts_.end(), [](const auto& part) { return part->clipped(); });
    }
    std::string dead() const override {
        for (const auto& part : parts_) {
            if (auto why = part->dead(); !why.empty()) return why;
        }
        return "";
    }

  protected:
    float fetch(std::uint64_t first, std::span<std::complex<float>> out) const override {
        std::uint64_t begin = 0;
        for (const auto& part : parts_) {
            const std::uint64_t end = begin + part->size(), last = first + out.size();
            const std::uint64_t from = std::max(first, begin), to = std::min(last, end);
            if (from < to)
                part->read(from - begin, out.subspan(static_cast<std::size_t>(from - first),
                                                     static_cast<std::size_t>(to - from)));
            begin = end;
        }
        return largest_component(out);
    }

  private:
    std::vector<std::shared_ptr<const IqSamples>> parts_;
};

constexpr float touching = 1 - 1e-6F, near = 0.98F, beyond = 1.01F;

}  // namespace

float IqSamples::largest_component(std::span<const std::complex<float>> samples) {
    return largest_of(reinterpret_cast<const float*>(samples.data()), 2 * samples.size());
}

void IqSamples::read(std::uint64_t first, std::span<std::complex<float>> out) const {
    const float largest = fetch(first, out);
    if (!sure_numbers_) {
        if (const auto bad = first_no_number(reinterpret_cast<const float*>(out.data()), 2 * out.size()))
            fail_input(place_, "sample " + std::to_string(first + *bad / 2) + " is not a finite number");
    }
    read_ += out.size();
    if (!varies_ && std::any_of(out.begin(), out.end(), [&](const auto& x) { return x != out.front(); }))
        varies_ = true;
    for (float known = largest_; largest > known && !largest_.compare_exchange_weak(known, largest);) {
    }
    if (largest < rail_ * touching) return;
    std::uint64_t at = 0, close = 0;
    for (const auto& sample : out) {
        const float i = std::fabs(sample.real()) / rail_, q = std::fabs(sample.imag()) / rail_;
        const float larger = std::max(i, q);
        if (larger < near) continue;
        // Floating-point records may go past 1.0: those have no rail there.
        if (larger > 1 + 1e-3F) {
            ++close;
        } else if (larger < touching) {
            ++close;
        } else if (i * i + q * q > beyond * beyond) {
            ++at;
        }
    }
    at_rail_ += at;
    near_rail_ += close;
}

bool IqSamples::clipped() const {
    constexpr std::uint64_t few = 4;
    return at_rail_ >= few && at_rail_ > near_rail_;
}

std::string IqSamples::dead() const {
    constexpr float least = 1e-30F;
    constexpr std::uint64_t some = 64;
    if (read_ == 0) return {};
    if (largest_ >= least) {
        return varies_ || read_ < some ? "" : "all samples are the same number: nothing was recorded";
    }
    return largest_ > 0 ? "the samples are smaller than any converter's: is the byte order another one?"
                        : "all samples are 0: nothing was recorded";
}

std::vector<std::complex<float>> IqRecord::read(std::uint64_t first, std::size_t count) const {
    std::vector<std::complex<float>> out(count);
    samples->read(first, out);
    return out;
}

double IqRecord::tilt_db(double hz) const {
    if (path_tilt.empty()) return 0;
    const auto above = std::lower_bound(path_tilt.begin(), path_tilt.end(), hz,
                                        [](const auto& entry, double value) { return entry.first < value; });
    if (above == path_tilt.begin()) return above->second;
    if (above == path_tilt.end()) return path_tilt.back().second;
    const auto below = std::prev(above);
    const double share = (hz - below->first) / (above->first - below->first);
    return below->second + share * (above->second - below->second);
}

IqRecord iq_in_memory(std::vector<std::complex<float>> samples, double sample_rate_hz, double centre_hz,
                      std::optional<double> reference_level_dbm, float rail) {
    IqRecord record;
    record.samples = std::make_shared<MemorySamples>(std::move(samples), rail);
    record.sample_rate_hz = sample_rate_hz;
    record.centre_hz = centre_hz;
    record.reference_level_dbm = reference_level_dbm;
    return record;
}

IqRecord joined(const std::vector<IqRecord>& records) {
    IqRecord out = records.at(0);
    if (records.size() == 1) return out;
    std::vector<std::shared_ptr<const IqSamples>> parts;
    for (std::size_t i = 0; i < records.size(); ++i) {
        const IqRecord& r = records[i];
        const auto differs = [&](const char* what) {
            fail_input("records that are measured together must be alike: the " + std::string(what) +
                       " of number " + std::to_string(i + 1) + " is not that of the first");
        };
        if (std::abs(r.sample_rate_hz - out.sample_rate_hz) > 1e-9 * out.sample_rate_hz)
            differs("sample rate");
        if (std::abs(r.centre_hz - out.centre_hz) > 1) differs("centre frequency");
        if (r.reference_level_dbm.has_value() != out.reference_level_dbm.has_value() ||
            std::abs(r.reference_level_dbm.value_or(0) - out.reference_level_dbm.value_or(0)) > 1e-9)
            differs("reference level");
        if (r.path_db != out.path_db || r.path_tilt != out.path_tilt) differs("path");
        if (r.distrust && !out.distrust) out.distrust = r.distrust;
        parts.push_back(r.samples);
    }
    out.samples = std::make_shared<JoinedSamples>(std::move(parts));
    return out;
}

IqRecord part_of(const IqRecord& whole, std::uint64_t first, std::uint64_t count) {
    IqRecord out = whole;
    out.samples = std::make_shared<PartSamples>(whole.samples, first, count);
    out.from_s += static_cast<double>(first) / whole.sample_rate_hz;
    return out;
}

std::string spoilt(const IqRecord& capture) {
    if (auto dead = capture.samples->dead(); !dead.empty()) return dead;
    if (!capture.samples->clipped()) return {};
    return "overload: the samples are clipped at the end of the converter's range";
}

}  // namespace rt
