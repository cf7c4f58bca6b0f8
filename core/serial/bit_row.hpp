// A long row of bits, 64 to a word.
#pragma once

#include <cstddef>
#include <cstdint>
#include <vector>

namespace rt {

class BitRow {
  public:
    BitRow() = default;
    // So many zeros.
    explicit BitRow(std::size_t size) : words_(size / 64 + 2), size_(size) {}
    BitRow(const std::vector<bool>& bits)
        : BitRow(bits.size()) {  // NOLINT: a row is what a vector of bits is
        for (std::size_t i = 0; i < bits.size(); ++i)
            if (bits[i]) set(i, i + 1);
    }

    std::size_t size() const { return size_; }
    bool empty() const { return size_ == 0; }
    bool operator[](std::size_t i) const { return words_[i / 64] >> (63 - i % 64) & 1; }

    // Makes the bits `from` to `to` ones; they are not empty and within the row.
    void set(std::size_t from, std::size_t to) {
        const std::size_t first = from / 64, last = (to - 1) / 64;
        const std::uint64_t head = ~std::uint64_t{0} >> from % 64,
                            tail = ~std::uint64_t{0} << (63 - (to - 1) % 64);
        if (first == last) {
            words_[first] |= head & tail;
            return;
        }
        words_[first] |= head;
        for (std::size_t i = first + 1; i < last; ++i) words_[i] = ~std::uint64_t{0};
        words_[last] |= tail;
    }

    // 64 bits from `at` on, the first one highest; those behind the end are 0.
    std::uint64_t word(std::size_t at) const {
        const std::size_t shift = at % 64, i = at / 64;
        return shift == 0 ? words_[i] : words_[i] << shift | words_[i + 1] >> (64 - shift);
    }

    // Its first bits.
    BitRow first(std::size_t count) const;
    std::size_t ones() const;
    // How many bits differ from the one before.
    std::size_t changes() const;

  private:
    std::vector<std::uint64_t> words_ = std::vector<std::uint64_t>(2);  // one more than is used
    std::size_t size_ = 0;
};

}  // namespace rt
