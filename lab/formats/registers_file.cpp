#include "lab/formats/registers_file.hpp"

#include <fmt/core.h>

#include <cctype>
#include <regex>

#include "core/base/error.hpp"
#include "core/base/text.hpp"
#include "lab/formats/csv_table.hpp"

namespace rt::lab {
namespace {

constexpr int page_size = 128;

// A place counted on over devices and pages.
void set_linear(Registers& out, bool small_form, std::size_t place, std::uint8_t value) {
    if (small_form) {
        out.set(static_cast<int>(place / 256), 0, static_cast<int>(place % 256), value);
    } else if (place < 256) {
        out.set(0, 0, static_cast<int>(place), value);
    } else {
        const auto beyond = place - page_size;
        out.set(0, static_cast<int>(beyond / page_size), static_cast<int>(page_size + beyond % page_size),
                value);
    }
}

// SFP and its relatives have two devices of 256 bytes, others pages.
bool is_small_form(std::uint8_t identifier) {
    return identifier == 0x03 || identifier == 0x0B;
}

int hex_digit(char c) {
    if (c >= '0' && c <= '9') return c - '0';
    const char low = static_cast<char>(std::tolower(static_cast<unsigned char>(c)));
    return low >= 'a' && low <= 'f' ? low - 'a' + 10 : -1;
}

// "page 03h", "A2h", "device 0x51": what follows. The page or the device stays as it is where it says
// nothing.
bool says_what_follows(const std::string& line, int& device, int& page) {
    static const std::regex page_line(R"((?:upper\s+|lower\s+)?page\s*:?\s*(?:0x)?([0-9a-f]{1,2})h?\s*:?)",
                                      std::regex::icase);
    static const std::regex device_line(
        R"((?:device\s+|address\s+|device address\s+)?(?:0x)?(a0|a2|50|51)h?\s*:?)", std::regex::icase);
    static const std::regex lower_line(R"(lower(?: page| memory)?\s*:?)", std::regex::icase);
    std::smatch match;
    if (std::regex_match(line, match, page_line)) {
        page = std::stoi(match[1], nullptr, 16);
        return true;
    }
    if (std::regex_match(line, match, device_line)) {
        const std::string which = lower(match[1].str());
        device = which == "a2" || which == "51" ? 1 : 0;
        page = 0;
        return true;
    }
    if (std::regex_match(line, lower_line)) {
        page = 0;
        return true;
    }
    return false;
}

struct DumpRow {
    std::size_t place = 0;
    std::vector<std::optional<std::uint8_t>> bytes;  // nothing for XX
};

// The place in front of a row, and where its bytes begin; nothing when the line is none.
std::optional<std::pair<std::size_t, std::size_t>> place_of(std::string_view line) {
    std::size_t at = line.starts_with("0x") || line.starts_with("0X") ? 2 : 0, value = 0, digits = 0;
    while (at < line.size() && hex_digit(line[at]) >= 0 && digits < 8)
        value = value * 16 + static_cast<std::size_t>(hex_digit(line[at++])), ++digits;
    if (digits < 2) return std::nullopt;
    if (at < line.size() && line[at] == ':') return std::pair{value, at + 1};
    const bool wide = digits >= 4 && line.substr(at).starts_with("  ");
    return wide ? std::optional(std::pair{value, at}) : std::nullopt;
}

std::optional<DumpRow> row_of(std::string_view line, const std::string& file, std::size_t number) {
    constexpr std::size_t widest = 16;
    const auto start = place_of(line);
    if (!start) return std::nullopt;
    DumpRow out{start->first, {}};
    std::size_t at = start->second;
    while (at < line.size() && out.bytes.size() < widest) {
        std::size_t spaces = 0;
        while (at < line.size() && std::isspace(static_cast<unsigned char>(line[at]))) ++at, ++spaces;
        if (at == line.size() || line[at] == '|') break;
        std::size_t end = at;
        while (end < line.size() && !std::isspace(static_cast<unsigned char>(line[end]))) ++end;
        const auto token = line.substr(at, end - at);
        const bool unread = token == "XX" || token == "xx" || token == "--";
        bool bytes = token.size() == 2 || token.size() == 4;
        for (const char c : token) bytes = bytes && hex_digit(c) >= 0;
        if (!bytes && !unread) {
            // Behind two spaces stands text for people.
            if (spaces > 1 && !out.bytes.empty()) break;
            fail_input(file + ":" + std::to_string(number), in_quotes(token) +
                                                                " is no byte: write two hexadecimal "
                                                                "digits, or XX for one not read");
        }
        if (spaces > 1 && !out.bytes.empty() && out.bytes.size() != 8) break;
        for (std::size_t k = 0; k < token.size(); k += 2) {
            if (unread) {
                out.bytes.emplace_back();
            } else {
                out.bytes.emplace_back(
                    static_cast<std::uint8_t>(hex_digit(token[k]) * 16 + hex_digit(token[k + 1])));
            }
        }
        at = end;
    }
    if (out.bytes.empty()) fail_input(file + ":" + std::to_string(number), "the row holds no bytes");
    return out;
}

}  // namespace

std::string registers_csv(const Registers& registers) {
    std::string out;
    if (registers.distrust) out += "# distrust: " + *registers.distrust + "\n";
    if (registers.reads > 0) {
        out += fmt::format("# reads: {}\n# failed reads: {}\n# differing bytes: {}\n", registers.reads,
                           registers.failed_reads, registers.differing_bytes);
    }
    out += "device,page,byte,value\n";
    for (const auto& [key, bytes] : registers.pages) {
        for (std::size_t place = 0; place < bytes.size(); ++place) {
            if (bytes[place] < 0) continue;
            out += fmt::format("{},0x{:02X},{},0x{:02X}\n", key.first == 0 ? "A0h" : "A2h", key.second, place,
                               bytes[place]);
        }
    }
    return out;
}

Registers parse_registers_csv(std::string_view text, const std::string& file) {
    const CsvTable csv(text, file, "device,page,byte,value");
    Registers out;
    if (const std::string why = csv.remark("distrust"); !why.empty()) out.distrust = why;
    const auto count = [&](const char* name) {
        return static_cast<std::size_t>(std::max(0.0, to_double(csv.remark(name)).value_or(0)));
    };
    out.reads = count("reads"), out.failed_reads = count("failed reads");
    out.differing_bytes = count("differing bytes");
    const auto number = [&](const CsvColumn& column, std::size_t row, int most) {
        const std::string& cell = column.cells[row];
        const bool hex = cell.starts_with("0x") || cell.starts_with("0X");
        const bool marked = !hex && !cell.empty() && (cell.back() == 'h' || cell.back() == 'H');
        const std::string digits = hex ? cell.substr(2) : marked ? cell.substr(0, cell.size() - 1) : cell;
        long value = 0;
        bool good = !digits.empty() && digits.size() <= 4;
        for (std::size_t i = 0; good && i < digits.size(); ++i) {
            const int digit = hex_digit(digits[i]);
            good = digit >= 0 && (digit < 10 || hex || marked);
            value = value * (hex || marked ? 16 : 10) + digit;
        }
        if (!good || value > most)
            fail_input(csv.place(column, row), in_quotes(cell) + " is no whole number from 0 to " +
                                                   std::to_string(most) + ": write 17 or 0x11");
        return static_cast<int>(value);
    };
    const CsvColumn* device = csv.find("device");
    const CsvColumn* page = csv.find("page");
    const auto& place = csv.required("byte");
    const auto& value = csv.required("value");
    for (std::size_t row = 0; row < csv.rows(); ++row) {
        int which = 0;
        if (device) {
            const int address = number(*device, row, 0xA2);
            which = address == 0xA2 || address == 0x51 || address == 1 ? 1 : 0;
            if (which == 0 && address != 0xA0 && address != 0x50 && address != 0)
                fail_input(csv.place(*device, row),
                           in_quotes(device->cells[row]) + " is no device of a module: write A0h or A2h");
        }
        out.set(which, page ? number(*page, row, 255) : 0, number(place, row, 255),
                static_cast<std::uint8_t>(number(value, row, 255)));
    }
    return out;
}

bool holds_registers_dump(std::string_view text) {
    for (const auto line : split(text, '\n')) {
        const std::string row(trim(line));
        if (row.empty() || row.front() == '#') continue;
        int device = 0, page = 0;
        if (says_what_follows(row, device, page)) return true;
        if (const auto start = place_of(row)) return start->second < row.size();
    }
    return false;
}

Registers parse_registers_dump(std::string_view text, const std::string& file) {
    Registers out;
    int device = 0, page = 0;
    bool told = false;  // what follows was said
    std::optional<DumpRow> before;
    bool same = false;  // "*": rows like the one before, up to the next
    std::size_t number = 0;
    const auto put = [&](std::size_t place, std::optional<std::uint8_t> value) {
        if (!value) return;
        if (told) {
            if (place > 255) fail_input(file + ":" + std::to_string(number), "a page ends at byte 255");
            // Bytes of a page may count from 0 or from 128 on.
            const int at = static_cast<int>(place);
            out.set(device, page, page > 0 && at < page_size ? at + page_size : at, *value);
            return;
        }
        constexpr std::size_t most = 256 * page_size;
        if (place > most) fail_input(file + ":" + std::to_string(number), "no module has so many bytes");
        set_linear(out, is_small_form(out.at(0, 0, 0).value_or(*value)), place, *value);
    };
    for (const auto line : split(text, '\n')) {
        ++number;
        const std::string row(trim(line));
        if (row.empty() || row.front() == '#') continue;
        if (row == "*") {
            same = before.has_value();
            continue;
        }
        if (says_what_follows(row, device, page)) {
            told = true, before.reset(), same = false;
            continue;
        }
        const auto now = row_of(row, file, number);
        if (!now) {
            // Headings of columns stand in front of the first row only.
            if (!before && out.pages.empty()) continue;
            const auto start = place_of(row);
            fail_input(file + ":" + std::to_string(number),
                       in_quotes(row) + " is no row of a dump" + (start ? "" : ": write \"0080: 11 00 07\""));
        }
        if (same && before) {
            for (std::size_t at = before->place + before->bytes.size(); at < now->place; ++at)
                put(at, before->bytes[(at - before->place) % before->bytes.size()]);
        }
        same = false;
        for (std::size_t i = 0; i < now->bytes.size(); ++i) put(now->place + i, now->bytes[i]);
        before = now;
    }
    if (out.pages.empty()) fail_input(file, "holds no registers: write rows such as \"0080: 11 00 07\"");
    return out;
}

Registers parse_registers_bytes(std::string_view bytes, const std::string& file) {
    Registers out;
    if (bytes.empty()) fail_input(file, "is empty");
    const bool small_form = is_small_form(static_cast<std::uint8_t>(bytes.front()));
    const bool fits = small_form ? bytes.size() == 256 || bytes.size() == 512
                                 : bytes.size() % page_size == 0 && bytes.size() <= 257 * page_size;
    if (!fits) {
        fail_input(file, fmt::format("holds {} bytes: {}", bytes.size(),
                                     small_form ? "a module of this form has 256 of A0h, or 512 with A2h"
                                                : "write 128 of the lower memory and 128 of each page"));
    }
    for (std::size_t i = 0; i < bytes.size(); ++i)
        set_linear(out, small_form, i, static_cast<std::uint8_t>(bytes[i]));
    return out;
}

}  // namespace rt::lab
