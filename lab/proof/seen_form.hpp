// In which form numbers seem to come, from the bytes of an answer alone.
#pragma once

#include <string>

namespace rt::lab {

struct SeenForm {
    std::string words;    // "1001 whole numbers of 16 bits"; "" for what is no data
    std::string keys;     // of a [[data]] section: form and order; "" for 64-bit little-endian, the preset
    bool scaled = false;  // whole numbers, whose scale the bytes do not tell
    bool size_unknown = false;  // the number of points would be needed
};

// `answer` is a list, or a block with its head (#18..., #0...). `points` is how many numbers there must be, 0
// when that is not known. The order of the bytes of whole numbers is taken to be the one in which neighbours
// lie closer together.
SeenForm seen_form(const std::string& answer, double points);

}  // namespace rt::lab
