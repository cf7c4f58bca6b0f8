// The message of a first-generation 406 MHz beacon, field by field (C/S T.001, annex A).
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace rt::beacon {

struct Field {
    std::string name, value;
    int first, last;  // bits of the message, counted from 1 as the standard does
};

struct Frame {
    bool is_long = false;
    bool self_test = false;      // by its frame synchronisation, where that was there
    bool test_protocol = false;  // a message that is no alert
    std::string protocol;
    int country = 0;
    std::string identity;             // 15 hexadecimal digits, position bits at their defaults
    std::vector<Field> fields;        // in the order of their bits
    std::vector<std::string> broken;  // rules of the structure that do not hold
    // Bits that were set right; nothing where a code cannot say (more wrong bits than it corrects, or no
    // check in the message).
    std::optional<std::size_t> first_errors, second_errors;
    std::string refused;  // why nothing below can be believed; "" when it can
    struct Position {
        double latitude_deg, longitude_deg;  // north and east positive
        double step_deg;                     // of its latitude
    };
    std::optional<Position> position;
    std::string no_position;  // why there is none
};

// Bits 25 to 112 (88) or to 144 (120), or the same behind the 24 bits of synchronisation (112, 144). Throws
// Error(input) for another number of them.
Frame read_frame(std::span<const std::uint8_t> bits);

// Letters and figures in modified Baudot code, five or six bits each; '?' for a code of none.
std::string baudot(std::span<const std::uint8_t> bits, std::size_t each);

}  // namespace rt::beacon
