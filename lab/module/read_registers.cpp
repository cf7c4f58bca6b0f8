#include <fmt/core.h>

#include <algorithm>
#include <optional>

#include "core/base/error.hpp"
#include "lab/module/bus.hpp"

namespace rt::lab {

std::vector<std::uint8_t> RecordedModule::read(int device, int first, std::size_t count) {
    std::vector<std::uint8_t> out;
    for (std::size_t i = 0; i < count; ++i) {
        const int place = first + static_cast<int>(i);
        const auto value = registers_.at(device, page_, place);
        // The selectors themselves are there in every module.
        if (!value && place != 126 && place != 127)
            fail_bench(place_name(device, page_, place) + " is not acknowledged");
        out.push_back(place == 127 && device == 0 ? static_cast<std::uint8_t>(page_) : value.value_or(0));
    }
    return out;
}

void RecordedModule::write(int device, int place, std::uint8_t value) {
    constexpr int page_select = 127;
    if (device == 0 && place == page_select) page_ = value;
}

namespace {

constexpr int lower_end = 128;
constexpr std::size_t half = 128;

void keep(Registers& out, int device, int page, int first, const std::vector<std::uint8_t>& bytes) {
    for (std::size_t i = 0; i < bytes.size(); ++i)
        out.set(device, page, first + static_cast<int>(i), bytes[i]);
}

// The upper half of one page. A page that is not there is left out: what needs it says so.
void read_page(ModuleBus& bus, int page, Registers& out) {
    constexpr int bank_select = 126, page_select = 127;
    try {
        if (page >= 0x10) bus.write(0, bank_select, 0);
        bus.write(0, page_select, static_cast<std::uint8_t>(page));
        // A module that has no such page shows another.
        if (bus.read(0, page_select, 1).front() != page) return;
        keep(out, 0, page, lower_end, bus.read(0, lower_end, half));
    } catch (const Error& error) {
        if (error.kind() != ErrorKind::bench) throw;
    }
}

}  // namespace

Registers read_registers(ModuleBus& bus, std::size_t times) {
    constexpr int page_select = 127;
    Registers out;
    keep(out, 0, 0, 0, bus.read(0, 0, half));
    const int identifier = *out.at(0, 0, 0);
    const bool small_form = identifier == 0x03 || identifier == 0x0B;
    const bool cmis = identifier == 0x18 || identifier == 0x19 || identifier == 0x1E;
    if (small_form) {
        keep(out, 0, 0, lower_end, bus.read(0, lower_end, half));
        // Monitors stand at A2h where there are any.
        if (*out.at(0, 0, 92) & 0x40) {
            keep(out, 1, 0, 0, bus.read(1, 0, half));
            keep(out, 1, 0, lower_end, bus.read(1, lower_end, half));
        }
    } else {
        const bool flat = cmis ? (*out.at(0, 0, 2) & 0x80) != 0 : (*out.at(0, 0, 2) & 0x04) != 0;
        read_page(bus, 0, out);
        if (!flat) {
            for (const int page : cmis ? std::vector<int>{0x01, 0x02, 0x11} : std::vector<int>{0x03})
                read_page(bus, page, out);
            bus.write(0, page_select, 0);
        }
    }
    // What never changes must be the same each time: the maker, the part, their sums.
    const int first = small_form ? 20 : lower_end;
    constexpr std::size_t count = 64;
    std::optional<std::vector<std::uint8_t>> before;
    out.reads = times, out.failed_reads = 0, out.differing_bytes = 0;
    for (std::size_t k = 0; k < times; ++k) {
        try {
            const auto now = bus.read(0, first, count);
            for (std::size_t i = 0; before && i < count; ++i) out.differing_bytes += now[i] != (*before)[i];
            if (!before) before = now;
        } catch (const Error& error) {
            if (error.kind() != ErrorKind::bench) throw;
            ++out.failed_reads;
        }
    }
    // What is written must come back: the page that is shown, which harms nothing. Page 00h is left shown.
    const bool paged = !small_form && out.pages.size() > 1;
    constexpr std::size_t most_writes = 8;
    for (std::size_t k = 0; paged && times > 1 && k < std::min(times, most_writes); ++k) {
        for (const int page : {out.pages.rbegin()->first.second, 0}) {
            try {
                if (page >= 0x10) bus.write(0, 126, 0);
                bus.write(0, page_select, static_cast<std::uint8_t>(page));
                out.differing_bytes += bus.read(0, page_select, 1).front() != page;
            } catch (const Error& error) {
                if (error.kind() != ErrorKind::bench) throw;
                ++out.failed_reads;
            }
        }
    }
    return out;
}

}  // namespace rt::lab
