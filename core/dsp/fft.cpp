#include "core/dsp/fft.hpp"

#include <fftw3.h>

#include <algorithm>
#include <cstdint>
#include <map>
#include <mutex>
#include <type_traits>

namespace rt {
namespace {

std::mutex planning;  // FFTW makes plans in one thread at a time

}  // namespace

template <typename Real>
struct Fft<Real>::Plan {
    std::conditional_t<std::is_same_v<Real, float>, fftwf_plan, fftw_plan> handle, apart;
};

template <typename Real>
Fft<Real>::Fft(std::size_t size, Direction direction) : size_(size), plan_(std::make_unique<Plan>()) {
    const std::lock_guard lock(planning);
    const int sign = direction == Direction::forward ? FFTW_FORWARD : FFTW_BACKWARD;
    const int n = static_cast<int>(size);
    std::vector<std::complex<Real>> room(size), other(size);
    if constexpr (std::is_same_v<Real, float>) {
        auto* data = reinterpret_cast<fftwf_complex*>(room.data());
        auto* away = reinterpret_cast<fftwf_complex*>(other.data());
        plan_->handle = fftwf_plan_dft_1d(n, data, data, sign, FFTW_ESTIMATE);
        plan_->apart = fftwf_plan_dft_1d(n, data, away, sign, FFTW_ESTIMATE | FFTW_DESTROY_INPUT);
    } else {
        auto* data = reinterpret_cast<fftw_complex*>(room.data());
        auto* away = reinterpret_cast<fftw_complex*>(other.data());
        plan_->handle = fftw_plan_dft_1d(n, data, data, sign, FFTW_ESTIMATE);
        plan_->apart = fftw_plan_dft_1d(n, data, away, sign, FFTW_ESTIMATE | FFTW_DESTROY_INPUT);
    }
}

template <typename Real>
Fft<Real>::~Fft() {
    if (!plan_) return;
    const std::lock_guard lock(planning);
    if constexpr (std::is_same_v<Real, float>) {
        fftwf_destroy_plan(plan_->handle);
        fftwf_destroy_plan(plan_->apart);
    } else {
        fftw_destroy_plan(plan_->handle);
        fftw_destroy_plan(plan_->apart);
    }
}

template <typename Real>
Fft<Real>::Fft(Fft&&) noexcept = default;
template <typename Real>
Fft<Real>& Fft<Real>::operator=(Fft&&) noexcept = default;

template <typename Real>
void Fft<Real>::operator()(std::complex<Real>* data) const {
    // Plans are for memory as new gives it, on whole 16 bytes; other places go by way of such memory.
    if (reinterpret_cast<std::uintptr_t>(data) % 16 != 0) {
        std::vector<std::complex<Real>> room(data, data + size_);
        (*this)(room.data());
        std::copy(room.begin(), room.end(), data);
        return;
    }
    if constexpr (std::is_same_v<Real, float>) {
        auto* place = reinterpret_cast<fftwf_complex*>(data);
        fftwf_execute_dft(plan_->handle, place, place);
    } else {
        auto* place = reinterpret_cast<fftw_complex*>(data);
        fftw_execute_dft(plan_->handle, place, place);
    }
}

template <typename Real>
void Fft<Real>::operator()(std::complex<Real>* in, std::complex<Real>* out) const {
    if constexpr (std::is_same_v<Real, float>) {
        fftwf_execute_dft(plan_->apart, reinterpret_cast<fftwf_complex*>(in),
                          reinterpret_cast<fftwf_complex*>(out));
    } else {
        fftw_execute_dft(plan_->apart, reinterpret_cast<fftw_complex*>(in),
                         reinterpret_cast<fftw_complex*>(out));
    }
}

const Fft<double>& kept_transform(std::size_t size, Fft<double>::Direction direction) {
    static std::mutex guard;
    static std::map<std::pair<std::size_t, Fft<double>::Direction>, Fft<double>> kept;
    const std::lock_guard lock(guard);
    const auto known = kept.find({size, direction});
    if (known != kept.end()) return known->second;
    return kept.try_emplace({size, direction}, size, direction).first->second;
}

template class Fft<float>;
template class Fft<double>;

static std::size_t fast_multiple(std::size_t size, std::size_t of) {
    for (std::size_t candidate = (size + of - 1) / of * of;; candidate += of) {
        std::size_t rest = candidate;
        for (const std::size_t factor : {2, 3, 5}) {
            while (rest % factor == 0 && rest > 1) rest /= factor;
        }
        if (rest == 1) return candidate;
    }
}

std::size_t fast_size(std::size_t size) {
    return fast_multiple(size, 1);
}

std::size_t fast_wide_size(std::size_t size) {
    return fast_multiple(size, 16);
}

std::vector<double> centred_frequencies(std::size_t size, double rate_hz, double centre_hz) {
    std::vector<double> out(size);
    const auto negative = static_cast<double>(size / 2);
    for (std::size_t i = 0; i < size; ++i) {
        out[i] = centre_hz + (static_cast<double>(i) - negative) * rate_hz / static_cast<double>(size);
    }
    return out;
}

}  // namespace rt
