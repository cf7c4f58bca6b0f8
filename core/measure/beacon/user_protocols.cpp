// Fields of the user protocols (bit 26 is 1).
#include "core/measure/beacon/reading.hpp"

namespace rt::beacon {

void Reading::auxiliary() {
    constexpr std::array names{"none", "121.5 MHz", "9 GHz search and rescue transponder", "other"};
    add("homing", 84, 85, names[m_.number(84, 85)]);
}

// Bits 107 to 112 of a short message.
void Reading::emergency() {
    const bool flagged = m_.bit(107);
    add("emergency code", 107, 107, flagged ? "stated" : "not stated");
    add("activation", 108, 108, m_.bit(108) ? "automatic and manual" : "manual only");
    if (!flagged) {
        add("national use", 109, 112, m_.text(109, 112));
        return;
    }
    const bool maritime = m_.number(37, 39) == 0b010 || m_.number(37, 39) == 0b110;
    if (maritime) {
        constexpr std::array natures{"unspecified", "fire or explosion",   "flooding",
                                     "collision",   "grounding",           "listing, in danger of capsizing",
                                     "sinking",     "disabled and adrift", "abandoning ship"};
        const auto code = m_.number(109, 112);
        if (code >= natures.size()) broken(109, 112, "no nature of distress has this code");
        add("nature of distress", 109, 112, code < natures.size() ? natures[code] : "of no known code");
        return;
    }
    std::string what;
    for (const auto& [bit, name] : {std::pair{109, "fire"}, {110, "medical help"}, {111, "disabled"}})
        if (m_.bit(bit)) what += (what.empty() ? "" : ", ") + std::string(name);
    if (m_.bit(112)) broken(112, 112, "is spare and must be 0");
    add("nature of distress", 109, 112, what.empty() ? "unspecified" : what);
}

void Reading::serial_user() {
    const auto type = m_.number(40, 42);
    constexpr std::array<const char*, 8> types{"ELT with a serial number",
                                               "ELT of an aircraft operator",
                                               "float-free EPIRB with a serial number",
                                               "ELT with the 24-bit address of its aircraft",
                                               "EPIRB that does not float free, with a serial number",
                                               nullptr,
                                               "PLB with a serial number",
                                               nullptr};
    add("beacon type", 40, 42, types[type] ? types[type] : "spare");
    if (!types[type]) broken(40, 42, "is a spare type of beacon");
    const bool certified = m_.bit(43);
    add("type approval certificate", 43, 43, certified ? "stated" : "not stated");
    if (type == 0b011) {
        add_hex("aircraft address", 44, 67);
        add_number("further beacon of the aircraft", 68, 73);
    } else if (type == 0b001) {
        add_letters("aircraft operator", 44, 61);
        add_number("serial number", 62, 73);
    } else {
        add_number("serial number", 44, 63);
        add("national use", 64, 73, m_.text(64, 73));
    }
    if (certified) {
        add_number("certificate number", 74, 83);
    } else {
        add("national use", 74, 83, m_.text(74, 83));
    }
    auxiliary();
}

void Reading::user() {
    const auto code = m_.number(37, 39);
    constexpr std::array<const char*, 8> names{"orbitography",         "aviation user", "maritime user",
                                               "serial user",          "national user", nullptr,
                                               "radio call sign user", "test user"};
    out_.protocol = names[code] ? names[code] : "spare user";
    if (out_.is_long) out_.protocol += ", with location";
    add("protocol", 37, 39, out_.protocol);
    switch (code) {
        case 0b000:
            add("identification", 40, 85, m_.text(40, 85));
            break;
        case 0b001:
            add_letters("aircraft registration", 40, 81);
            add_number("beacon of the aircraft", 82, 83);
            auxiliary();
            break;
        case 0b010:
            add_letters("ship or call sign", 40, 75);
            beacon_number(76, 81);
            if (m_.number(82, 83) != 0) broken(82, 83, "are spare and must be 00");
            auxiliary();
            break;
        case 0b011:
            serial_user();
            break;
        case 0b110: {
            std::string figures;
            for (int digit = 0; digit < 3; ++digit) {
                const auto value = m_.number(64 + 4 * digit, 67 + 4 * digit);
                if (value > 10) broken(64 + 4 * digit, 67 + 4 * digit, "is no decimal figure");
                figures += value < 10 ? static_cast<char>('0' + value) : value == 10 ? ' ' : '?';
            }
            const std::string letters = baudot(m_.span(40, 63), 6);
            if (letters.find('?') != std::string::npos)
                broken(40, 63, "holds a code that is no letter or figure");
            add("call sign", 40, 75, std::string(trim(letters + figures)));
            beacon_number(76, 81);
            if (m_.number(82, 83) != 0) broken(82, 83, "are spare and must be 00");
            auxiliary();
            break;
        }
        case 0b111:
            out_.test_protocol = true;
            add("identification", 40, 85, m_.text(40, 85));
            break;
        case 0b100:
            add("national use", 40, 85, m_.text(40, 85));
            break;
        default:
            broken(37, 39, "is a spare protocol");
            add("identification", 40, 85, m_.text(40, 85));
    }
    identity(26, 85, {});
    if (out_.is_long) {
        user_position();
    } else {
        out_.no_position = "a short message holds no position";
        // National users fill these bits as they like.
        if (code == 0b100) {
            add("national use", 107, 112, m_.text(107, 112));
        } else {
            emergency();
        }
    }
}

}  // namespace rt::beacon
