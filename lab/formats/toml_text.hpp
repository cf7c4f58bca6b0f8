// Text of a TOML file as the library that reads TOML can take it.
#pragma once

#include <string>
#include <string_view>

namespace rt::lab {

// What the library cannot take is refused before it gets there (Error, with file and line): it takes keys
// with many parts and brackets in brackets by recursion, which a long line of them would exhaust, and expects
// that a table's name begins behind its bracket, that no carriage return stands alone, and that letters
// beyond ASCII stand in texts and remarks, as TOML 1.0 has it. A letter beyond ASCII behind a line that is
// carried on by a backslash is undefined to it: such a letter is given as its escape. Lines stay where they
// are.
std::string readable_toml(std::string_view text, const std::string& file);

// The same text with a letter of ASCII for each one beyond it: where TOML is not valid the library may look
// at letters where none can stand, and what it does with those beyond ASCII is undefined. So this one is to
// be read first, and the text itself only when that went well. Other letters by another `choice`, 0 or 1: two
// names may become the same one by the first. Empty when there is none.
std::string in_ascii(std::string_view text, int choice);

}  // namespace rt::lab
