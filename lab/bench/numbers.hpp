// Numbers as instruments write them (IEEE 488.2): in lines of text, and in blocks of bytes.
#pragma once

#include <optional>
#include <string>
#include <string_view>
#include <vector>

#include "lab/model/dialect.hpp"

namespace rt::lab {

// A decimal number in any form (NR1, NR2, NR3: IEEE 488.2, 8.7.2 to 8.7.4), a suffix with or without a
// multiplier behind it ("1.5 GHZ", "-30 DBM", "20MV"; 7.7.3: MHZ and MOHM are mega, other M milli, MA mega),
// or a hexadecimal, octal or binary one (#HFF, #Q17, #B101; 8.7.5 to 8.7.7). Nothing for other texts, and for
// the numbers that stand for none: 9.91E37 and the infinities.
std::optional<double> parse_scpi_number(std::string_view text);

// The short form of a word as SCPI-1999 writes it: "HORizontal" is HOR.
std::string brief_form(std::string_view word);

// How many bytes one number takes; 0 for text.
std::size_t bytes_of(NumberForm form);

// Bytes as a block of definite length (IEEE 488.2, 8.7.9).
std::string block_of(std::string_view bytes);

// The other way: numbers from -1 to 1 as a block of definite length or a list. Whole numbers use their range;
// what is beyond is cut off there.
std::string encode_numbers(const std::vector<double>& values, const DataForm& form);

// The numbers of a block, or of a list with commas between them. Nothing when it holds anything else, or no
// whole number of them.
std::optional<std::vector<double>> decode_numbers(std::string_view data, const DataForm& form);

}  // namespace rt::lab
