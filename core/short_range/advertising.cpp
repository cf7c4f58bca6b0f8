#include "core/short_range/advertising.hpp"

#include <fmt/core.h>

namespace rt::gfsk {

std::vector<std::uint8_t> whitening(unsigned channel, std::size_t bits) {
    // Position 0 holds 1, positions 1 to 6 the index, its highest bit first; the output is position 6.
    unsigned state[7]{1};
    for (unsigned i = 0; i < 6; ++i) state[1 + i] = (channel >> (5 - i)) & 1U;
    std::vector<std::uint8_t> out(bits);
    for (auto& bit : out) {
        const unsigned last = state[6];
        bit = static_cast<std::uint8_t>(last);
        for (unsigned i = 6; i > 0; --i) state[i] = state[i - 1];
        state[0] = last;
        state[4] ^= last;
    }
    return out;
}

const char* name(AdvertisingKind kind) {
    switch (kind) {
        case AdvertisingKind::connectable:
            return "ADV_IND";
        case AdvertisingKind::directed:
            return "ADV_DIRECT_IND";
        case AdvertisingKind::neither:
            return "ADV_NONCONN_IND";
        case AdvertisingKind::scan_request:
            return "SCAN_REQ";
        case AdvertisingKind::scan_response:
            return "SCAN_RSP";
        case AdvertisingKind::connection_request:
            return "CONNECT_IND";
        case AdvertisingKind::scannable:
            return "ADV_SCAN_IND";
        case AdvertisingKind::extended:
            return "ADV_EXT_IND";
        case AdvertisingKind::reserved:
            break;
    }
    return "reserved";
}

std::string address_text(std::span<const std::uint8_t> octets) {
    std::string out;
    for (std::size_t i = 6; i-- > 0;) out += fmt::format("{:02x}{}", octets[i], i ? ":" : "");
    return out;
}

// Fields of length, type and content behind the address.
static void read_fields(std::span<const std::uint8_t> data, Advertising& out) {
    constexpr std::uint8_t shortened_name = 0x08, complete_name = 0x09, transmit_power = 0x0A;
    for (std::size_t at = 0; at + 1 < data.size() && data[at] > 0;) {
        const std::size_t length = data[at];
        if (at + 1 + length > data.size()) return;
        const std::uint8_t type = data[at + 1];
        const auto content = data.subspan(at + 2, length - 1);
        if (type == complete_name || (type == shortened_name && out.local_name.empty()))
            out.local_name.assign(content.begin(), content.end());
        if (type == transmit_power && content.size() == 1)
            out.stated_power_dbm = static_cast<std::int8_t>(content[0]);
        at += 1 + length;
    }
}

Advertising read_advertising(std::uint8_t header, std::span<const std::uint8_t> payload) {
    Advertising out;
    const unsigned type = header & 15U;
    if (type <= 7) out.kind = static_cast<AdvertisingKind>(type);
    const bool first_random = header & 0x40U, second_random = header & 0x80U;
    const auto address = [&](std::size_t at) {
        return payload.size() >= at + 6 ? address_text(payload.subspan(at, 6)) : std::string();
    };
    switch (out.kind) {
        case AdvertisingKind::scan_request:
        case AdvertisingKind::connection_request:
            out.asks = address(0), out.address = address(6), out.random_address = second_random;
            return out;
        case AdvertisingKind::extended: {
            // Two bits say what it can do; the address is there where a flag says so.
            if (payload.size() < 2) return out;
            const unsigned mode = payload[0] >> 6U, length = payload[0] & 63U;
            out.can_connect = mode == 1, out.can_be_scanned = mode == 2;
            if (length >= 7 && (payload[1] & 1U)) out.address = address(2), out.random_address = first_random;
            return out;
        }
        case AdvertisingKind::reserved:
            return out;
        default:
            break;
    }
    out.address = address(0), out.random_address = first_random;
    out.can_connect = out.kind == AdvertisingKind::connectable || out.kind == AdvertisingKind::directed;
    out.can_be_scanned = out.kind == AdvertisingKind::connectable || out.kind == AdvertisingKind::scannable;
    if (out.kind != AdvertisingKind::directed && payload.size() > 6) read_fields(payload.subspan(6), out);
    return out;
}

}  // namespace rt::gfsk
