#include "core/measure/beacon/frame.hpp"

#include <algorithm>

#include "core/base/error.hpp"
#include "core/measure/beacon/bch.hpp"
#include "core/measure/beacon/countries.hpp"
#include "core/measure/beacon/reading.hpp"

namespace rt::beacon {

void Reading::read_country() {
    out_.country = static_cast<int>(m_.number(27, 36));
    const char* name = country_of(out_.country);
    add("country", 27, 36, fmt::format("{} {}", out_.country, name ? name : "(allotted to nobody)"));
    if (!name) broken(27, 36, fmt::format("country code {} is allotted to nobody", out_.country));
}

void Reading::mmsi(int first, int last) {
    const auto digits = m_.number(first, last);
    if (digits > 999999) broken(first, last, fmt::format("{} has more than six digits", digits));
    add("ship", first, last,
        fmt::format("{:03}{:06} (maritime mobile service identity)", out_.country, digits));
}

void Reading::location() {
    const auto code = m_.number(37, 40);
    constexpr std::array<const char*, 16> names{nullptr,
                                                nullptr,
                                                "EPIRB by its ship",
                                                "ELT by its aircraft",
                                                "ELT by serial",
                                                "ELT by operator",
                                                "EPIRB by serial",
                                                "PLB by serial",
                                                "national ELT",
                                                "ELT in flight",
                                                "national EPIRB",
                                                "national PLB",
                                                "ship security alert",
                                                "return link",
                                                "standard location test",
                                                "national location test"};
    out_.protocol = names[code] ? names[code] : "spare";
    add("protocol", 37, 40, out_.protocol);
    if (!names[code]) broken(37, 40, "is a spare protocol");
    if (!out_.is_long) broken(25, 25, "says that the message is short; protocols with a location are long");
    const bool national = code == 0b1000 || code == 0b1010 || code == 0b1011 || code == 0b1111;
    switch (code) {
        case 0b0010:
        case 0b1100:
            mmsi(41, 60);
            add_number("beacon number", 61, 64);
            break;
        case 0b0011:
            add_hex("aircraft address", 41, 64);
            break;
        case 0b0100:
        case 0b0110:
        case 0b0111:
            add_number("certificate number", 41, 50);
            add_number("serial number", 51, 64);
            break;
        case 0b0101:
            add_letters("aircraft operator", 41, 55, 5);
            add_number("serial number", 56, 64);
            break;
        case 0b1001:
            add("identification", 41, 42, m_.text(41, 42));
            add_hex("aircraft", 43, 66);
            break;
        case 0b1101: {
            constexpr std::array types{"ELT", "EPIRB", "PLB", "test"};
            add("beacon type", 41, 42, types[m_.number(41, 42)]);
            out_.test_protocol = m_.number(41, 42) == 3;
            if (m_.number(43, 46) == 15) {
                mmsi(47, 66);
            } else {
                add_number("certificate number", 43, 52);
                add_number("serial number", 53, 66);
            }
            break;
        }
        case 0b1110:
            out_.test_protocol = true;
            add_hex("identification", 41, 64);
            break;
        case 0b1111:
            out_.test_protocol = true;
            [[fallthrough]];
        default:
            add_hex("identification", 41, national ? 58 : 64);
    }
    if (national) {
        national_position();
    } else if (code == 0b1101 || code == 0b1001) {
        if (second_part() && code == 0b1001) {
            add("activation", 107, 108, m_.text(107, 108));
            add("altitude", 109, 112, m_.text(109, 112));
            add("age of the position", 113, 114, m_.text(113, 114));
        } else if (second_part()) {
            add("flags of homing and return link", 107, 114, m_.text(107, 114));
        }
        return_link_position();
    } else {
        standard_position();
    }
}

void Reading::all() {
    out_.is_long = m_.bit(25);
    const bool fits = out_.is_long == (m_.end() == long_end);
    add("format", 25, 25, out_.is_long ? "long" : "short");
    if (!fits) {
        out_.refused = fmt::format("bit 25 says that the message is {}, it has {} bits from there on",
                                   out_.is_long ? "long" : "short", m_.end() - first_bit + 1);
        return;
    }
    const auto fixed = correct(first_code, m_.span(25, 106));
    if (!fixed) {
        out_.refused = "more than three bits from 25 to 106 are wrong: the check word (BCH) does not hold";
        return;
    }
    out_.first_errors = *fixed;
    // A bit that was set right may be the one that says how long the message is.
    if (m_.bit(25) != static_cast<std::uint8_t>(out_.is_long)) {
        out_.refused = "bit 25, which says how long the message is, was wrong";
        return;
    }
    if (out_.is_long) out_.second_errors = correct(second_code, m_.span(107, 144));
    if (out_.is_long && !out_.second_errors)
        out_.broken.emplace_back(
            "bits 107 to 144: more than two are wrong, the second check word does not hold");
    add("protocol flag", 26, 26, m_.bit(26) ? "user" : "location");
    read_country();
    if (m_.bit(26)) {
        user();
    } else {
        location();
    }
    if (out_.is_long && !out_.second_errors && out_.no_position.empty() && !out_.position)
        out_.no_position = "the check of the message's second part does not hold";
    std::stable_sort(out_.fields.begin(), out_.fields.end(),
                     [](const Field& a, const Field& b) { return a.first < b.first; });
}

std::string baudot(std::span<const std::uint8_t> bits, std::size_t each) {
    struct Code {
        char letter;
        unsigned bits;
    };
    constexpr std::array codes{
        Code{'A', 0b111000}, Code{'B', 0b110011}, Code{'C', 0b101110}, Code{'D', 0b110010},
        Code{'E', 0b110000}, Code{'F', 0b110110}, Code{'G', 0b101011}, Code{'H', 0b100101},
        Code{'I', 0b101100}, Code{'J', 0b111010}, Code{'K', 0b111110}, Code{'L', 0b101001},
        Code{'M', 0b100111}, Code{'N', 0b100110}, Code{'O', 0b100011}, Code{'P', 0b101101},
        Code{'Q', 0b111101}, Code{'R', 0b101010}, Code{'S', 0b110100}, Code{'T', 0b100001},
        Code{'U', 0b111100}, Code{'V', 0b101111}, Code{'W', 0b111001}, Code{'X', 0b110111},
        Code{'Y', 0b110101}, Code{'Z', 0b110001}, Code{' ', 0b100100}, Code{'-', 0b011000},
        Code{'/', 0b010111}, Code{'0', 0b001101}, Code{'1', 0b011101}, Code{'2', 0b011001},
        Code{'3', 0b010000}, Code{'4', 0b001010}, Code{'5', 0b000001}, Code{'6', 0b010101},
        Code{'7', 0b011100}, Code{'8', 0b001100}, Code{'9', 0b000011}};
    std::string out;
    for (std::size_t at = 0; at + each <= bits.size(); at += each) {
        // The form of five bits leaves the leading 1 of letters out.
        unsigned code = each == 5 ? 1 : 0;
        for (std::size_t k = 0; k < each; ++k) code = code << 1 | bits[at + k];
        const auto found =
            std::find_if(codes.begin(), codes.end(), [&](const Code& c) { return c.bits == code; });
        out += found != codes.end() ? found->letter : '?';
    }
    return out;
}

Frame read_frame(std::span<const std::uint8_t> bits) {
    Frame out;
    constexpr std::size_t sync = 24, short_bits = 88, long_bits = 120;
    const std::size_t n = bits.size();
    if (n != short_bits && n != long_bits && n != short_bits + sync && n != long_bits + sync) {
        fail_input(fmt::format(
            "a message has 22 or 30 hexadecimal digits from bit 25 on (88 or 120 bits), or 28 or 36 "
            "with its synchronisation (112 or 144 bits): these are {} bits",
            n));
    }
    const bool synchronised = n == short_bits + sync || n == long_bits + sync;
    if (synchronised) {
        std::uint32_t frame = 0;
        std::size_t zeros = 0;
        for (std::size_t i = 0; i < 15; ++i) zeros += bits[i] == 0;
        for (std::size_t i = 15; i < sync; ++i) frame = frame << 1 | bits[i];
        constexpr std::uint32_t normal = 0b000101111, test = 0b011010000;
        out.self_test = frame == test;
        if (zeros > 0)
            out.broken.push_back(
                fmt::format("bits 1 to 15: {} of the 15 ones of bit synchronisation are 0", zeros));
        if (frame != normal && frame != test)
            out.broken.emplace_back(
                "bits 16 to 24: no frame synchronisation (000101111, in self-test 011010000)");
        out.fields.push_back({"frame synchronisation",
                              out.self_test     ? "self-test"
                              : frame == normal ? "normal"
                                                : "none",
                              16, 24});
    }
    const auto own = bits.subspan(synchronised ? sync : 0);
    Reading(Message({own.begin(), own.end()}), out).all();
    return out;
}

}  // namespace rt::beacon
