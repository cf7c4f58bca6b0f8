// Packets of the advertising channels of Bluetooth LE (Bluetooth Core Specification, Vol 6 Part B, clauses
// 2.3 and 3.2).
#pragma once

#include <cstdint>
#include <optional>
#include <span>
#include <string>
#include <vector>

namespace rt::gfsk {

inline constexpr std::uint32_t advertising_access_address = 0x8E89BED6;
inline constexpr std::uint32_t advertising_crc_initial = 0x555555;

struct AdvertisingChannel {
    unsigned index;  // of the link layer
    double frequency_hz;
};
inline constexpr AdvertisingChannel advertising_channels[]{{37, 2402e6}, {38, 2426e6}, {39, 2480e6}};

// What whitening adds to the bits behind the access address: x^7 + x^4 + 1 from 1 and the channel's index.
std::vector<std::uint8_t> whitening(unsigned channel, std::size_t bits);

enum class AdvertisingKind {
    connectable,         // ADV_IND: connections and scan requests
    directed,            // ADV_DIRECT_IND: connections of one device
    neither,             // ADV_NONCONN_IND
    scan_request,        // SCAN_REQ
    scan_response,       // SCAN_RSP
    connection_request,  // CONNECT_IND
    scannable,           // ADV_SCAN_IND
    extended,            // ADV_EXT_IND: more on another channel
    reserved,
};
const char* name(AdvertisingKind kind);  // "ADV_IND" ...

struct Advertising {
    AdvertisingKind kind = AdvertisingKind::reserved;
    std::string address;  // of who advertises: "c0:11:22:33:44:55"; "" where the packet has none
    bool random_address = false;
    std::string asks;        // of who asks, in requests
    std::string local_name;  // complete or shortened
    std::optional<int> stated_power_dbm;
    bool can_connect = false, can_be_scanned = false;
};

// `type` are the four bits of the header's PDU type, `header` its first octet, `payload` as sent. Fields that
// the payload is too short for stay empty.
Advertising read_advertising(std::uint8_t header, std::span<const std::uint8_t> payload);

// "c0:11:22:33:44:55" of six octets as sent, the last first.
std::string address_text(std::span<const std::uint8_t> octets);

}  // namespace rt::gfsk
