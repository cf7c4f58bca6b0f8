#include "core/measure/cellular/grid.hpp"

#include <fmt/core.h>

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/dsp/turning.hpp"

namespace rt::cellular {
namespace {

std::size_t transform_size(const IqRecord& record, const UplinkFormat& format) {
    // A fifth of room for the slope of the filter, but 160 subcarriers and more, so that its response is
    // short beside a prefix; in whole fours.
    const double carried = static_cast<double>(format.subcarriers());
    const auto fours = static_cast<std::size_t>(std::ceil(std::max(1.25 * carried, carried + 160) / 4));
    // Every sample of the record, or every second to fourth, where such a size is not much larger: samples
    // between them are most of the work.
    for (const double every : {4.0, 3.0, 2.0, 1.0}) {
        const double size = record.sample_rate_hz / every / format.spacing_hz;
        const auto whole = static_cast<std::size_t>(std::llround(size / 4));
        const bool alike = std::abs(size / 4 - static_cast<double>(whole)) < 1e-9 * size;
        if (alike && whole >= fours && whole <= 2 * fours && fast_size(whole) == whole) return 4 * whole;
    }
    return 4 * fast_size(fours);
}

Resampler resampler_for(const IqRecord& record, const UplinkFormat& format) {
    const double edge = format.occupied_hz() / 2 + format.spacing_hz;
    const double made = static_cast<double>(transform_size(record, format)) * format.spacing_hz;
    const double stop = std::min(record.sample_rate_hz, made) - edge;
    if (record.sample_rate_hz < 1.04 * format.occupied_hz() || stop < 1.02 * edge) {
        fail_input(fmt::format(
            "the channel is {:g} MHz wide: {:g} MHz and more of sample rate are needed, the "
            "record has {:g} MHz",
            format.occupied_hz() / 1e6, 1.1 * format.occupied_hz() / 1e6, record.sample_rate_hz / 1e6));
    }
    return Resampler(record.sample_rate_hz, edge, stop);
}

}  // namespace

GridReader::GridReader(const IqRecord& record, const UplinkFormat& format)
    : record_(record),
      spacing_hz_(format.spacing_hz),
      half_hz_(format.lte() ? format.spacing_hz / 2 : 0),
      subcarriers_(format.subcarriers()),
      transform_(transform_size(record, format)),
      resampler_(resampler_for(record, format)),
      half_turns_(transform_.size(), {1, 0}),
      window_(transform_.size()),
      work_(transform_.size()) {
    for (std::size_t n = 0; n < half_turns_.size(); ++n)
        half_turns_[n] = std::complex<float>(std::polar(
            1.0, -two_pi * half_hz_ / spacing_hz_ * static_cast<double>(n) / static_cast<double>(size())));
}

void GridReader::fetch(double from_s, double to_s) const {
    const double rate = record_.sample_rate_hz, reach = static_cast<double>(resampler_.reach()) + 2;
    const double most = static_cast<double>(record_.size());
    const auto first = static_cast<std::uint64_t>(std::clamp(std::floor(from_s * rate - reach), 0.0, most));
    const auto last = static_cast<std::uint64_t>(std::clamp(std::ceil(to_s * rate + reach), 0.0, most));
    if (first >= held_first_ && last <= held_first_ + held_.size() && !held_.empty()) return;
    // More than is asked for: what follows is mostly wanted next.
    const auto ahead = std::min<std::uint64_t>(record_.size(), last + 16 * (last - first));
    held_ = record_.read(first, static_cast<std::size_t>(ahead - first));
    held_first_ = first;
}

std::vector<std::complex<float>> GridReader::samples(double from_s, std::size_t count) const {
    std::vector<std::complex<float>> out(count);
    fetch(from_s, from_s + static_cast<double>(count) / rate_hz());
    resampler_(held_, from_s * record_.sample_rate_hz - static_cast<double>(held_first_),
               record_.sample_rate_hz / rate_hz(), out);
    return out;
}

void GridReader::transformed(std::span<const std::complex<float>> window, double back_s, std::size_t beyond,
                             std::span<Complex> out) const {
    for (std::size_t n = 0; n < size(); ++n) work_[n] = window[n] * half_turns_[n];
    transform_(work_.data());
    const double scale = 1 / static_cast<double>(size());
    const auto from = static_cast<std::ptrdiff_t>(beyond) + static_cast<std::ptrdiff_t>(subcarriers_ / 2);
    const double turn = two_pi * spacing_hz_ * back_s;
    const Complex phase =
        std::polar(scale, two_pi * (half_hz_ - static_cast<double>(from) * spacing_hz_) * back_s);
    for (std::size_t i = 0; i < out.size(); ++i) {
        const auto bin = static_cast<std::ptrdiff_t>(i) - from;
        out[i] = Complex(
            work_[static_cast<std::size_t>(bin < 0 ? bin + static_cast<std::ptrdiff_t>(size()) : bin)]);
    }
    turn_on(out, phase, std::polar(1.0, turn));
}

double GridReader::whole(double seconds) const {
    return std::round(seconds * rate_hz()) / rate_hz();
}

void GridReader::symbol(const SlotPlace& place, double useful_s, double back_s, std::size_t beyond,
                        std::span<Complex> out) const {
    symbol(place, useful_s, std::span(&back_s, 1), beyond, std::span(&out, 1));
}

void GridReader::symbol(const SlotPlace& place, double useful_s, std::span<const double> backs_s,
                        std::size_t beyond, std::span<const std::span<Complex>> outs) const {
    const auto later = [&](double back_s) {
        return static_cast<std::size_t>(std::llround((backs_s.front() - back_s) * rate_hz()));
    };
    window_.resize(size() + later(backs_s.back()));
    const double begin = (useful_s - backs_s.front()) * (1 + place.stretch);  // from the slot's start
    const double step_s = (1 + place.stretch) / rate_hz();
    const double from = place.start_s + begin;
    fetch(from, from + step_s * static_cast<double>(window_.size()));
    resampler_(held_, from * record_.sample_rate_hz - static_cast<double>(held_first_),
               step_s * record_.sample_rate_hz, window_);
    // The carrier's turning, counted from the slot's start: a turn at a time, exact again every 64.
    const double turn = -two_pi * place.offset_hz * step_s;
    const std::complex<float> one = std::complex<float>(std::polar(1.0, turn));
    for (std::size_t n = 0; n < window_.size(); n += 64) {
        const auto phase = std::complex<float>(
            std::polar(1.0, -two_pi * place.offset_hz * begin + turn * static_cast<double>(n)));
        turn_on(std::span(window_).subspan(n, std::min<std::size_t>(64, window_.size() - n)), phase, one);
    }
    for (std::size_t i = 0; i < backs_s.size(); ++i)
        transformed(std::span(window_).subspan(later(backs_s[i]), size()), backs_s[i], beyond, outs[i]);
}

std::vector<Complex> GridReader::line_at_carrier(double back_s) const {
    const std::vector<std::complex<float>> line(size(), {1, 0});
    std::vector<Complex> out(subcarriers_);
    transformed(line, back_s, 0, out);
    return out;
}

}  // namespace rt::cellular
