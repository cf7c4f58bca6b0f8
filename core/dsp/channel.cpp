#include "core/dsp/channel.hpp"

#include <algorithm>
#include <cmath>
#include <mutex>
#include <numbers>
#include <optional>

#include "core/dsp/fft.hpp"
#include "core/dsp/fir.hpp"
#include "core/dsp/summed_power.hpp"

namespace rt {
namespace {

class ChannelSamples : public IqSamples {
  public:
    ChannelSamples(IqRecord record, double shift_hz, std::vector<double> taps)
        : IqSamples(1e30F, "", true),
          record_(std::move(record)),
          shift_hz_(shift_hz),
          taps_(std::move(taps)) {
        if (taps_.size() < long_filter) return;
        // Blocks of four times the filter: the transforms of longer ones cost as much as they save.
        std::size_t size = 256;
        while (size < 4 * taps_.size()) size *= 2;
        forward_.emplace(size, Fft<double>::Direction::forward);
        backward_.emplace(size, Fft<double>::Direction::backward);
        spectrum_.assign(size, 0);
        for (std::size_t i = 0; i < taps_.size(); ++i) spectrum_[i] = taps_[i] / static_cast<double>(size);
        (*forward_)(spectrum_.data());
    }

    std::uint64_t size() const override { return record_.size(); }

  protected:
    float fetch(std::uint64_t first, std::span<std::complex<float>> out) const override {
        if (!spectrum_.empty()) {
            // What is short is computed once, however often it is read.
            if (size() > most_kept) return fetch_blocks(first, out);
            std::call_once(once_, [&] {
                std::vector<std::complex<float>> all(static_cast<std::size_t>(size()));
                fetch_blocks(0, all);
                kept_ = std::move(all);
            });
            std::copy_n(kept_.begin() + static_cast<std::ptrdiff_t>(first), out.size(), out.begin());
            return largest_component(out);
        }
        const std::uint64_t reach = taps_.size() / 2;
        const std::uint64_t from = first > reach ? first - reach : 0;
        const std::uint64_t to = std::min(size(), first + out.size() + reach);
        const auto samples = record_.read(from, static_cast<std::size_t>(to - from));
        std::vector<std::complex<double>> x(samples.begin(), samples.end());
        if (shift_hz_ != 0) turn(x, from);
        if (!taps_.empty()) x = filtered(std::span<const std::complex<double>>(x), taps_);
        for (std::size_t i = 0; i < out.size(); ++i)
            out[i] = std::complex<float>(x[static_cast<std::size_t>(first - from) + i]);
        return largest_component(out);
    }

  private:
    // By transforms, block by block (overlap-save). The blocks lie where they lie whatever is asked for: the
    // same sample is the same however it is read.
    float fetch_blocks(std::uint64_t first, std::span<std::complex<float>> out) const {
        const std::uint64_t reach = taps_.size() / 2;
        const std::uint64_t step = spectrum_.size() - 2 * reach, end = first + out.size();
        std::vector<std::complex<double>> block(spectrum_.size());
        for (std::uint64_t begin = first / step * step; begin < end; begin += step) {
            std::fill(block.begin(), block.end(), 0);
            const std::uint64_t from = begin > reach ? begin - reach : 0;
            const std::uint64_t to = std::min(size(), begin + step + reach);
            const auto samples = record_.read(from, static_cast<std::size_t>(to - from));
            std::vector<std::complex<double>> x(samples.begin(), samples.end());
            if (shift_hz_ != 0) turn(x, from);
            std::copy(x.begin(), x.end(), block.begin() + static_cast<std::ptrdiff_t>(from + reach - begin));
            (*forward_)(block.data());
            for (std::size_t i = 0; i < block.size(); ++i) block[i] *= spectrum_[i];
            (*backward_)(block.data());
            const std::uint64_t upto = std::min(end, begin + step);
            for (std::uint64_t n = std::max(first, begin); n < upto; ++n)
                out[static_cast<std::size_t>(n - first)] =
                    std::complex<float>(block[static_cast<std::size_t>(n - begin + 2 * reach)]);
        }
        return largest_component(out);
    }

    static constexpr std::size_t long_filter = 64;
    static constexpr std::uint64_t most_kept = 1 << 20;  // samples

    void turn(std::vector<std::complex<double>>& x, std::uint64_t from) const {
        const double step = -shift_hz_ / record_.sample_rate_hz;
        const double start = step * static_cast<double>(from);
        const auto rotor_step = std::polar(1.0, 2 * std::numbers::pi * step);
        constexpr std::size_t again = 1024;
        std::complex<double> rotor = 1;
        for (std::size_t i = 0; i < x.size(); ++i) {
            if (i % again == 0) {
                const double cycles = start + step * static_cast<double>(i);
                rotor = std::polar(1.0, 2 * std::numbers::pi * (cycles - std::floor(cycles)));
            }
            x[i] *= rotor;
            rotor *= rotor_step;
        }
    }

    IqRecord record_;
    double shift_hz_;
    std::vector<double> taps_;
    // Of long filters.
    std::optional<Fft<double>> forward_, backward_;
    std::vector<std::complex<double>> spectrum_;
    mutable std::once_flag once_;
    mutable std::vector<std::complex<float>> kept_;
};

}  // namespace

Neighbour neighbour_of(std::span<const std::complex<float>> samples, double rate_hz, double beyond_hz) {
    constexpr std::size_t size = 128, fewest_beyond = 8;
    const std::size_t blocks = samples.size() / size;
    if (blocks < 4) return {};
    SummedPower sum(size);
    for (std::size_t b = 0; b < blocks; ++b) sum.add(samples.subspan(b * size, size));
    const std::vector<double>& power = sum.power();
    const auto frequency = [&](std::size_t i) {
        const double place = static_cast<double>(i) / size;
        return (place < 0.5 ? place : place - 1) * rate_hz;
    };
    double within = 0;
    std::vector<double> beyond;
    for (std::size_t i = 0; i < size; ++i) {
        if (std::abs(frequency(i)) < beyond_hz)
            within += power[i];
        else
            beyond.push_back(power[i]);
    }
    if (beyond.size() < fewest_beyond || !(within > 0)) return {};
    // A quarter of the band beyond may well be the neighbour's: noise is what the quietest quarter shows.
    std::nth_element(beyond.begin(), beyond.begin() + static_cast<std::ptrdiff_t>(beyond.size() / 4),
                     beyond.end());
    const double noise = beyond[beyond.size() / 4];
    Neighbour out;
    double strongest = 0;
    for (std::size_t i = 0; i < size; ++i) {
        if (std::abs(frequency(i)) < beyond_hz || power[i] < 10 * noise) continue;
        out.ratio += power[i] / within;
        if (power[i] > strongest) strongest = power[i], out.at_hz = frequency(i);
    }
    return out;
}

static IqRecord derived(const IqRecord& record, double shift_hz, std::vector<double> taps) {
    if (taps.empty() && shift_hz == 0) return record;
    IqRecord out = record;
    out.centre_hz += shift_hz;
    out.samples = std::make_shared<ChannelSamples>(record, shift_hz, std::move(taps));
    return out;
}

IqRecord turned(const IqRecord& record, double shift_hz) {
    return derived(record, shift_hz, {});
}

IqRecord channel_of(const IqRecord& record, double shift_hz, const ChannelFilter& filter) {
    const bool fits = 2 * filter.cutoff_hz + filter.transition_hz < record.sample_rate_hz;
    if (!fits) return turned(record, shift_hz);
    return derived(record, shift_hz, low_pass(filter.cutoff_hz, filter.transition_hz, record.sample_rate_hz));
}

}  // namespace rt
