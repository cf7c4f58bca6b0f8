#include "core/landing/channels.hpp"

#include <algorithm>
#include <cmath>

#include "core/base/text.hpp"

namespace rt::landing {

const std::vector<Channel>& channels() {
    static const std::vector<Channel> all{
        {18, 'X', 108.10e6, 334.70e6}, {18, 'Y', 108.15e6, 334.55e6}, {20, 'X', 108.30e6, 334.10e6},
        {20, 'Y', 108.35e6, 333.95e6}, {22, 'X', 108.50e6, 329.90e6}, {22, 'Y', 108.55e6, 329.75e6},
        {24, 'X', 108.70e6, 330.50e6}, {24, 'Y', 108.75e6, 330.35e6}, {26, 'X', 108.90e6, 329.30e6},
        {26, 'Y', 108.95e6, 329.15e6}, {28, 'X', 109.10e6, 331.40e6}, {28, 'Y', 109.15e6, 331.25e6},
        {30, 'X', 109.30e6, 332.00e6}, {30, 'Y', 109.35e6, 331.85e6}, {32, 'X', 109.50e6, 332.60e6},
        {32, 'Y', 109.55e6, 332.45e6}, {34, 'X', 109.70e6, 333.20e6}, {34, 'Y', 109.75e6, 333.05e6},
        {36, 'X', 109.90e6, 333.80e6}, {36, 'Y', 109.95e6, 333.65e6}, {38, 'X', 110.10e6, 334.40e6},
        {38, 'Y', 110.15e6, 334.25e6}, {40, 'X', 110.30e6, 335.00e6}, {40, 'Y', 110.35e6, 334.85e6},
        {42, 'X', 110.50e6, 329.60e6}, {42, 'Y', 110.55e6, 329.45e6}, {44, 'X', 110.70e6, 330.20e6},
        {44, 'Y', 110.75e6, 330.05e6}, {46, 'X', 110.90e6, 330.80e6}, {46, 'Y', 110.95e6, 330.65e6},
        {48, 'X', 111.10e6, 331.70e6}, {48, 'Y', 111.15e6, 331.55e6}, {50, 'X', 111.30e6, 332.30e6},
        {50, 'Y', 111.35e6, 332.15e6}, {52, 'X', 111.50e6, 332.90e6}, {52, 'Y', 111.55e6, 332.75e6},
        {54, 'X', 111.70e6, 333.50e6}, {54, 'Y', 111.75e6, 333.35e6}, {56, 'X', 111.90e6, 331.10e6},
        {56, 'Y', 111.95e6, 330.95e6},
    };
    return all;
}

std::optional<Channel> channel_called(const std::string& name) {
    const auto& all = channels();
    const auto at = std::find_if(all.begin(), all.end(),
                                 [&](const Channel& c) { return lower(c.name()) == lower(name); });
    return at == all.end() ? std::nullopt : std::optional(*at);
}

std::optional<Found> channel_at(double hz) {
    constexpr double within = 1e-4;
    for (const auto& channel : channels()) {
        if (std::abs(hz - channel.localiser_hz) < within * hz) return Found{channel, false};
        if (std::abs(hz - channel.glide_path_hz) < within * hz) return Found{channel, true};
    }
    return std::nullopt;
}

}  // namespace rt::landing
