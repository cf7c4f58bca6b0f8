// The registers of a pluggable module: what its two-wire management interface shows.
#pragma once

#include <array>
#include <cstdint>
#include <map>
#include <optional>
#include <string>
#include <utility>
#include <vector>

namespace rt {

struct RegistersSetup {
    std::size_t reads = 1;  // of what identifies it, to try the bus
};

// Bytes by device (0 is the one at A0h, 1 that at A2h), page and place. Places 0 to 127 of every page are the
// lower memory, which stands under page 0.
struct Registers {
    using Setup = RegistersSetup;
    static constexpr const char* kind = "registers";
    static constexpr const char* needed =
        "the registers of a module (a hex dump, bare bytes or a table \"device,page,byte,value\")";

    std::map<std::pair<int, int>, std::array<std::int16_t, 256>> pages;  // -1 where nothing is known
    // How often what identifies it was read to try the bus, and what went wrong; 0 for what nobody has tried.
    std::size_t reads = 0, failed_reads = 0, differing_bytes = 0;
    std::optional<std::string> distrust{};

    // Nothing where it is not known.
    std::optional<std::uint8_t> at(int device, int page, int place) const;
    void set(int device, int page, int place, std::uint8_t value);
    // Bytes from `first` to `last`; nothing where one of them is not known.
    std::optional<std::vector<std::uint8_t>> range(int device, int page, int first, int last) const;
    std::size_t known() const;
};

// "A2h, byte 96", "page 03h, byte 128".
std::string place_name(int device, int page, int place);

// All bytes alike are a bus that nobody drives.
std::string implausible(const Registers& registers);

}  // namespace rt
