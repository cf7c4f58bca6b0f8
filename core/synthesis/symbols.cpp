#include "core/synthesis/symbols.hpp"

#include <algorithm>
#include <optional>
#include <string>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "core/serial/code_8b10b.hpp"
#include "core/serial/pattern.hpp"
#include "core/synthesis/chance.hpp"

namespace rt {
namespace {

constexpr std::size_t most_symbols = std::size_t{1} << 26;

using Symbols = std::vector<std::int8_t>;

class PatternText {
  public:
    PatternText(std::string_view text, int levels) : text_(text), levels_(levels) {}

    Symbols whole() {
        Symbols out = list();
        skip();
        if (at_ < text_.size()) fail("a comma is missing before " + in_quotes(text_.substr(at_)));
        if (out.empty()) fail("it names no symbols");
        return out;
    }

  private:
    [[noreturn]] static void fail(const std::string& what) { fail_input("pattern: " + what); }
    void skip() {
        while (at_ < text_.size() && (text_[at_] == ' ' || text_[at_] == '\n' || text_[at_] == '\t')) ++at_;
    }
    bool taken(char c) {
        skip();
        if (at_ >= text_.size() || text_[at_] != c) return false;
        ++at_;
        return true;
    }
    static bool digit(char c) { return c >= '0' && c <= '9'; }
    std::optional<std::size_t> number() {
        skip();
        if (at_ >= text_.size() || !digit(text_[at_])) return std::nullopt;
        std::size_t out = 0;
        for (; at_ < text_.size() && digit(text_[at_]); ++at_) {
            out = 10 * out + static_cast<std::size_t>(text_[at_] - '0');
            if (out > most_symbols) fail("more than " + std::to_string(most_symbols) + " symbols");
        }
        return out;
    }
    static void append(Symbols& to, const Symbols& more) {
        if (to.size() + more.size() > most_symbols)
            fail("more than " + std::to_string(most_symbols) + " symbols");
        to.insert(to.end(), more.begin(), more.end());
    }

    Symbols list() {
        Symbols out;
        do append(out, item());
        while (taken(','));
        return out;
    }
    Symbols item() {
        const auto times = number();
        if (times) {
            if (!taken('x') || !taken('(')) fail("write a repeated part as 6 x (clock 160, quiet 480)");
            if (*times == 0) fail("a part that is repeated 0 times");
        } else if (!taken('(')) {
            return segment();
        }
        const Symbols part = list();
        if (!taken(')')) fail("a ) is missing");
        Symbols out;
        for (std::size_t i = 0; i < times.value_or(1); ++i) append(out, part);
        return out;
    }
    Symbols segment() {
        skip();
        const std::size_t from = at_;
        while (at_ < text_.size() && std::string_view(" ,()/\n\t").find(text_[at_]) == std::string_view::npos)
            ++at_;
        const auto name = text_.substr(from, at_ - from);
        if (name.empty()) fail("a name is missing, such as prbs7 or clock");
        const auto hold = taken('/') ? number() : std::optional<std::size_t>(1);
        if (!hold || *hold == 0) fail("after / stands how many intervals a symbol is held");
        const auto count = number();
        const std::size_t symbols = count ? (*count + *hold - 1) / *hold : 0;
        Symbols plain = named(name, symbols), out;
        if (*hold == 1) return plain;
        if (plain.size() * *hold > most_symbols)
            fail("more than " + std::to_string(most_symbols) + " symbols");
        for (const auto s : plain) out.insert(out.end(), *hold, s);
        if (count) out.resize(*count);
        return out;
    }
    // `count` symbols of it, all of its own for 0.
    Symbols named(std::string_view name, std::size_t count) const {
        const auto needed = [&] {
            if (count == 0)
                fail(std::string(name) + " needs how many symbols: " + std::string(name) + " 100");
            return count;
        };
        const auto high = static_cast<std::int8_t>(levels_ - 1);
        if (name == "quiet") return Symbols(needed(), at_rest);
        if (name == "ones") return Symbols(needed(), high);
        if (name == "zeros") return Symbols(needed(), 0);
        if (name == "clock") {
            Symbols out(count == 0 ? 2 : count);
            for (std::size_t i = 0; i < out.size(); ++i) out[i] = i % 2 == 0 ? high : std::int8_t{0};
            return out;
        }
        if (name == "random") {
            const Chance chance(0x5e9, static_cast<std::uint64_t>(levels_));
            Symbols out(needed());
            for (std::size_t i = 0; i < out.size(); ++i)
                out[i] = static_cast<std::int8_t>(
                    (chance.bits(i) >> 32) * static_cast<std::uint64_t>(levels_) >> 32);
            return out;
        }
        if (name.starts_with("characters:"))
            return of_bits(repeated(characters(name.substr(11)), bits_for(count)));
        if (name.starts_with("symbols:")) return repeated(levels_in(name.substr(8)), count);
        if (name.starts_with("bits:")) return of_bits(repeated(digits(name.substr(5), 1), bits_for(count)));
        if (name.starts_with("hex:")) return of_bits(repeated(digits(name.substr(4), 4), bits_for(count)));
        return of_bits(sequence(name, bits_for(count)));
    }
    std::size_t bits_for(std::size_t symbols) const { return levels_ == 4 ? 2 * symbols : symbols; }

    static std::vector<bool> sequence(std::string_view name, std::size_t bits) {
        std::vector<std::string> names{"clock", "ones", "zeros",    "quiet",      "random",
                                       "bits:", "hex:", "symbols:", "characters:"};
        for (const auto& known : shift_sequences()) {
            names.emplace_back(known.name);
            if (name != known.name) continue;
            if (bits == 0 && known.length > 23)
                fail(std::string(name) + " needs how many bits: prbs31 1000000");
            return sequence_bits(name, bits > 0 ? bits : (std::size_t{1} << known.length) - 1);
        }
        fail("unknown segment " + in_quotes(name) + suggestion(name, names));
    }
    // "K28.5", "D21.4": five bits and three.
    static Symbol character(std::string_view text) {
        for (int value = 0; value < 256; ++value) {
            for (const bool control : {false, true}) {
                const Symbol symbol{static_cast<std::uint8_t>(value), control};
                if (rt::name(symbol) == text) return symbol;
            }
        }
        fail(in_quotes(text) + " is no character of 8b/10b: write K28.5 or D21.4");
    }
    static std::vector<bool> characters(std::string_view text) {
        std::vector<Symbol> all;
        for (const auto part : split(text, '+')) all.push_back(character(part));
        std::vector<bool> out;
        bool positive = false;
        do {
            for (const auto& symbol : all) {
                const auto bits = encode_8b10b(symbol, positive);
                if (!bits) fail("the 8b/10b code has no " + rt::name(symbol));
                for (int k = 9; k >= 0; --k) out.push_back(*bits >> k & 1);
            }
        } while (positive);
        return out;
    }
    static std::vector<bool> digits(std::string_view text, int width) {
        std::vector<bool> out;
        for (std::size_t i = 0; i < text.size(); ++i) {
            const char c = lower(text.substr(i, 1))[0];
            const int value = digit(c) ? c - '0' : c >= 'a' && c <= 'f' ? c - 'a' + 10 : 99;
            if (value >= 1 << width)
                fail("character " + std::to_string(i + 1) + " of " + (width == 1 ? "bits" : "hex") + " is " +
                     in_quotes(text.substr(i, 1)) +
                     (width == 1 ? ": write 0 and 1" : ": write 0 to 9, A to F"));
            for (int k = width - 1; k >= 0; --k) out.push_back(value >> k & 1);
        }
        return out;
    }
    Symbols levels_in(std::string_view text) const {
        Symbols out;
        for (std::size_t i = 0; i < text.size(); ++i) {
            const int value = text[i] - '0';
            if (value < 0 || value >= levels_)
                fail("character " + std::to_string(i + 1) + " of symbols is " + in_quotes(text.substr(i, 1)) +
                     ": with " + std::to_string(levels_) + " levels write 0 to " +
                     std::to_string(levels_ - 1));
            out.push_back(static_cast<std::int8_t>(value));
        }
        return out;
    }
    template <typename List>
    static List repeated(const List& once, std::size_t count) {
        if (count == 0 || once.empty()) return once;
        List out(count);
        for (std::size_t i = 0; i < count; ++i) out[i] = once[i % once.size()];
        return out;
    }
    Symbols of_bits(std::vector<bool> bits) const {
        if (levels_ == 3) fail("with three levels name symbols: symbols:0121, random or quiet");
        Symbols out;
        if (levels_ == 2) {
            for (const bool bit : bits) out.push_back(bit);
            return out;
        }
        // An odd number of bits goes through twice.
        if (bits.size() % 2 == 1) {
            const auto once = bits;
            bits.insert(bits.end(), once.begin(), once.end());
        }
        for (std::size_t i = 0; i < bits.size(); i += 2)
            out.push_back(bits[i] ? (bits[i + 1] ? 2 : 3) : (bits[i + 1] ? 1 : 0));
        return out;
    }

    std::string_view text_;
    std::size_t at_ = 0;
    int levels_;
};

}  // namespace

Symbols pattern_symbols(std::string_view text, int levels) {
    return PatternText(text, levels).whole();
}

}  // namespace rt
