#include "core/serial/pattern.hpp"

#include <algorithm>
#include <array>
#include <bit>
#include <tuple>

#include "core/base/error.hpp"
#include "core/base/text.hpp"

namespace rt {
namespace {

// Taps as a mask: bit k - 1 stands for the bit k before.
struct Known {
    ShiftSequence sequence;
    std::uint64_t taps;
};

constexpr std::uint64_t at(int k) {
    return std::uint64_t{1} << (k - 1);
}

constexpr std::array known{
    Known{{"prbs7", 7, 6}, at(7) | at(6)},      Known{{"prbs9", 9, 5}, at(9) | at(5)},
    Known{{"prbs11", 11, 9}, at(11) | at(9)},   Known{{"prbs13", 13, 12}, at(13) | at(12) | at(2) | at(1)},
    Known{{"prbs15", 15, 14}, at(15) | at(14)}, Known{{"prbs23", 23, 18}, at(23) | at(18)},
    Known{{"prbs31", 31, 28}, at(31) | at(28)}};

constexpr auto sequences = [] {
    std::array<ShiftSequence, known.size()> out{};
    for (std::size_t i = 0; i < known.size(); ++i) out[i] = known[i].sequence;
    return out;
}();

// Whether a number has an odd count of ones. (Without a processor's own instruction std::popcount is a call.)
constexpr bool odd(std::uint64_t bits) {
    return __builtin_parityll(bits) != 0;
}

bool next_bit(const Known& k, std::uint64_t state) {
    return odd(state & k.taps);
}

// The same sequence from its end: b(n) of b(n + k) in place of b(n - k).
std::uint64_t backward_taps(const Known& k) {
    std::uint64_t out = at(k.sequence.length);
    for (int tap = 1; tap < k.sequence.length; ++tap) {
        if (k.taps & at(tap)) out |= at(k.sequence.length - tap);
    }
    return out;
}

// Whether each of the 64 bits from `from` on is what the sequence makes of those before it, which must be
// there.
bool fit(const BitRow& bits, const Known& k, std::size_t from, bool inverted) {
    std::uint64_t check = bits.word(from);
    int terms = 1;
    for (int tap = 1; tap <= k.sequence.length; ++tap) {
        if (!(k.taps & at(tap))) continue;
        check ^= bits.word(from - static_cast<std::size_t>(tap));
        ++terms;
    }
    // Inverted an odd number of times: every bit of the sum is.
    return check == (inverted && terms % 2 == 1 ? ~std::uint64_t{0} : 0);
}

// A free-running register that bits are held against, loaded with those it is given first.
class Follower {
  public:
    Follower(std::uint64_t taps, bool inverted) : taps_(taps), inverted_(inverted) {}
    void load(bool bit) { state_ = state_ << 1 | (bit != inverted_); }
    // False when the lock is lost: more than a quarter of the last 64 bits are wrong. They are no errors
    // then.
    bool compare(bool bit, std::uint64_t number) {
        const bool expected = odd(state_ & taps_);
        const bool wrong = expected != (bit != inverted_);
        state_ = state_ << 1 | expected;
        recent_ = recent_ << 1 | wrong;
        ++compared;
        if (!wrong) return true;  // what was not too many before is not now
        ++errors;
        if (error_bits.size() < most_listed + 64) error_bits.push_back(number);
        constexpr int lost = 16;
        const auto wrong_now = static_cast<std::uint64_t>(std::popcount(recent_));
        if (wrong_now <= lost) return true;
        errors -= wrong_now;
        compared -= std::min<std::uint64_t>(compared, 64);
        const auto apart = [&](std::uint64_t bit_at) {
            return bit_at > number ? bit_at - number : number - bit_at;
        };
        while (!error_bits.empty() && apart(error_bits.back()) < 64) error_bits.pop_back();
        return false;
    }

    // Whether the register holds the very bits that came last.
    bool in_step() const { return compared >= 64 && recent_ == 0; }
    // 64 bits that all fit.
    void pass(std::uint64_t bits) {
        state_ = inverted_ ? ~bits : bits;
        compared += 64;
    }

    static constexpr std::size_t most_listed = 1000;
    std::uint64_t compared = 0, errors = 0;
    std::vector<std::uint64_t> error_bits;

  private:
    std::uint64_t taps_, state_ = 0, recent_ = 0;
    bool inverted_;
};

void append(PatternLock& out, const Follower& seen) {
    out.compared += seen.compared;
    out.errors += seen.errors;
    for (const auto bit : seen.error_bits) {
        if (out.error_bits.size() < Follower::most_listed) out.error_bits.push_back(bit);
    }
}

// Compares from `from` on with a register loaded there; returns where the lock was lost, or the end.
std::size_t follow(const Known& k, const BitRow& bits, std::size_t from, bool inverted, PatternLock& out) {
    const auto length = static_cast<std::size_t>(k.sequence.length);
    Follower follower(k.taps, inverted);
    for (std::size_t i = from; i < from + length; ++i) follower.load(bits[i]);
    std::size_t i = from + length;
    bool held = true;
    while (i < bits.size() && held) {
        if (follower.in_step() && i + 64 <= bits.size() && fit(bits, k, i, inverted)) {
            follower.pass(bits.word(i));
            i += 64;
        } else {
            held = follower.compare(bits[i], i);
            ++i;
        }
    }
    append(out, follower);
    return held ? bits.size() : from + length + static_cast<std::size_t>(follower.compared);
}

// Compares from before `from` down with a register loaded from there on; returns the first bit that holds.
std::size_t follow_back(const Known& k, const BitRow& bits, std::size_t from, bool inverted,
                        PatternLock& out) {
    const auto length = static_cast<std::size_t>(k.sequence.length);
    Follower follower(backward_taps(k), inverted);
    for (std::size_t i = from + length; i-- > from;) follower.load(bits[i]);
    std::size_t i = from;
    bool held = true;
    for (; i > 0 && held; --i) held = follower.compare(bits[i - 1], i - 1);
    std::reverse(follower.error_bits.begin(), follower.error_bits.end());
    append(out, follower);
    return from - static_cast<std::size_t>(follower.compared);
}

// The next place from which the sequence holds without an error for long enough.
std::optional<std::pair<std::size_t, bool>> find_lock(const Known& k, const BitRow& bits, std::size_t from,
                                                      std::size_t searched) {
    const auto length = static_cast<std::size_t>(k.sequence.length);
    const std::size_t needed = stretch_for_lock(length);
    // The sequence's own check sum of each bit: constant 0 when it holds, constant 1 (with an odd number of
    // taps + 1) when inverted. Runs of one state show no sequence at all.
    std::uint64_t state = 0;
    std::size_t run = 0, ones = 0, last = 2;
    const std::size_t end = std::min(bits.size(), from + searched);
    for (std::size_t i = from; i < end; ++i) {
        if (i >= from + length) {
            const std::size_t check = next_bit(k, state) != bits[i];
            run = check == last ? run + 1 : 1;
            if (run == 1) ones = 0;
            last = check;
            ones += bits[i];
            const bool alive = ones > run / 8 && ones < run - run / 8;
            if (run >= needed && alive) return std::pair{i + 1 - run - length, check == 1};
        }
        state = state << 1 | bits[i];
    }
    return std::nullopt;
}

std::optional<PatternLock> lock_to(const Known& k, const BitRow& bits) {
    constexpr std::size_t first_search = 1 << 20;
    auto found = find_lock(k, bits, 0, first_search);
    if (!found) return std::nullopt;
    PatternLock out;
    out.name = k.sequence.name;
    out.stages = k.sequence.length;
    out.inverted = found->second;
    std::size_t at = found->first;
    bool inverted = out.inverted;  // a polarity that changes on the way is a slip
    out.skipped = out.locked_at = follow_back(k, bits, at, out.inverted, out);
    for (;;) {
        at = follow(k, bits, at, inverted, out);
        if (at >= bits.size()) return out;
        found = find_lock(k, bits, at, bits.size());
        out.skipped += (found ? found->first : bits.size()) - at;
        if (!found) return out;
        ++out.slips;
        std::tie(at, inverted) = *found;
    }
}

}  // namespace

std::span<const ShiftSequence> shift_sequences() {
    return sequences;
}

std::size_t stretch_for_lock(std::size_t stages) {
    return std::max<std::size_t>(4 * stages, 64);
}

std::optional<PatternLock> lock_pattern(const BitRow& bits, std::string_view name) {
    for (const auto& k : known) {
        if (!name.empty() && name != k.sequence.name) continue;
        if (auto lock = lock_to(k, bits)) return lock;
    }
    return std::nullopt;
}

std::optional<std::size_t> repetition(const BitRow& bits, std::size_t longest) {
    const std::size_t most = std::min(longest, bits.size() / 2);
    for (std::size_t period = 1; period <= most; ++period) {
        std::size_t wrong = 0, compared = 0;
        for (std::size_t i = 0; i + 64 + period <= bits.size(); i += 64) {
            wrong += static_cast<std::size_t>(std::popcount(bits.word(i) ^ bits.word(i + period)));
            compared += 64;
            if (wrong * 100 > compared + 1000) break;
        }
        if (compared >= period && compared > 0 && wrong * 100 <= compared) return period;
    }
    return std::nullopt;
}

std::vector<bool> sequence_bits(std::string_view name, std::size_t count) {
    for (const auto& k : known) {
        if (name != k.sequence.name) continue;
        std::uint64_t state = ~std::uint64_t{0};
        std::vector<bool> out;
        for (std::size_t i = 0; i < count; ++i) {
            const bool bit = next_bit(k, state);
            state = state << 1 | bit;
            out.push_back(bit);
        }
        return out;
    }
    fail_input("unknown sequence " + in_quotes(name));
}

}  // namespace rt
