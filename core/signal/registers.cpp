#include "core/signal/registers.hpp"

#include <fmt/core.h>

namespace rt {

static constexpr int lower_half = 128;

std::optional<std::uint8_t> Registers::at(int device, int page, int place) const {
    const auto found = pages.find({device, place < lower_half ? 0 : page});
    if (found == pages.end() || place < 0 || place > 255) return std::nullopt;
    const auto value = found->second[static_cast<std::size_t>(place)];
    if (value < 0) return std::nullopt;
    return static_cast<std::uint8_t>(value);
}

void Registers::set(int device, int page, int place, std::uint8_t value) {
    const auto [at, fresh] = pages.try_emplace({device, place < lower_half ? 0 : page});
    if (fresh) at->second.fill(-1);
    at->second[static_cast<std::size_t>(place)] = value;
}

std::optional<std::vector<std::uint8_t>> Registers::range(int device, int page, int first, int last) const {
    std::vector<std::uint8_t> out;
    for (int place = first; place <= last; ++place) {
        const auto value = at(device, page, place);
        if (!value) return std::nullopt;
        out.push_back(*value);
    }
    return out;
}

std::size_t Registers::known() const {
    std::size_t count = 0;
    for (const auto& [key, bytes] : pages)
        for (const auto value : bytes) count += value >= 0;
    return count;
}

std::string place_name(int device, int page, int place) {
    if (page == 0 || place < lower_half)
        return fmt::format("{}, byte {}", device == 0 ? "A0h" : "A2h", place);
    return fmt::format("page {:02X}h, byte {}", page, place);
}

std::string implausible(const Registers& registers) {
    std::optional<std::int16_t> first;
    for (const auto& [key, bytes] : registers.pages) {
        for (const auto value : bytes) {
            if (value < 0) continue;
            if (!first) first = value;
            if (value != *first) return {};
        }
    }
    if (!first) return "no register is known";
    return fmt::format("every register is {:02X}h: nobody drives the bus", *first);
}

}  // namespace rt
