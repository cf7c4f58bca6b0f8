// Registers of modules as files: a table, a hex dump, bare bytes.
#pragma once

#include <string>
#include <string_view>

#include "core/signal/registers.hpp"

namespace rt::lab {

// In front of a reason why nothing was read, in place of the table.
inline constexpr std::string_view registers_failed = "failed: ";

// "device,page,byte,value" in hexadecimal (0x11) or decimal numbers; "# distrust: ..." as in every table.
std::string registers_csv(const Registers& registers);
Registers parse_registers_csv(std::string_view text, const std::string& file);

// Lines "0080: 11 00 07 ..." with the place of the first byte in hexadecimal; what stands behind two spaces
// or a bar is text for people. A line "A2h", "device 0x51", "page 03h" says what follows. Places of 256 and
// more count on from there: of a device of SFP into A2h, of others into pages 01h, 02h ... Throws
// Error(input) with file and line.
Registers parse_registers_dump(std::string_view text, const std::string& file);
bool holds_registers_dump(std::string_view text);

// Bare bytes: 256 of a device, 512 of A0h and A2h, 128 of the lower memory and 128 of each page from 00h on.
// Throws Error(input) for another length.
Registers parse_registers_bytes(std::string_view bytes, const std::string& file);

}  // namespace rt::lab
