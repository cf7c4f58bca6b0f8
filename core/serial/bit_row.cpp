#include "core/serial/bit_row.hpp"

#include <algorithm>
#include <bit>

namespace rt {

BitRow BitRow::first(std::size_t count) const {
    BitRow out;
    out.size_ = std::min(count, size_);
    out.words_.assign(words_.begin(), words_.begin() + static_cast<std::ptrdiff_t>(out.size_ / 64 + 2));
    const std::size_t used = out.size_ % 64;
    out.words_[out.size_ / 64] &= used == 0 ? 0 : ~std::uint64_t{0} << (64 - used);
    out.words_[out.size_ / 64 + 1] = 0;
    return out;
}

std::size_t BitRow::ones() const {
    std::size_t out = 0;
    for (std::size_t i = 0; i < size_; i += 64) out += static_cast<std::size_t>(std::popcount(word(i)));
    return out;
}

std::size_t BitRow::changes() const {
    std::size_t out = 0;
    for (std::size_t i = 1; i < size_; i += 64) {
        std::uint64_t differs = word(i) ^ word(i - 1);
        if (size_ - i < 64) differs &= ~std::uint64_t{0} << (64 - (size_ - i));
        out += static_cast<std::size_t>(std::popcount(differs));
    }
    return out;
}

}  // namespace rt
