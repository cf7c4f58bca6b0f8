// Long records worked on piece by piece, with all cores.
#pragma once

#include <algorithm>
#include <span>
#include <vector>

#include "core/base/simd.hpp"
#include "core/dsp/parallel.hpp"
#include "core/signal/waveform.hpp"

namespace rt {

// Calls work(sum, piece, first sample) for pieces of the record, all or one of `some`; each share of the
// record has its own sum, and the shares do not depend on the number of cores. The sums come back in the
// order of the record.
template <typename Sum, typename Work>
std::vector<Sum> over_pieces(const WaveSamples& samples, Work work, std::uint64_t some = 1) {
    constexpr std::uint64_t shares = 16, piece = 1 << 15;
    std::vector<Sum> sums(shares);
    const std::uint64_t size = samples.size();
    in_parallel(shares, [&](std::size_t s) {
        const std::uint64_t from = size * s / shares, to = size * (s + 1) / shares;
        std::vector<float> values;
        for (std::uint64_t at = from; at < to; at += some * piece) {
            values.resize(static_cast<std::size_t>(std::min(piece, to - at)));
            samples.read(at, values);
            work(sums[s], std::span<const float>(values), at);
        }
    });
    return sums;
}

}  // namespace rt
