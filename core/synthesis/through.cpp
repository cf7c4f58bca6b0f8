#include "core/synthesis/through.hpp"

#include <algorithm>
#include <cmath>
#include <numbers>

#include "core/base/error.hpp"
#include "core/quantity/quantity.hpp"

namespace rt {

Through::Through(double loss_db, double at_hz, const std::optional<Network>& network, double symbol_rate_hz)
    : nepers_(loss_db * std::numbers::ln10 / 20), at_hz_(at_hz) {
    if (!network) return;
    if (network->ports < 2) fail_input("the data of a channel have one port: two are needed");
    double turned = 0;
    for (std::size_t k = 0; k < network->frequency_hz.size(); ++k) {
        const auto s = network->at(k, 2, 1);
        double phase = std::arg(s);
        if (!phase_.empty()) {
            const double step = phase + turned - phase_.back();
            turned -= 2 * std::numbers::pi * std::round(step / (2 * std::numbers::pi));
        }
        hz_.push_back(network->frequency_hz[k]);
        magnitude_.push_back(std::abs(s));
        phase_.push_back(phase + turned);
    }
    if (hz_.empty() || hz_.back() < 0.75 * symbol_rate_hz)
        fail_input("the data of the channel end at " +
                   format({hz_.empty() ? 0 : hz_.back(), Unit::hertz}, 4) +
                   ", three quarters of the symbol rate are needed");
}

std::complex<double> Through::at(double hz) const {
    std::complex<double> out = 1;
    if (nepers_ > 0) {
        const double a = nepers_ * std::sqrt(hz / at_hz_);
        out = std::polar(std::exp(-a), -a);
    }
    if (hz_.empty()) return out;
    if (hz > hz_.back()) return 0;
    const auto at = std::lower_bound(hz_.begin(), hz_.end(), hz);
    const auto k = static_cast<std::size_t>(at - hz_.begin());
    if (k == 0) {
        const double part = hz_[0] > 0 ? hz / hz_[0] : 1;
        return out * std::polar(magnitude_[0], phase_[0] * part);
    }
    const double part = (hz - hz_[k - 1]) / (hz_[k] - hz_[k - 1]);
    return out * std::polar(magnitude_[k - 1] + part * (magnitude_[k] - magnitude_[k - 1]),
                            phase_[k - 1] + part * (phase_[k] - phase_[k - 1]));
}

}  // namespace rt
