// Test patterns: sequences of shift registers, and whatever repeats.
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

#include "core/serial/bit_row.hpp"

namespace rt {

// A sequence in which each bit is the exclusive or of two earlier ones: x^length + x^tap + 1 (ITU-T O.150 and
// common use). Its period is 2^length - 1.
struct ShiftSequence {
    const char* name;  // "prbs7"
    int length, tap;
};
// prbs7 (7, 6), prbs9 (9, 5), prbs11 (11, 9), prbs13 (13, 12, 2, 1), prbs15 (15, 14), prbs23 (23, 18),
// prbs31 (31, 28).
std::span<const ShiftSequence> shift_sequences();

struct PatternLock {
    std::string name;            // of the sequence
    int stages = 0;              // of its shift register
    bool inverted = false;       // ones and zeros exchanged
    std::uint64_t compared = 0;  // bits held against the register, before and behind where it was loaded
    std::uint64_t errors = 0;
    std::uint64_t skipped = 0;  // bits between a loss and the next lock, or the end: nothing is known of them
    std::vector<std::uint64_t> error_bits;  // the first thousand, by number, ascending
    std::size_t locked_at = 0;              // first bit that was compared
    std::size_t slips = 0;                  // how often the lock was lost and found again
};

// Bits without an error that a lock needs, by the stages of the register.
std::size_t stretch_for_lock(std::size_t stages);

// Compares with a free-running register that was loaded from the bits: a wrong bit counts once. A lock needs
// 4 x length (at least 64) bits without error; it is lost at more than a quarter wrong among 64 and searched
// again from there. From the first lock the register also runs backwards, to the beginning or until it is
// lost. Nothing when it never locks. `name` of a sequence, or "" for whichever locks first, the shortest.
std::optional<PatternLock> lock_pattern(const BitRow& bits, std::string_view name);

// The shortest period, at most half of the bits, after which at least 99 % of them repeat; nothing when there
// is none.
std::optional<std::size_t> repetition(const BitRow& bits, std::size_t longest);

// The bits of one period of a sequence from the register of all ones.
std::vector<bool> sequence_bits(std::string_view name, std::size_t count);

}  // namespace rt
